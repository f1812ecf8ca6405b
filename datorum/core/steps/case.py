"""Change case."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal

import polars as pl

from datorum.core.forms import Menu, asked
from datorum.core.steps.step import Step, Stepped, all_read

_SAYS = {
    "lower": "Change to lower case",
    "upper": "Change to UPPER CASE",
    "proper": "Change to Proper Case, a capital for each word",
    "sentence": "Change to sentence case, a capital at the start",
}

_OFFERED = {"lower": "lower case", "upper": "UPPER CASE", "proper": "Proper Case", "sentence": "Sentence case"}
_FUNCTIONS = {"lower": "LOWER", "upper": "UPPER", "proper": "PROPER", "sentence": "SENTENCECASE"}


class Case(Step, frozen=True):
    """Letters to lower, upper, proper (each word) or sentence (the first letter) case."""

    menu: ClassVar[Menu] = Menu("Change case", "Text", "capital letters")
    kind: Literal["case"] = "case"
    to: Annotated[Literal["lower", "upper", "proper", "sentence"], asked("to", options=_OFFERED)] = "lower"
    begins: ClassVar[Mapping[str, Any]] = {"to": "proper"}

    def sentence(self) -> str:
        return _SAYS[self.to]

    def formula(self, value: str) -> str:
        return f"{_FUNCTIONS[self.to]}({value})"

    def apply(self, values: pl.Series) -> Stepped:
        match self.to:
            case "lower":
                return all_read(values.str.to_lowercase())
            case "upper":
                return all_read(values.str.to_uppercase())
            case "proper":
                return all_read(values.str.to_titlecase())
        return all_read(values.str.head(1).str.to_uppercase() + values.str.slice(1).str.to_lowercase())
