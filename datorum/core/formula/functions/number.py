"""Functions of numbers (ISO/IEC 26300-2, 6.16, 6.18 and, for bits, 6.6)."""

from __future__ import annotations

import math
import statistics

from datorum.core.formula.fault import BAD_NUMBER, DIVIDED_BY_ZERO, FormulaFault, bad_number
from datorum.core.formula.function import function
from datorum.core.formula.interpret import divide
from datorum.core.formula.interpret import power as to_the_power
from datorum.core.formula.rounding import cut, rounded
from datorum.core.formula.values import Value, to_number

_GROUP = "Numbers"


def _among(values: tuple[Value, ...]) -> list[float]:
    """The arguments of a sum and its like as numbers; blank cells do not count."""
    return [to_number(value) for value in values if value is not None]


@function(_GROUP)
def abs_(number: float) -> float:
    """A number without its sign."""
    return abs(number)


@function(_GROUP)
def sign(number: float) -> float:
    """1, 0 or -1."""
    return float((number > 0) - (number < 0))


@function(_GROUP)
def int_(number: float) -> float:
    """Rounded down to a whole number."""
    return float(math.floor(number))


@function(_GROUP)
def trunc(number: float, digits: int = 0) -> float:
    """Cut off behind so many digits, towards zero."""
    return cut(number, digits, up=False)


@function(_GROUP)
def round_(number: float, digits: int = 0) -> float:
    """Rounded to so many digits, half away from zero."""
    return rounded(number, digits)


@function(_GROUP)
def rounddown(number: float, digits: int = 0) -> float:
    """Rounded towards zero."""
    return cut(number, digits, up=False)


@function(_GROUP)
def roundup(number: float, digits: int = 0) -> float:
    """Rounded away from zero."""
    return cut(number, digits, up=True)


def _multiple(number: float, significance: float, mode: float, up: bool) -> float:
    if significance == 0 or number == 0:
        return 0.0
    if number > 0 > significance:
        raise bad_number("a positive number has no multiple of a negative significance")
    step = abs(significance)
    ratio = number / step
    near = round(ratio)
    if math.isclose(ratio, near, rel_tol=1e-14):
        return near * step
    if mode and number < 0:
        up = not up
    return (math.ceil(ratio) if up else math.floor(ratio)) * step


@function(_GROUP)
def ceiling(number: float, significance: float = 1.0, mode: float = 0.0) -> float:
    """Up to the next multiple; with a mode, a negative number goes away from zero."""
    return _multiple(number, significance, mode, up=True)


@function(_GROUP)
def floor(number: float, significance: float = 1.0, mode: float = 0.0) -> float:
    """Down to the next multiple; with a mode, a negative number goes towards zero."""
    return _multiple(number, significance, mode, up=False)


@function(_GROUP)
def mround(number: float, multiple: float) -> float:
    """To the nearest multiple."""
    if multiple == 0:
        return 0.0
    if number * multiple < 0:
        raise bad_number("number and multiple have different signs")
    return rounded(number / multiple, 0) * multiple


@function(_GROUP)
def even(number: float) -> float:
    """Away from zero to the next even number."""
    return math.copysign(2.0 * math.ceil(abs(number) / 2), number)


@function(_GROUP)
def odd(number: float) -> float:
    """Away from zero to the next odd number."""
    return math.copysign(2.0 * math.ceil((max(abs(number), 1.0) - 1) / 2) + 1, number)


@function(_GROUP)
def mod(number: float, divisor: float) -> float:
    """What a division leaves, with the divisor's sign."""
    return number - divisor * math.floor(divide(number, divisor))


@function(_GROUP)
def quotient(number: float, divisor: float) -> float:
    """The whole part of a division."""
    return float(math.trunc(divide(number, divisor)))


@function(_GROUP)
def power(base: float, exponent: float) -> float:
    """A number to the power of another."""
    return to_the_power(base, exponent)


@function(_GROUP)
def sqrt(number: float) -> float:
    """The square root."""
    if number < 0:
        raise bad_number("a negative number has no square root")
    return math.sqrt(number)


@function(_GROUP)
def sqrtpi(number: float) -> float:
    """The square root of a number times pi."""
    return sqrt(number * math.pi)  # type: ignore[return-value]


@function(_GROUP)
def exp(number: float) -> float:
    """e to the power of a number."""
    return math.exp(number)


def _log(number: float, base: float) -> float:
    if number <= 0 or base <= 0:
        raise bad_number("only positive numbers have a logarithm")
    if base == 1:
        raise FormulaFault(DIVIDED_BY_ZERO, "1 is no base of logarithms")
    return math.log10(number) if base == 10 else math.log2(number) if base == 2 else math.log(number) / math.log(base)


