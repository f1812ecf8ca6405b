"""Telephone numbers in one form."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field, field_validator

from datorum.core.forms import Menu, asked
from datorum.core.formula import quoted
from datorum.core.formula.codes import country_codes
from datorum.core.steps.step import Step


class Phone(Step, frozen=True):
    """A telephone number to E.164; ``country`` is that of numbers without a prefix."""

    menu: ClassVar[Menu] = Menu("Telephone number", "People", "mobile")
    kind: Literal["phone"] = "phone"
    country: Annotated[
        str, Field(max_length=2), asked("country", hint="of numbers without a prefix: two letters, such as NO")
    ] = ""

    @field_validator("country")
    @classmethod
    def _known(cls, country: str) -> str:
        if country and country.upper() not in country_codes():
            raise ValueError(f"there is no country “{country}”; a code of two letters such as NO is meant")
        return country

    def sentence(self) -> str:
        where = f", numbers without a prefix being of {self.country.upper()}" if self.country else ""
        return f"Write as a telephone number such as +4722334455{where}"

    def formula(self, value: str) -> str:
        return f"PHONE({value};{quoted(self.country)})"
