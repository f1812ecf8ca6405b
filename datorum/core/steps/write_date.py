"""Write a date."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from datorum.core.formula import quoted
from datorum.core.formula.date_form import date_form
from datorum.core.steps.step import Step


class WriteDate(Step, frozen=True):
    """A date in ISO 8601, as the step that reads one leaves it, written by a pattern."""

    kind: Literal["write_date"] = "write_date"
    pattern: Annotated[str, Field(min_length=1, max_length=60)] = "D.M.YYYY"
    zone: Annotated[str, Field(max_length=60)] = ""

    def sentence(self) -> str:
        phrase = f"Write the date as {date_form(self.pattern).words}"
        return f"{phrase}, {self.zone} time" if self.zone else phrase

    def formula(self, value: str) -> str:
        zone = f";{quoted(self.zone)}" if self.zone else ""
        return f"WRITEDATE({value};{quoted(self.pattern)}{zone})"