@function(_GROUP)
def ln(number: float) -> float:
    """The natural logarithm."""
    return _log(number, math.e)


@function(_GROUP)
def log(number: float, base: float = 10.0) -> float:
    """The logarithm to a base, else to 10."""
    return _log(number, base)


@function(_GROUP)
def log10(number: float) -> float:
    """The logarithm to the base 10."""
    return _log(number, 10.0)


@function(_GROUP)
def pi() -> float:
    """3.14159265358979."""
    return math.pi


@function(_GROUP)
def sum_(number: Value, *more: Value) -> float:
    """The sum; blank cells do not count."""
    return math.fsum(_among((number, *more)))


@function(_GROUP)
def sumsq(number: Value, *more: Value) -> float:
    """The sum of the squares."""
    return math.fsum(one * one for one in _among((number, *more)))


@function(_GROUP)
def product(number: Value, *more: Value) -> float:
    """The product; blank cells do not count."""
    return math.prod(_among((number, *more)))


@function(_GROUP)
def average(number: Value, *more: Value) -> float:
    """The mean; blank cells do not count."""
    among = _among((number, *more))
    return divide(math.fsum(among), len(among))


@function(_GROUP)
def median(number: Value, *more: Value) -> float:
    """The value in the middle; blank cells do not count."""
    among = _among((number, *more))
    if not among:
        raise FormulaFault(BAD_NUMBER, "there is no number among the values")
    return statistics.median(among)


@function(_GROUP)
def min_(number: Value, *more: Value) -> float:
    """The least; blank cells do not count."""
    return min(_among((number, *more)), default=0.0)


@function(_GROUP)
def max_(number: Value, *more: Value) -> float:
    """The greatest; blank cells do not count."""
    return max(_among((number, *more)), default=0.0)


@function(_GROUP)
def count(value: Value, *more: Value) -> float:
    """How many of the values are numbers or say one."""

    def counts(one: Value) -> bool:
        try:
            to_number(one)
        except FormulaFault:
            return False
        return one is not None

    return float(sum(counts(one) for one in (value, *more)))


@function(_GROUP)
def counta(value: Value, *more: Value) -> float:
    """How many of the values are not blank."""
    return float(sum(one is not None for one in (value, *more)))


def whole(number: float) -> int:
    """The whole part of a number that must not be negative. Raises #NUM!."""
    if number < 0:
        raise bad_number("the number is negative")
    return math.trunc(number)


@function(_GROUP)
def fact(number: float) -> float:
    """The factorial of the whole part."""
    cut_off = whole(number)
    if cut_off > 170:
        raise bad_number("the factorial is out of range")
    return float(math.factorial(cut_off))


@function(_GROUP)
def combin(total: float, chosen: float) -> float:
    """In how many ways so many can be chosen out of a total."""
    if whole(chosen) > whole(total):
        raise bad_number("more are chosen than there are")
    some = min(whole(chosen), whole(total) - whole(chosen))
    _within_range(_log_permut(total, some) - math.lgamma(some + 1))
    return float(math.comb(whole(total), some))


@function(_GROUP)
def permut(total: float, chosen: float) -> float:
    """In how many orders so many can be chosen out of a total."""
    if whole(chosen) > whole(total):
        raise bad_number("more are chosen than there are")
    _within_range(_log_permut(total, whole(chosen)))
    return float(math.perm(whole(total), whole(chosen)))


def _log_permut(total: float, chosen: int) -> float:
    """The natural logarithm of PERMUT, nearly: each factor is no greater than the total."""
    if total < 1e6:
        return math.lgamma(whole(total) + 1) - math.lgamma(whole(total) - chosen + 1)
    # Of so great a total few can be chosen before all floats are too small.
    return chosen * math.log(total / 2)


def _within_range(logarithm: float) -> None:
    """Raise #NUM! for what is greater than any number can be, before it is worked out."""
    if logarithm > 710:
        raise bad_number("the result is out of range")


@function(_GROUP)
def gcd(number: float, *more: float) -> float:
    """The greatest common divisor."""
    return float(math.gcd(*(whole(one) for one in (number, *more))))


@function(_GROUP)
def lcm(number: float, *more: float) -> float:
    """The least common multiple."""
    return float(math.lcm(*(whole(one) for one in (number, *more))))


@function(_GROUP)
def delta(left: float, right: float = 0.0) -> float:
    """1 if the numbers are equal, else 0."""
    return float(left == right)


@function(_GROUP)
def gestep(number: float, step: float = 0.0) -> float:
    """1 if the number reaches the step, else 0."""
    return float(number >= step)
