"""A formula of one's own."""

from __future__ import annotations

import re
from typing import Annotated, ClassVar, Literal

from pydantic import Field, field_validator

from datorum.core.forms import Menu, asked
from datorum.core.formula import FormulaFault, check_names, parse
from datorum.core.steps.step import RowStep

Text = Annotated[str, Field(min_length=1, max_length=20_000)]


def checked(text: str) -> str:
    """A formula that reads and calls what there is. Raises ValueError with the place where it does not."""
    try:
        check_names(parse(text))
    except FormulaFault as fault:
        where = f" (at character {fault.at + 1})" if fault.at is not None else ""
        raise ValueError(f"{fault.message}{where}") from None
    return text


_THIS = re.compile(r'"(?:[^"]|"")*"|\[(?:[^\]]|\]\])*\]|\bTHIS\s*\(\s*\)', re.IGNORECASE)


def with_this(text: str, value: str) -> str:
    """A formula without its equals sign, with another in the place of THIS(); texts and columns stay."""
    formula = text.strip().removeprefix("=")
    return _THIS.sub(lambda found: value if found[0][0] in "Tt" else found[0], formula)


class Formula(RowStep, frozen=True):
    """An OpenFormula expression over the columns of the row; THIS() is the value so far."""

    menu: ClassVar[Menu] = Menu("Formula", "Anything else", "function")
    kind: Literal["formula"] = "formula"
    text: Annotated[
        Text,
        asked("formula", hint="columns in brackets: =PROPER([Surname]); THIS() is the value so far", editor="formula"),
    ] = "=THIS()"

    @field_validator("text")
    @classmethod
    def _reads(cls, text: str) -> str:
        return checked(text)

    def sentence(self) -> str:
        return f"Work out {self.text if self.text.startswith('=') else '=' + self.text}"

    def formula(self, value: str) -> str:
        return f"({with_this(self.text, value)})"
