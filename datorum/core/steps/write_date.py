"""Write a date."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field, field_validator

from datorum.core.forms import Menu, asked
from datorum.core.formula import quoted
from datorum.core.formula.date_form import FORM_HINT, HINT, USUAL_FORMS, date_form
from datorum.core.steps.step import Step
from datorum.core.steps.zone import Zone


class WriteDate(Step, frozen=True):
    """A date in ISO 8601, as the step that reads one leaves it, written by a pattern."""

    menu: ClassVar[Menu] = Menu("Write a date", "Dates", "format time")
    kind: Literal["write_date"] = "write_date"
    pattern: Annotated[
        str, Field(min_length=1, max_length=60), asked("write as", hint=FORM_HINT, usual=USUAL_FORMS)
    ] = "D.M.YYYY"
    zone: Annotated[Zone, asked("time zone", hint="such as Europe/Oslo; empty leaves the time as it is")] = ""

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
