"""The values of formulas, and how one kind becomes another (ISO/IEC 26300-2, 6.3.5 to 6.3.16)."""

from __future__ import annotations

import datetime as dt
import math
import re
from collections.abc import Callable
from decimal import Decimal

from datorum.core.formula.fault import bad_number, bad_value

Value = float | str | bool | None
"""A number (dates and times are numbers), a text, a truth value, or a blank cell."""
Lazy = Callable[[], Value]
"""An argument that is worked out only if the function asks for it."""

EPOCH = dt.datetime(1899, 12, 30)
LAST_DAY = 2_958_465
"""9999-12-31 as a number."""

_NUMBER = re.compile(r"(?=[+-]?\.?[0-9])[+-]?(?:\d{1,3}(?:,\d{3})+|\d+)?(?:\.\d*)?(?:[eE][+-]?\d+)?", re.ASCII)
_FRACTION = re.compile(r"([+-]?)(?:(\d{1,15}) +)?(\d{1,15})/(\d{1,15})", re.ASCII)
_DATE = re.compile(r"(\d{4})-(\d{1,2})-(\d{1,2})(?:[T ](.+?)Z?)?", re.ASCII)
_TIME = re.compile(r"(\d{1,15}):([0-5]?\d)(?::([0-5]?\d(?:[.,]\d+)?))?(?: ?([AaPp])[Mm])?", re.ASCII)


def to_number(value: Value) -> float:
    """A value as a number: blank is 0, yes is 1, text is read as VALUE reads it. Raises #VALUE!."""
    if value is None:
        return 0.0
    if isinstance(value, str):
        return read_number(value)
    return float(value)


def to_text(value: Value) -> str:
    """A value as text: a number with at most 15 digits, without a needless decimal part."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "TRUE" if value else "FALSE"
    if isinstance(value, str):
        return value
    return number_to_text(value)


def to_logical(value: Value) -> bool:
    """A value as yes or no: a number other than 0 is yes. Raises #VALUE! for a text that says neither."""
    if value is None:
        return False
    if isinstance(value, str):
        word = value.strip().upper()
        if word in ("TRUE", "FALSE"):
            return word == "TRUE"
        raise bad_value(f"“{shown(value)}” is neither TRUE nor FALSE")
    return bool(value)


def to_integer(value: Value) -> int:
    """A value as a whole number, cut towards zero. Raises #VALUE! or #NUM!."""
    number = to_number(value)
    if not math.isfinite(number) or abs(number) > 1e300:
        raise bad_number("the number is out of range")
    return math.trunc(number)


def number_to_text(number: float) -> str:
    """``0.1`` not ``0.10000000000000001``; beyond 15 digits with an exponent: ``1E+15``."""
    if number == 0:
        return "0"
    if 1e-5 <= abs(number) < 1e15:
        text = format(Decimal(f"{number:.15g}"), "f")
        return text.rstrip("0").rstrip(".") if "." in text else text
    mantissa, exponent = f"{number:.14E}".split("E")
    mantissa = mantissa.rstrip("0").rstrip(".")
    return f"{mantissa}E{exponent[0]}{exponent[1:].lstrip('0').zfill(2)}"


def read_number(text: str) -> float:
    """The number that a text says: plain, grouped by commas, a percentage, a fraction, an ISO 8601 date, or a time.

    Raises #VALUE! for anything else.
    """
    trimmed = text.strip()
    percent = trimmed.endswith("%")
    digits = trimmed[:-1].rstrip() if percent else trimmed
    if _NUMBER.fullmatch(digits):
        number = float(digits.replace(",", ""))
        if math.isinf(number):
            raise bad_number(f"“{shown(text)}” is out of range")
        return number / 100 if percent else number
    fraction = _FRACTION.fullmatch(trimmed)
    if fraction and int(fraction[4]):
        number = int(fraction[2] or 0) + int(fraction[3]) / int(fraction[4])
        return -number if fraction[1] == "-" else number
    moment = read_moment(trimmed)
    if moment is None:
        raise bad_value(f"“{shown(text)}” is not a number")
    return moment


def read_moment(text: str) -> float | None:
    """An ISO 8601 date, with or without a time, or a time alone, as a number; None where the text is neither."""
    date = _DATE.fullmatch(text)
    if date is None:
        return read_time(text)
    try:
        day = float((dt.date(int(date[1]), int(date[2]), int(date[3])) - EPOCH.date()).days)
    except ValueError:
        return None
    if date[4] is None:
        return day
    time = read_time(date[4])
    return None if time is None else day + time


def read_time(text: str) -> float | None:
    """A time of day, or a length of time in hours, as a part of a day."""
    time = _TIME.fullmatch(text)
    if time is None:
        return None
    hours, minutes, seconds = int(time[1]), int(time[2]), float((time[3] or "0").replace(",", "."))
    if time[4]:
        if not 1 <= hours <= 12:
            return None
        hours = hours % 12 + (12 if time[4] in "pP" else 0)
    return (hours * 3600 + minutes * 60 + seconds) / 86400


def serial(moment: dt.date | dt.datetime) -> float:
    """A day or moment as the number of days since 1899-12-30."""
    if not isinstance(moment, dt.datetime):
        moment = dt.datetime(moment.year, moment.month, moment.day)
    return (moment - EPOCH) / dt.timedelta(days=1)


def day_of(number: float) -> dt.date:
    """The day that a number stands for. Raises #NUM! outside the years 1 to 9999."""
    try:
        return (EPOCH + dt.timedelta(days=math.floor(number))).date()
    except (OverflowError, ValueError):
        raise bad_number(f"{number_to_text(number)} is no date") from None


def moment_of(number: float) -> dt.datetime:
    """The moment that a number stands for, to the nearest millisecond. Raises #NUM! outside the years 1 to 9999."""
    try:
        return EPOCH + dt.timedelta(milliseconds=round(number * 86_400_000))
    except (OverflowError, ValueError):
        raise bad_number(f"{number_to_text(number)} is no date") from None


def compare(left: Value, right: Value) -> int:
    """-1, 0 or 1. Numbers stand before texts, texts before truth values; the case of letters does not count."""
    left, right = _blank_as(left, right), _blank_as(right, left)
    rank = _rank(left) - _rank(right)
    if rank:
        return 1 if rank > 0 else -1
    if isinstance(left, str) and isinstance(right, str):
        left, right = left.lower(), right.lower()
    return (left > right) - (left < right)  # type: ignore[operator]


def shown(text: str) -> str:
    """A value as it stands in a sentence: short."""
    return text if len(text) <= 40 else text[:39] + "…"


def _blank_as(value: Value, other: Value) -> Value:
    """A blank cell is what the other side is: an empty text, no, or 0."""
    if value is not None:
        return value
    if isinstance(other, str):
        return ""
    return False if isinstance(other, bool) else 0.0


def _rank(value: Value) -> int:
    return 2 if isinstance(value, bool) else 1 if isinstance(value, str) else 0
