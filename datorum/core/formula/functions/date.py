"""Functions of dates and times (ISO/IEC 26300-2, 6.10). A date is the number of days since 1899-12-30."""

from __future__ import annotations

import calendar
import datetime as dt
import math

from datorum.core.formula.fault import bad_number, bad_value
from datorum.core.formula.function import function
from datorum.core.formula.scope import Scope
from datorum.core.formula.values import (
    Value,
    day_of,
    moment_of,
    read_moment,
    read_time,
    serial,
    shown,
    to_integer,
)  # fmt: skip

_GROUP = "Dates and times"


def _day(year: int, month: int, day: int) -> dt.date:
    """The day of a year and month that may lie outside 1 to 12, and a day that may lie outside the month."""
    year, month = year + (month - 1) // 12, (month - 1) % 12 + 1
    try:
        return dt.date(year, month, 1) + dt.timedelta(days=day - 1)
    except (ValueError, OverflowError):
        raise bad_number(f"there is no such day in the year {year}") from None


def _month_on(day: dt.date, months: int) -> dt.date:
    """The same day some months on, or the last of that month where it is shorter."""
    first = _day(day.year, day.month + months, 1)
    return first.replace(day=min(day.day, calendar.monthrange(first.year, first.month)[1]))


@function(_GROUP)
def date(year: int, month: int, day: int) -> float:
    """The date of a year, month and day; what lies beyond a month runs on into the next."""
    # Two figures are taken as a year of the last or this century, as the standard's portable documents do.
    return serial(_day(year + (1900 if 30 <= year < 100 else 2000) if 0 <= year < 100 else year, month, day))


@function(_GROUP)
def time(hour: float, minute: float, second: float) -> float:
    """The time of an hour, minute and second, as a part of a day."""
    return (math.trunc(hour) * 3600 + math.trunc(minute) * 60 + second) / 86400


@function(_GROUP)
def datevalue(text: str) -> float:
    """The date that a text says: 2024-03-05, 5 March 2024, or March 5, 2024."""
    moment = read_moment(text.strip())
    if moment is None or (moment < 1 and ":" in text):
        moment = _worded(text)
    if moment is None:
        raise bad_value(f"“{shown(text)}” is no date that reads but one way; READDATE takes a pattern")
    return float(math.floor(moment))


def _worded(text: str) -> float | None:
    for pattern in ("%d %B %Y", "%d %b %Y", "%B %d, %Y", "%b %d, %Y", "%B %d %Y", "%b %d %Y", "%d. %B %Y"):
        try:
            return serial(dt.datetime.strptime(" ".join(text.split()), pattern))
        except ValueError:
            continue
    return None


@function(_GROUP)
def timevalue(text: str) -> float:
    """The time of day that a text says, as a part of a day."""
    trimmed = text.strip()
    moment = read_time(trimmed)
    if moment is None:
        moment = read_moment(trimmed)
    if moment is None or ":" not in trimmed:
        raise bad_value(f"“{shown(text)}” is no time")
    return moment % 1.0


@function(_GROUP)
def today(scope: Scope) -> float:
    """The day on which the formula is worked out."""
    return serial(scope.now.date())


@function(_GROUP)
def now(scope: Scope) -> float:
    """The moment at which the formula is worked out."""
    return serial(scope.now)


@function(_GROUP)
def year(date: float) -> float:
    """The year of a date."""
    return float(day_of(date).year)


@function(_GROUP)
def month(date: float) -> float:
    """The month of a date, 1 to 12."""
    return float(day_of(date).month)


@function(_GROUP)
def day(date: float) -> float:
    """The day of the month of a date."""
    return float(day_of(date).day)


@function(_GROUP)
def hour(time: float) -> float:
    """The hour of a time, 0 to 23."""
    return float(_second(time).hour)


@function(_GROUP)
def minute(time: float) -> float:
    """The minute of a time."""
    return float(_second(time).minute)


@function(_GROUP)
def second(time: float) -> float:
    """The second of a time."""
    return float(_second(time).second)


def _second(time: float) -> dt.datetime:
    """A time to the nearest second, so that 12:00:00 does not become 11:59:59."""
    return moment_of(round(time * 86400) / 86400)


@function(_GROUP)
def weekday(date: float, kind: int = 1) -> float:
    """The day of the week: from 1 for Sunday; kind 2 from 1 for Monday; kind 3 from 0 for Monday."""
    monday = day_of(date).weekday()
    if kind == 3:
        return float(monday)
    first = {1: 6, 2: 0}.get(kind, kind - 11)
    if not 0 <= first <= 6:
        raise bad_number("the kind of week is 1, 2, 3, or 11 to 17")
    return float((monday - first) % 7 + 1)


