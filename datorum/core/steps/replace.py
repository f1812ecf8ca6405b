"""Replace text."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import polars as pl
from pydantic import Field, model_validator

from datorum.core.forms import Menu, asked
from datorum.core.formula import quoted
from datorum.core.patterns import UnusablePattern, usable
from datorum.core.steps.step import Step, Stepped, all_read


class Replace(Step, frozen=True):
    """Each occurrence of one text, taken letter by letter or as a regular expression, becomes another."""

    menu: ClassVar[Menu] = Menu("Replace text", "Text", "find substitute remove")
    kind: Literal["replace"] = "replace"
    find: Annotated[str, Field(max_length=1000), asked("replace")] = ""
    by: Annotated[str, Field(max_length=1000), asked("by")] = ""
    pattern: Annotated[bool, asked("as a pattern", hint="a regular expression; $1 in “by” is its first group")] = False

    @model_validator(mode="after")
    def _can_be_found(self) -> Replace:
        if self.pattern and self.find:
            try:
                usable(self.find)
            except UnusablePattern as error:
                raise ValueError(f"the regular expression cannot be used: {error}") from None
        return self

    def sentence(self) -> str:
        if not self.find:
            return "Replace text (say which)"
        return f"Replace “{self.find}” by “{self.by}”" if self.by else f"Remove “{self.find}”"

    def formula(self, value: str) -> str:
        function = "REPLACEPATTERN" if self.pattern else "SUBSTITUTE"
        return f"{function}({value};{quoted(self.find)};{quoted(self.by)})"

    def apply(self, values: pl.Series) -> Stepped:
        if self.pattern:
            return super().apply(values)
        return all_read(values.str.replace_all(self.find, self.by, literal=True) if self.find else values)
