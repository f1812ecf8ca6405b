"""Take certain words as blank."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import polars as pl

from datorum.core.forms import Menu, asked
from datorum.core.formula import quoted
from datorum.core.steps.step import Step, Stepped, Word, all_read


class BlankWhen(Step, frozen=True):
    """A value that says one of these words, in any case, is taken as blank."""

    menu: ClassVar[Menu] = Menu("Take words as blank", "Blanks", "empty none")
    kind: Literal["blank_when"] = "blank_when"
    words: Annotated[tuple[Word, ...], asked("words")] = ("n/a", "-")

    def sentence(self) -> str:
        return "Take as blank: " + ", ".join(f"“{word}”" for word in self.words)

    def formula(self, value: str) -> str:
        said = ";".join(f"COLLAPSE({value})={quoted(word.strip())}" for word in self.words)
        return f'IF(OR({said});"";{value})' if said else value

    def apply(self, values: pl.Series) -> Stepped:
        words = [word.strip().lower() for word in self.words]
        plain = values.str.replace_all(r"[ \t\u{a0}]+", " ").str.strip_chars().str.to_lowercase()
        says_so = plain.is_in(words)
        return all_read(values.set(says_so.fill_null(False), None))
