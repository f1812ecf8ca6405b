"""A value for blanks."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import polars as pl
from pydantic import Field

from datorum.core.forms import Menu, asked
from datorum.core.formula import quoted
from datorum.core.steps.step import Step, Stepped, all_read


class Default(Step, frozen=True):
    """What is blank gets a value."""

    menu: ClassVar[Menu] = Menu("Fill blanks", "Blanks", "empty")
    kind: Literal["default"] = "default"
    value: Annotated[str, Field(max_length=10_000), asked("take")] = ""

    def sentence(self) -> str:
        return (
            f"Where it is blank, take “{self.value}”" if self.value else "Where it is blank, take a value (say which)"
        )

    def formula(self, value: str) -> str:
        return f"DEFAULT({value};{quoted(self.value)})"

    def apply(self, values: pl.Series) -> Stepped:
        blank = values.is_null() | (values.str.strip_chars() == "")
        return all_read(values.set(blank, self.value or None))
