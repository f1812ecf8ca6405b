"""Logical functions (ISO/IEC 26300-2, 6.15)."""

from __future__ import annotations

from datorum.core.formula.fault import NOT_AVAILABLE, SYNTAX, FormulaFault, bad_value
from datorum.core.formula.function import function
from datorum.core.formula.values import Lazy, Value, compare, to_integer, to_logical

_GROUP = "Logic"


@function(_GROUP)
def and_(condition: bool, *more: bool) -> bool:
    """TRUE if every condition holds."""
    return condition and all(more)


@function(_GROUP)
def or_(condition: bool, *more: bool) -> bool:
    """TRUE if any condition holds."""
    return condition or any(more)


@function(_GROUP)
def xor(condition: bool, *more: bool) -> bool:
    """TRUE if an odd number of conditions holds."""
    return sum((condition, *more)) % 2 == 1


@function(_GROUP)
def not_(condition: bool) -> bool:
    """TRUE if the condition does not hold."""
    return not condition


@function(_GROUP)
def true() -> bool:
    """The truth value TRUE."""
    return True


@function(_GROUP)
def false() -> bool:
    """The truth value FALSE."""
    return False


@function(_GROUP)
def if_(condition: bool, then: Lazy = lambda: True, otherwise: Lazy = lambda: False) -> Value:
    """One value if the condition holds, else another."""
    return then() if condition else otherwise()


@function(_GROUP)
def ifs(condition: Lazy, value: Lazy, *more: Lazy) -> Value:
    """The value behind the first condition that holds."""
    pairs = (condition, value, *more)
    if len(pairs) % 2:
        raise FormulaFault(SYNTAX, "IFS takes a value behind every condition")
    for test, result in zip(pairs[::2], pairs[1::2], strict=True):
        if to_logical(test()):
            return result()
    raise FormulaFault(NOT_AVAILABLE, "none of the conditions holds")


@function(_GROUP)
def switch(value: Value, case: Lazy, result: Lazy, *more: Lazy) -> Value:
    """The result behind the first case that equals the value; a last one alone stands for anything else."""
    rest = (case, result, *more)
    for test, found in zip(rest[::2], rest[1::2], strict=False):
        if compare(value, test()) == 0:
            return found()
    if len(rest) % 2:
        return rest[-1]()
    raise FormulaFault(NOT_AVAILABLE, "none of the cases equals the value")


@function(_GROUP)
def choose(index: Value, value: Lazy, *more: Lazy) -> Value:
    """The value at a place in a list, counted from 1."""
    number = to_integer(index)
    values = (value, *more)
    if not 1 <= number <= len(values):
        raise bad_value(f"there is no value {number} among {len(values)}")
    return values[number - 1]()


@function(_GROUP)
def iferror(value: Lazy, otherwise: Lazy) -> Value:
    """The value, or another one where it is an error."""
    try:
        return value()
    except FormulaFault:
        return otherwise()


@function(_GROUP)
def ifna(value: Lazy, otherwise: Lazy) -> Value:
    """The value, or another one where it is #N/A."""
    try:
        return value()
    except FormulaFault as fault:
        if fault.code == NOT_AVAILABLE:
            return otherwise()
        raise
