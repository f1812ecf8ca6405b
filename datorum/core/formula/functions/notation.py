"""Numbers as bits, to other bases, and in Roman figures (ISO/IEC 26300-2, 6.6, 6.19)."""

from __future__ import annotations

import math

from datorum.core.formula.fault import bad_number, bad_value
from datorum.core.formula.function import function
from datorum.core.formula.functions.number import whole

_GROUP = "Numbers"
_BITS = 2**48


def _bits(*numbers: float) -> list[int]:
    if any(number < 0 or number >= _BITS or number != math.trunc(number) for number in numbers):
        raise bad_number("bits are those of whole numbers from 0 to below 2^48")
    return [int(number) for number in numbers]


@function(_GROUP)
def bitand(left: float, right: float) -> float:
    """The bits that both numbers have."""
    a, b = _bits(left, right)
    return float(a & b)


@function(_GROUP)
def bitor(left: float, right: float) -> float:
    """The bits that either number has."""
    a, b = _bits(left, right)
    return float(a | b)


@function(_GROUP)
def bitxor(left: float, right: float) -> float:
    """The bits that one of the numbers has."""
    a, b = _bits(left, right)
    return float(a ^ b)


@function(_GROUP)
def bitlshift(number: float, places: int) -> float:
    """The bits moved to the left."""
    (bits,) = _bits(number)
    if abs(places) > 53:
        raise bad_number("bits move by 53 places at most")
    return float(bits << places if places >= 0 else bits >> -places)


@function(_GROUP)
def bitrshift(number: float, places: int) -> float:
    """The bits moved to the right."""
    return bitlshift(number, -places)  # type: ignore[return-value]


_DIGITS = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ"


@function(_GROUP)
def base(number: float, radix: int, length: int = 0) -> str:
    """A whole number written to a base from 2 to 36."""
    rest = whole(number)
    if not 2 <= radix <= 36 or not 0 <= length <= 255:
        raise bad_number("a base is from 2 to 36, a length up to 255")
    digits = ""
    while rest:
        rest, digit = divmod(rest, radix)
        digits = _DIGITS[digit] + digits
    return digits.rjust(max(length, 1), "0")


@function(_GROUP)
def decimal(text: str, radix: int) -> float:
    """The number that a text says to a base from 2 to 36."""
    if not 2 <= radix <= 36:
        raise bad_number("a base is from 2 to 36")
    if not text.strip().isalnum() or len(text) > 255:
        raise bad_value("the text is no number to this base")
    try:
        return float(int(text, radix))
    except ValueError:
        raise bad_value("the text is no number to this base") from None


_ROMAN = (
    (1000, "M"), (900, "CM"), (500, "D"), (400, "CD"), (100, "C"), (90, "XC"), (50, "L"), (40, "XL"),
    (10, "X"), (9, "IX"), (5, "V"), (4, "IV"), (1, "I"),
)  # fmt: skip


@function(_GROUP)
def roman(number: float) -> str:
    """A number from 0 to 3999 in Roman figures."""
    rest = whole(number)
    if rest > 3999:
        raise bad_value("Roman figures reach to 3999")
    written = ""
    for value, figure in _ROMAN:
        times, rest = divmod(rest, value)
        written += figure * times
    return written


@function(_GROUP)
def arabic(text: str) -> float:
    """The number that Roman figures say."""
    figures, number, at = text.strip().upper(), 0, 0
    for value, figure in _ROMAN:
        while figures.startswith(figure, at):
            number += value
            at += len(figure)
    if at != len(figures):
        raise bad_value("the text is not in Roman figures")
    return float(number)
