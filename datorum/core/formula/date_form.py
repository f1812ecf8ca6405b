"""Patterns of dates and times, such as ``D/M/YYYY H:MM``, and units counted since an epoch: taken apart once, read and
written by row or by column."""

from __future__ import annotations

import datetime as dt
import math
import re
from abc import ABC, abstractmethod
from dataclasses import dataclass
from functools import lru_cache

import polars as pl

_TOKEN = re.compile(r"YYYY|YY|MMMM|MMM|MM|M|DD|D|HH|H|SS|S|.", re.DOTALL)
_PARTS = {
    "YYYY": ("%Y", r"\d{4}"),
    "YY": ("%y", r"\d{2}"),
    "MMMM": ("%B", r"[A-Za-z]+"),
    "MMM": ("%b", r"[A-Za-z]{3}"),
    "DD": ("%d", r"\d{1,2}"),
    "D": ("%d", r"\d{1,2}"),
    "HH": ("%H", r"\d{1,2}"),
    "H": ("%H", r"\d{1,2}"),
    "SS": ("%S", r"\d{1,2}"),
    "S": ("%S", r"\d{1,2}"),
}
_WORDS = {"D": "day", "M": "month", "Y": "year", "H": "hour", "S": "second"}
_MONTHS = (
    "january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november",
    "december",
)  # fmt: skip
_UNPADDED = {"D", "M", "H", "S"}
FORM_HINT = "D day, M month, YYYY year, H hour, MM minute, S second; or a unit such as seconds since 1970"
USUAL_FORMS = (
    "YYYY-MM-DD", "D.M.YYYY", "D/M/YYYY", "M/D/YYYY", "D MMMM YYYY", "D/M/YYYY H:MM", "YYYY-MM-DD H:MM:SS",
    "seconds since 1970", "milliseconds since 1970", "microseconds since 1970", "days since 1899-12-30",
    "days and time since 1899-12-30", "days since 1904-01-01", "days and time since 1904-01-01",
)  # fmt: skip
HINT = "D, M, YYYY, H, MM and S stand for day, month, year, hour, minute and second"
_NEEDS = {"day": "month", "month": "year", "hour": "day", "minute": "hour", "second": "minute"}
"""What each part is of; without it a text says no moment."""
_PERCENT = "\x1f"
"""What a percent sign is read as by column: polars takes the letter behind one for a directive, behind two as well."""
_LEAST = {"month": ("1", "%m"), "day": ("1", "%d"), "hour": ("0", "%H"), "minute": ("00", "%M"), "second": ("00", "%S")}
"""What a text means that does not say a part: the first of it, and how that is written and read."""


class DateForm(ABC):
    """A way in which moments are written. ``words`` is what a person reads: day/month/year; ``shape`` a regular
    expression that its texts match; ``fault`` why nothing can be read by it, "" where something can."""

    words: str
    shape: str
    fault: str
    names: tuple[str, ...]
    """The parts of a date that are written."""
    has_time: bool
    is_local: bool
    """Whether what is written is the time of some place, not that of the whole world."""

    @abstractmethod
    def read(self, text: str) -> dt.datetime | None:
        """The moment that a text says, or None where it does not fit or there is no such day."""

    @abstractmethod
    def read_column(self, texts: pl.Series) -> pl.Series:
        """The moments that texts say, or the days where there is no time; null where ``read`` is None."""

    @abstractmethod
    def write(self, moment: dt.datetime) -> str:
        """A moment of which no more than the second is of interest."""


