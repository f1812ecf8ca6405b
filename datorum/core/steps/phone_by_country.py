"""Telephone numbers whose country stands in another column."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from datorum.core.forms import Menu, asked
from datorum.core.formula import column_reference
from datorum.core.steps.step import RowStep


class PhoneByCountry(RowStep, frozen=True):
    """A telephone number to E.164; numbers without a prefix are of the country that a column of the row names, by its
    code or its name."""

    menu: ClassVar[Menu] = Menu("Telephone number, by country", "People", "mobile")
    kind: Literal["phone_by_country"] = "phone_by_country"
    column: Annotated[
        str,
        Field(max_length=1_000),
        asked("country in", hint="the column that names the country", editor="column"),
    ] = ""

    def sentence(self) -> str:
        if not self.column:
            return "Write as a telephone number of the country in a column (say which)"
        return f"Write as a telephone number such as +4722334455, of the country in “{self.column}”"

    def formula(self, value: str) -> str:
        if not self.column:
            return f"PHONE({value})"
        return f'PHONE({value};IFERROR(COUNTRYCODE({column_reference(self.column)});""))'

    def problem(self, value: str) -> str:
        return f"is no telephone number of the country in “{self.column}”, or is not of the right length"
