"""Functions of angles and their hyperbolic kin (ISO/IEC 26300-2, 6.16)."""

from __future__ import annotations

import math

from datorum.core.formula.fault import DIVIDED_BY_ZERO, FormulaFault, bad_number
from datorum.core.formula.function import function
from datorum.core.formula.interpret import divide

_GROUP = "Numbers"


@function(_GROUP)
def sin(angle: float) -> float:
    """The sine of an angle in radians."""
    return math.sin(angle)


@function(_GROUP)
def cos(angle: float) -> float:
    """The cosine of an angle in radians."""
    return math.cos(angle)


@function(_GROUP)
def tan(angle: float) -> float:
    """The tangent of an angle in radians."""
    return math.tan(angle)


@function(_GROUP)
def cot(angle: float) -> float:
    """The cotangent of an angle in radians."""
    return divide(1.0, math.tan(angle))


@function(_GROUP)
def asin(number: float) -> float:
    """The angle in radians whose sine is given."""
    return math.asin(_unit(number))


@function(_GROUP)
def acos(number: float) -> float:
    """The angle in radians whose cosine is given."""
    return math.acos(_unit(number))


@function(_GROUP)
def atan(number: float) -> float:
    """The angle in radians whose tangent is given."""
    return math.atan(number)


@function(_GROUP)
def acot(number: float) -> float:
    """The angle in radians whose cotangent is given."""
    return math.pi / 2 - math.atan(number)


@function(_GROUP)
def atan2(x: float, y: float) -> float:
    """The angle in radians of the point (x; y)."""
    if x == 0 and y == 0:
        raise FormulaFault(DIVIDED_BY_ZERO, "the point (0; 0) has no angle")
    return math.atan2(y, x)


def _unit(number: float) -> float:
    if not -1 <= number <= 1:
        raise bad_number("the number is not between -1 and 1")
    return number


@function(_GROUP)
def sinh(number: float) -> float:
    """The hyperbolic sine."""
    return math.sinh(number)


@function(_GROUP)
def cosh(number: float) -> float:
    """The hyperbolic cosine."""
    return math.cosh(number)


@function(_GROUP)
def tanh(number: float) -> float:
    """The hyperbolic tangent."""
    return math.tanh(number)


@function(_GROUP)
def asinh(number: float) -> float:
    """The inverse hyperbolic sine."""
    return math.asinh(number)


@function(_GROUP)
def acosh(number: float) -> float:
    """The inverse hyperbolic cosine."""
    if number < 1:
        raise bad_number("the number is less than 1")
    return math.acosh(number)


@function(_GROUP)
def atanh(number: float) -> float:
    """The inverse hyperbolic tangent."""
    if not -1 < number < 1:
        raise bad_number("the number is not between -1 and 1")
    return math.atanh(number)


@function(_GROUP)
def degrees(angle: float) -> float:
    """Radians as degrees."""
    return math.degrees(angle)


@function(_GROUP)
def radians(angle: float) -> float:
    """Degrees as radians."""
    return math.radians(angle)