@dataclass(frozen=True)
class DatePattern(DateForm):
    """Letters for the parts of a date; ``format`` is the pattern for strptime, ``written`` for strftime."""

    format: str
    written: str
    shape: str
    parts: re.Pattern[str]
    words: str
    fault: str
    names: tuple[str, ...]
    missing: tuple[str, ...]
    has_time: bool
    is_local = True

    def read(self, text: str) -> dt.datetime | None:
        match = self.parts.fullmatch(text.strip())
        if match is None:
            return None
        found = match.groupdict()
        try:
            return dt.datetime(
                _year(found), _month(found), int(found.get("D") or 1), int(found.get("H") or 0),
                int(found.get("m") or 0), int(found.get("S") or 0),
            )  # fmt: skip
        except ValueError:
            return None

    def read_column(self, texts: pl.Series) -> pl.Series:
        shaped = texts.set(~texts.str.contains(self.shape).fill_null(False), None)
        said = shaped.str.replace_all("%", _PERCENT, literal=True) if _PERCENT in self.format else shaped
        form = self.format
        for part in self.missing:
            least, directive = _LEAST[part]
            said, form = said + f" {least}", f"{form} {directive}"
        return said.str.strptime(pl.Datetime("us") if self.has_time else pl.Date, form, strict=False)

    def write(self, moment: dt.datetime) -> str:
        return moment.strftime(self.written).replace("%Y", f"{moment.year:04d}")


@dataclass(frozen=True)
class UnitsSince(DateForm):
    """A number of units since an epoch. ``per_second`` units are a second; of days, ``has_time`` says whether there may
    be a part of one."""

    words: str
    epoch: dt.datetime
    per_second: float
    has_time: bool = True
    fault = ""
    names = ("unit",)

    @property
    def is_local(self) -> bool:  # type: ignore[override]
        # What counts seconds counts those of the whole world; a spreadsheet counts the days of where it is.
        return self.per_second < 1

    @property
    def shape(self) -> str:  # type: ignore[override]
        return r"^-?\d{1,17}(\.\d+)?$" if self.has_time else r"^-?\d{1,7}$"

    def read(self, text: str) -> dt.datetime | None:
        if re.fullmatch(self.shape[1:-1], text.strip(), re.ASCII) is None:
            return None
        try:
            return self.epoch + dt.timedelta(seconds=self._seconds(float(text)))
        except OverflowError:
            return None

    def _seconds(self, count: float) -> float:
        # Parts of a day are seldom whole seconds by a hair.
        return math.floor(count / self.per_second + (0.5 if self.per_second < 1 else 0.0))

    def read_column(self, texts: pl.Series) -> pl.Series:
        shaped = texts.set(~texts.str.contains(self.shape).fill_null(False), None)
        seconds = (shaped.cast(pl.Float64) / self.per_second + (0.5 if self.per_second < 1 else 0.0)).floor()
        least = (dt.datetime(1, 1, 1) - self.epoch).total_seconds()
        most = (dt.datetime(9999, 12, 31, 23, 59, 59) - self.epoch).total_seconds()
        seconds = seconds.set(~seconds.is_between(least, most).fill_null(False), None).cast(pl.Int64)
        since = int((self.epoch - dt.datetime(1970, 1, 1)).total_seconds())
        return ((seconds + since) * 1_000_000).cast(pl.Datetime("us"))

    def write(self, moment: dt.datetime) -> str:
        count = (moment - self.epoch).total_seconds() * self.per_second
        return str(math.floor(count)) if not self.has_time else f"{count:.6f}".rstrip("0").rstrip(".")


_UNIX = dt.datetime(1970, 1, 1)
_DAY = 1 / 86_400
UNITS_SINCE = {
    form.words: form
    for form in (
        UnitsSince("seconds since 1970", _UNIX, 1),
        UnitsSince("milliseconds since 1970", _UNIX, 1_000),
        UnitsSince("microseconds since 1970", _UNIX, 1_000_000),
        # Spreadsheets: 1899-12-30 makes 1900-03-01 day 61, as all of them have it; 1904 is the other that files choose.
        UnitsSince("days since 1899-12-30", dt.datetime(1899, 12, 30), _DAY, has_time=False),
        UnitsSince("days and time since 1899-12-30", dt.datetime(1899, 12, 30), _DAY),
        UnitsSince("days since 1904-01-01", dt.datetime(1904, 1, 1), _DAY, has_time=False),
        UnitsSince("days and time since 1904-01-01", dt.datetime(1904, 1, 1), _DAY),
    )
}


