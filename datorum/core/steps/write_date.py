"""Write a date."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, field_validator

from datorum.core.formula import quoted
from datorum.core.formula.date_form import HINT, date_form
from datorum.core.steps.step import Step
from datorum.core.steps.zone import Zone


class WriteDate(Step, frozen=True):
    """A date in ISO 8601, as the step that reads one leaves it, written by a pattern."""

    kind: Literal["write_date"] = "write_date"
    pattern: Annotated[str, Field(min_length=1, max_length=60)] = "D.M.YYYY"
    zone: Zone = ""

    @field_validator("pattern")
    @classmethod
    def _says_something(cls, pattern: str) -> str:
        if not date_form(pattern).names:
            raise ValueError(f"the pattern has no part of a date; {HINT}")
        return pattern

    def sentence(self) -> str:
        phrase = f"Write the date as {date_form(self.pattern).words}"
        return f"{phrase}, {self.zone} time" if self.zone else phrase

    def formula(self, value: str) -> str:
        zone = f";{quoted(self.zone)}" if self.zone else ""
        return f"WRITEDATE({value};{quoted(self.pattern)}{zone})"
