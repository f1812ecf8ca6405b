"""Rounding as one does it on paper, in operations that a column can do as well."""

from __future__ import annotations

import math

_SLIP = 4.440892098500626e-16
"""Twice the relative step of a float: what decimal figures lose on the way to binary."""


def rounded(number: float, digits: int) -> float:
    """Half away from zero, as one would on paper: 2.675 to 2 digits is 2.68, though the nearest binary is below it."""
    if abs(digits) > 300:
        return number if digits > 0 else 0.0
    scale = 10.0 ** abs(digits)
    scaled = abs(number) * scale if digits >= 0 else abs(number) / scale
    if scaled >= 1e15:
        return number
    nearest = float(math.floor(scaled + 0.5 + scaled * _SLIP))
    return math.copysign(nearest / scale if digits >= 0 else nearest * scale, number)


def cut(number: float, digits: int, up: bool) -> float:
    """Towards zero, or away from it; what differs from a whole by less than a float can tell is whole."""
    if abs(digits) > 300:
        return number if digits > 0 else 0.0
    scale = 10.0 ** abs(digits)
    scaled = abs(number) * scale if digits >= 0 else abs(number) / scale
    if scaled >= 1e15:
        return number
    whole = float(round(scaled))
    if abs(scaled - whole) > scaled * _SLIP:
        whole = float(math.ceil(scaled) if up else math.floor(scaled))
    return math.copysign(whole / scale if digits >= 0 else whole * scale, number)
