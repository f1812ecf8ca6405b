"""Read a text as a date, with or without a time."""

from __future__ import annotations

import re
from typing import Annotated, ClassVar, Literal

import polars as pl
from pydantic import Field, field_validator

from datorum.core.forms import Menu, asked
from datorum.core.formula import quoted
from datorum.core.formula.date_form import FORM_HINT, USUAL_FORMS, date_form
from datorum.core.steps.step import Step, Stepped
from datorum.core.steps.zone import Zone


class ReadDate(Step, frozen=True):
    """Reads ``pattern``: D, M, YYYY or YY, H, MM, S and what stands between them, or a unit as ``seconds since 1970``.

    Lands an ISO 8601 date, or, where the pattern has an hour, an RFC 3339 time in UTC, the supplied one being taken as
    local time in ``zone`` (an IANA name).
    """

    menu: ClassVar[Menu] = Menu("Read as a date", "Dates", "time month day")
    kind: Literal["read_date"] = "read_date"
    pattern: Annotated[
        str, Field(min_length=1, max_length=60), asked("written as", hint=FORM_HINT, usual=USUAL_FORMS)
    ] = "D/M/YYYY"
    zone: Annotated[Zone, asked("time zone", hint="such as Europe/Oslo; matters where there is a time")] = "UTC"

    @field_validator("pattern")
    @classmethod
    def _reads(cls, pattern: str) -> str:
        if fault := date_form(pattern).fault:
            raise ValueError(fault)
        return pattern

    @property
    def shape(self) -> str:
        """A regular expression that the texts of this pattern match."""
        return date_form(self.pattern).shape

    def sentence(self) -> str:
        form = date_form(self.pattern)
        phrase = f"Read as a date: {form.words}"
        return (
            f"{phrase}, {self.zone} time"
            if form.has_time and form.is_local and self.zone not in ("", "UTC")
            else phrase
        )

    def formula(self, value: str) -> str:
        written = "YYYY-MM-DDTHH:MM:SSZ" if date_form(self.pattern).has_time else "YYYY-MM-DD"
        return f"WRITEDATE(READDATE({value};{quoted(self.pattern)};{quoted(self.zone)});{quoted(written)})"

    def apply(self, values: pl.Series) -> Stepped:
        form = date_form(self.pattern)
        text = values.str.strip_chars()
        moments = form.read_column(text)
        if form.has_time and form.is_local:
            # A clock that skips an hour in spring has no such time; one that repeats an hour means the first.
            moments = moments.dt.replace_time_zone(
                self.zone or "UTC", ambiguous="earliest", non_existent="null"
            ).dt.convert_time_zone("UTC")
        landed = moments.dt.strftime("%Y-%m-%dT%H:%M:%SZ" if form.has_time else "%Y-%m-%d")
        failed = landed.is_null() & text.is_not_null() & (text != "")
        return Stepped(landed, failed.fill_null(False))

    def problem(self, value: str) -> str:
        form = date_form(self.pattern)
        if re.match(form.shape, value.strip()):
            return "is no such day"
        return f"does not read as {form.words}"
