"""Trim and collapse spaces."""

from __future__ import annotations

from typing import ClassVar, Literal

import polars as pl

from datorum.core.forms import Menu
from datorum.core.steps.step import Step, Stepped, all_read


class Trim(Step, frozen=True):
    """Spaces at both ends go; inside, each run of spaces becomes one."""

    menu: ClassVar[Menu] = Menu("Trim spaces", "Text", "whitespace strip")
    kind: Literal["trim"] = "trim"

    def sentence(self) -> str:
        return "Trim spaces, double ones inside too"

    def formula(self, value: str) -> str:
        return f"COLLAPSE({value})"

    def apply(self, values: pl.Series) -> Stepped:
        trimmed = values.str.strip_chars()
        # Line ends inside a text are kept: they carry meaning in notes and addresses.
        spaced = trimmed.str.contains(r"[\t\u{a0}]|  ").fill_null(False)
        if spaced.any():
            collapsed = trimmed.filter(spaced).str.replace_all(r"[ \t\u{a0}]+", " ")
            trimmed = trimmed.scatter(spaced.arg_true(), collapsed)
        return all_read(trimmed)