@function(_GROUP)
def weeknum(date: float, kind: int = 1) -> float:
    """The week of the year, which the 1st of January begins; kind 1 has weeks from Sunday, 2 from Monday."""
    if kind == 21:
        return float(day_of(date).isocalendar().week)
    first = {1: 6, 2: 0}.get(kind, kind - 11)
    if not 0 <= first <= 6:
        raise bad_number("the kind of week is 1, 2, 11 to 17, or 21")
    found = day_of(date)
    into = (found.replace(month=1, day=1).weekday() - first) % 7
    return float((found.timetuple().tm_yday - 1 + into) // 7 + 1)


@function(_GROUP)
def isoweeknum(date: float) -> float:
    """The week of the year by ISO 8601."""
    return float(day_of(date).isocalendar().week)


@function(_GROUP)
def days(end: float, start: float) -> float:
    """How many days lie between two dates."""
    return float(math.floor(end) - math.floor(start))


@function(_GROUP)
def edate(date: float, months: int) -> float:
    """The same day some months later."""
    return serial(_month_on(day_of(date), months))


@function(_GROUP)
def eomonth(date: float, months: int) -> float:
    """The last day of the month, some months later."""
    found = day_of(date)
    return serial(_day(found.year, found.month + months + 1, 0))


@function(_GROUP)
def datedif(start: float, end: float, unit: str) -> float:
    """Whole years (y), months (m) or days (d) between two dates; ym, yd and md leave out the greater units."""
    first, last = day_of(start), day_of(end)
    if first > last:
        raise bad_number("the first date is later than the second")
    months = (last.year - first.year) * 12 + last.month - first.month - (last.day < first.day)
    match unit.lower():
        case "y":
            return float(months // 12)
        case "m":
            return float(months)
        case "d":
            return float((last - first).days)
        case "ym":
            return float(months % 12)
        case "yd":
            return float((last - _month_on(first, months // 12 * 12)).days)
        case "md":
            return float((last - _month_on(first, months)).days)
    raise bad_number("the unit is y, m, d, ym, yd or md")


@function(_GROUP)
def days360(start: float, end: float, european: bool = False) -> float:
    """The days between two dates in years of twelve months of 30 days."""
    first, last = day_of(start), day_of(end)
    return float(_days360(first, last, european))


def _days360(first: dt.date, last: dt.date, european: bool) -> int:
    from_day, to_day = first.day, last.day
    if european:
        from_day, to_day = min(from_day, 30), min(to_day, 30)
    else:
        if _ends_february(first):
            if _ends_february(last):
                to_day = 30
            from_day = 30
        if to_day == 31 and from_day >= 30:
            to_day = 30
        from_day = min(from_day, 30)
    return (last.year - first.year) * 360 + (last.month - first.month) * 30 + to_day - from_day


def _ends_february(day: dt.date) -> bool:
    return day.month == 2 and day.day == calendar.monthrange(day.year, 2)[1]


@function(_GROUP)
def yearfrac(start: float, end: float, basis: int = 0) -> float:
    """Two dates apart in years: basis 0 and 4 by 360 days, 1 by the calendar, 2 by 360 real days, 3 by 365."""
    first, last = sorted((day_of(start), day_of(end)))
    apart = (last - first).days
    match basis:
        case 0:
            return _days360(first, last, european=False) / 360
        case 1:
            years = range(first.year, last.year + 1)
            return apart / (sum(366 if calendar.isleap(year) else 365 for year in years) / len(years))
        case 2:
            return apart / 360
        case 3:
            return apart / 365
        case 4:
            return _days360(first, last, european=True) / 360
    raise bad_number("the basis is 0 to 4")


def _works(day: dt.date) -> bool:
    return day.weekday() < 5


@function(_GROUP)
def networkdays(start: float, end: float) -> float:
    """The days from Monday to Friday between two dates, both counted."""
    first, last = day_of(start), day_of(end)
    sign = 1 if first <= last else -1
    first, last = sorted((first, last))
    weeks, rest = divmod((last - first).days + 1, 7)
    return float(sign * (weeks * 5 + sum(_works(first + dt.timedelta(days=n)) for n in range(rest))))


@function(_GROUP)
def workday(date: float, days: int) -> float:
    """The date so many days from Monday to Friday later."""
    if abs(days) > 1_000_000:
        raise bad_number("the date is out of range")
    found, sign = day_of(date), 1 if days >= 0 else -1
    weeks, rest = divmod(abs(days), 5)
    try:
        # Days are counted from a day of work: of a weekend, from the one on its far side.
        while days and not _works(found):
            found -= dt.timedelta(days=sign)
        found += dt.timedelta(days=sign * 7 * weeks)
        while rest:
            found += dt.timedelta(days=sign)
            rest -= _works(found)
    except OverflowError:
        raise bad_number("the date is out of range") from None
    return serial(found)


@function(_GROUP)
def eastersunday(year: Value) -> float:
    """The date of Easter in a year of the Gregorian calendar."""
    number = to_integer(year)
    if not 1583 <= number <= 9956:
        raise bad_number("the year is from 1583 to 9956")
    # Anonymous Gregorian computus (Nature, 20 April 1876).
    golden, (century, in_century) = number % 19, divmod(number, 100)
    leap_centuries, century_rest = divmod(century, 4)
    moon = (century - (century + 8) // 25 + 1) // 3
    epact = (19 * golden + century - leap_centuries - moon + 15) % 30
    leaps, rest = divmod(in_century, 4)
    week = (32 + 2 * century_rest + 2 * leaps - epact - rest) % 7
    correction = (golden + 11 * epact + 22 * week) // 451
    month, day = divmod(epact + week - 7 * correction + 114, 31)
    return serial(dt.date(number, month, day + 1))