def _year(found: dict[str, str]) -> int:
    if "YY" in found:
        # POSIX: 69 to 99 are of the last century.
        return int(found["YY"]) + (1900 if int(found["YY"]) >= 69 else 2000)
    return int(found.get("YYYY") or 1900)


def _month(found: dict[str, str]) -> int:
    name = (found.get("MMMM") or found.get("MMM") or "").lower()
    if not name:
        return int(found.get("M") or 1)
    names = _MONTHS if "MMMM" in found else [month[:3] for month in _MONTHS]
    return names.index(name) + 1


@lru_cache(maxsize=512)
def date_form(pattern: str) -> DateForm:
    """The form that a pattern names: units since an epoch by their words, such as ``seconds since 1970``; or D, DD, M,
    MM, MMM, MMMM, YY, YYYY, H, HH, the first MM behind an hour, S, SS, and what is between."""
    return UNITS_SINCE.get(pattern.strip()) or _date_pattern(pattern)


def _date_pattern(pattern: str) -> DatePattern:
    directives, written, shape, words, named = [], [], [], [], []
    parts: list[str] = []
    tokens = _TOKEN.findall(pattern)
    for index, token in enumerate(tokens):
        if token in ("M", "MM"):
            # M is the month, except the first behind an hour, which is the minute.
            minute = "hour" in named and "minute" not in named
            directive, digits, word = ("%M", r"\d{1,2}", "minute") if minute else ("%m", r"\d{1,2}", "month")
        elif token in _PARTS:
            directive, digits = _PARTS[token]
            word = _WORDS[token[0]]
        else:
            directive, digits, word = token.replace("%", _PERCENT), re.escape(token), ""
        if (
            len(token) == 2
            and digits == r"\d{1,2}"
            and (_is_digits(tokens, index - 1) or _is_digits(tokens, index + 1))
        ):
            digits = r"\d{2}"  # Where nothing stands between two numbers, only their lengths tell them apart.
        name = {"minute": "m"}.get(word, token if token in ("YYYY", "YY", "MMMM", "MMM") else token[:1])
        parts.append(f"(?P<{name}>{digits})" if word and word not in named else digits)
        directives.append(directive)
        written.append(directive.replace("%", "%-") if token in _UNPADDED else directive.replace(_PERCENT, "%%"))
        shape.append(digits)
        words.append(word or token)
        if word:
            named.append(word)
    return DatePattern(
        format="".join(directives),
        written="".join(written),
        shape="^" + "".join(shape) + "$",
        parts=re.compile("".join(parts), re.ASCII),
        words="".join(words),
        fault=_fault(named) or _run_on(tokens),
        names=tuple(named),
        missing=tuple(part for part in _LEAST if part not in named and ("hour" in named or part in ("month", "day"))),
        has_time="hour" in named,
    )


def _is_digits(tokens: list[str], index: int) -> bool:
    """Whether digits stand at this place of a pattern, for a part of a date or as they are."""
    if not 0 <= index < len(tokens):
        return False
    token = tokens[index]
    return token.isdecimal() or token in ("M", "MM") or (token in _PARTS and token[0] != "M")


def _run_on(tokens: list[str]) -> str:
    """Why it cannot be told where a number of one or two digits ends; "" where it can."""
    for index, token in enumerate(tokens):
        if token in _UNPADDED and _is_digits(tokens, index + 1):
            ends = f"nothing tells where {token} ends in front of {tokens[index + 1]}"
            return f"{ends}: write {token}{token}, or what stands between them"
    return ""


def _fault(named: list[str]) -> str:
    """Why nothing can be read by a pattern that names these parts."""
    twice = next((part for part in named if named.count(part) > 1), None)
    if twice:
        return f"the pattern has the {twice} twice; {HINT}"
    if "year" not in named:
        return f"the pattern has no year; {HINT}"
    alone = next((part for part in named if _NEEDS.get(part, part) not in named), None)
    return f"the pattern has the {alone} and not the {_NEEDS[alone]}; {HINT}" if alone else ""
