"""Read a text as a date, with or without a time."""

from __future__ import annotations

import re
import zoneinfo
from typing import Annotated, Literal

import polars as pl
from pydantic import Field, field_validator

from datorum.core.steps.step import Step, Stepped

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


class _Pattern:
    """A date pattern taken apart: the strptime format, the shape as a regular expression, and the words."""

    def __init__(self, pattern: str) -> None:
        directives, shape, words, after_hour = [], [], [], False
        self.has_time = False
        for token in _TOKEN.findall(pattern):
            # M is the month, except behind an hour, where it can only be the minute.
            if token in ("M", "MM"):
                directives.append("%M" if after_hour else "%m")
                shape.append(r"\d{1,2}")
                words.append("minute" if after_hour else "month")
            elif token in _PARTS:
                directive, digits = _PARTS[token]
                directives.append(directive)
                shape.append(digits)
                words.append(_WORDS[token[0]])
                after_hour = after_hour or token[0] == "H"
            else:
                directives.append(token.replace("%", "%%"))
                shape.append(re.escape(token))
                words.append(token)
        self.has_time = after_hour
        self.format = "".join(directives)
        self.shape = "^" + "".join(shape) + "$"
        self.words = "".join(words)


class ReadDate(Step, frozen=True):
    """Reads ``pattern`` (D, M, YYYY or YY, H, MM, S and what stands between them).

    Lands an ISO 8601 date, or, where the pattern has an hour, an RFC 3339 time in UTC, the supplied one being taken as
    local time in ``zone`` (an IANA name).
    """

    kind: Literal["read_date"] = "read_date"
    pattern: Annotated[str, Field(min_length=1, max_length=60)] = "D/M/YYYY"
    zone: str = "UTC"

    @field_validator("zone")
    @classmethod
    def _known_zone(cls, zone: str) -> str:
        try:
            zoneinfo.ZoneInfo(zone)
        except (zoneinfo.ZoneInfoNotFoundError, ValueError, OSError):
            raise ValueError(f"there is no time zone “{zone}”; a name such as Europe/Oslo is meant") from None
        return zone

    @property
    def shape(self) -> str:
        """A regular expression that the texts of this pattern match."""
        return _Pattern(self.pattern).shape

    def sentence(self) -> str:
        read = _Pattern(self.pattern)
        told = f"Read as a date: {read.words}"
        return f"{told}, {self.zone} time" if read.has_time and self.zone != "UTC" else told

    def apply(self, values: pl.Series) -> Stepped:
        read = _Pattern(self.pattern)
        text = values.str.strip_chars()
        shaped = text.set(~text.str.contains(read.shape).fill_null(False), None)
        if read.has_time:
            seconds = "" if "%S" in read.format else ":00"
            form = read.format if "%S" in read.format else read.format + ":%S"
            moments = (shaped + seconds).str.strptime(pl.Datetime("us"), form, strict=False)
            # A clock that skips an hour in spring has no such time; one that repeats an hour means the first.
            utc = moments.dt.replace_time_zone(
                self.zone, ambiguous="earliest", non_existent="null"
            ).dt.convert_time_zone("UTC")
            landed = utc.dt.strftime("%Y-%m-%dT%H:%M:%SZ")
        else:
            landed = shaped.str.strptime(pl.Date, read.format, strict=False).dt.strftime("%Y-%m-%d")
        failed = landed.is_null() & text.is_not_null() & (text != "")
        return Stepped(landed, failed.fill_null(False))

    def problem(self, value: str) -> str:
        read = _Pattern(self.pattern)
        if re.match(read.shape, value.strip()):
            return "is no such day"
        return f"does not read as {read.words}"
