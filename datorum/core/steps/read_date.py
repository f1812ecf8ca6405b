"""Read a text as a date, with or without a time."""

from __future__ import annotations

import re
import zoneinfo
from typing import Annotated, Literal

import polars as pl
from pydantic import Field, field_validator

from datorum.core.formula import quoted
from datorum.core.formula.date_pattern import date_pattern
from datorum.core.steps.step import Step, Stepped


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
        return date_pattern(self.pattern).shape

    def sentence(self) -> str:
        read = date_pattern(self.pattern)
        phrase = f"Read as a date: {read.words}"
        return f"{phrase}, {self.zone} time" if read.has_time and self.zone != "UTC" else phrase

    def formula(self, value: str) -> str:
        written = "YYYY-MM-DDTHH:MM:SSZ" if date_pattern(self.pattern).has_time else "YYYY-MM-DD"
        return f"WRITEDATE(READDATE({value};{quoted(self.pattern)};{quoted(self.zone)});{quoted(written)})"

    def apply(self, values: pl.Series) -> Stepped:
        read = date_pattern(self.pattern)
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
        read = date_pattern(self.pattern)
        if re.match(read.shape, value.strip()):
            return "is no such day"
        return f"does not read as {read.words}"
