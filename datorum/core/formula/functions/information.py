"""Information functions (ISO/IEC 26300-2, 6.13)."""

from __future__ import annotations

from datorum.core.formula.fault import ERROR_TYPES, NOT_AVAILABLE, FormulaFault
from datorum.core.formula.function import function
from datorum.core.formula.values import Lazy, Value, to_integer

_GROUP = "Information"


def _fault(value: Lazy) -> FormulaFault | None:
    try:
        value()
    except FormulaFault as fault:
        return fault
    return None


def _quietly(value: Lazy) -> tuple[bool, Value]:
    """Whether there is a value, and the value; an error is no value of any kind."""
    try:
        return True, value()
    except FormulaFault:
        return False, None


@function(_GROUP)
def isblank(value: Lazy) -> bool:
    """TRUE for a blank cell."""
    return _quietly(value) == (True, None)


@function(_GROUP)
def iserror(value: Lazy) -> bool:
    """TRUE for any error."""
    return _fault(value) is not None


@function(_GROUP)
def iserr(value: Lazy) -> bool:
    """TRUE for any error but #N/A."""
    fault = _fault(value)
    return fault is not None and fault.code != NOT_AVAILABLE


@function(_GROUP)
def isna(value: Lazy) -> bool:
    """TRUE for #N/A."""
    fault = _fault(value)
    return fault is not None and fault.code == NOT_AVAILABLE


@function(_GROUP)
def isnumber(value: Lazy) -> bool:
    """TRUE for a number; a text of digits is none until VALUE reads it."""
    found = _quietly(value)[1]
    return isinstance(found, int | float) and not isinstance(found, bool)


@function(_GROUP)
def istext(value: Lazy) -> bool:
    """TRUE for a text."""
    return isinstance(_quietly(value)[1], str)


@function(_GROUP)
def isnontext(value: Lazy) -> bool:
    """TRUE for anything but a text."""
    return not isinstance(_quietly(value)[1], str)


@function(_GROUP)
def islogical(value: Lazy) -> bool:
    """TRUE for TRUE and FALSE."""
    return isinstance(_quietly(value)[1], bool)


@function(_GROUP)
def iseven(number: float) -> bool:
    """TRUE if the whole part of a number is even."""
    return to_integer(number) % 2 == 0


@function(_GROUP)
def isodd(number: float) -> bool:
    """TRUE if the whole part of a number is odd."""
    return to_integer(number) % 2 == 1


@function(_GROUP)
def na() -> Value:
    """The error #N/A."""
    raise FormulaFault(NOT_AVAILABLE, "no value is available")


@function(_GROUP)
def n(value: Value) -> float:
    """A number as it is, TRUE as 1, anything else as 0."""
    return float(value) if isinstance(value, int | float) else 0.0


@function(_GROUP)
def type_(value: Lazy) -> float:
    """1 for a number, 2 for a text, 4 for a truth value, 16 for an error."""
    there, found = _quietly(value)
    if not there:
        return 16.0
    return 4.0 if isinstance(found, bool) else 2.0 if isinstance(found, str) else 1.0


@function(_GROUP, name="ERROR.TYPE")
def error_type(value: Lazy) -> float:
    """The number of an error, from 1 for #NULL! to 7 for #N/A; #N/A where there is none."""
    fault = _fault(value)
    if fault is None or fault.code not in ERROR_TYPES:
        raise FormulaFault(NOT_AVAILABLE, "the value is no error")
    return float(ERROR_TYPES.index(fault.code) + 1)
