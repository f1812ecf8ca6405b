"""Rounding as one does it on paper, in operations that a column can do as well."""

from __future__ import annotations

import math
from collections.abc import Callable

_SLIP = 4.440892098500626e-16
"""Twice the relative step of a float: what decimal figures lose on the way to binary."""


def rounded(number: float, digits: int) -> float:
    """Half away from zero, as one would on paper: 2.675 to 2 digits is 2.68, though the nearest binary is below it."""
    return _at_digit(number, digits, lambda scaled: math.floor(scaled + 0.5 + scaled * _SLIP))


def cut(number: float, digits: int, up: bool) -> float:
    """Towards zero, or away from it; what differs from a whole by less than a float can tell is whole."""

    def whole(scaled: float) -> int:
        near = round(scaled)
        if abs(scaled - near) <= scaled * _SLIP:
            return near
        return math.ceil(scaled) if up else math.floor(scaled)

    return _at_digit(number, digits, whole)


def _at_digit(number: float, digits: int, whole: Callable[[float], int]) -> float:
    """A number made whole at one of its digits, its sign kept; one too great to have such a digit stays."""
    if abs(digits) > 300:
        return number if digits > 0 else 0.0
    scale = 10.0 ** abs(digits)
    scaled = abs(number) * scale if digits >= 0 else abs(number) / scale
    if scaled >= 1e15:
        return number
    near = float(whole(scaled))
    return math.copysign(near / scale if digits >= 0 else near * scale, number)
