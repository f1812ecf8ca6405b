"""Read a text as yes or no."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import polars as pl

from datorum.core.forms import Menu, asked
from datorum.core.formula import quoted
from datorum.core.steps.step import Step, Stepped, Word

YES = (
    "yes", "y", "true", "t", "1", "on", "x", "ja", "j", "oui", "sí", "si", "sì", "sim", "kyllä", "tak", "ano", "áno",
    "igen", "da", "taip", "jah", "jā", "evet", "ναι", "да", "так", "wahr", "vrai", "verdadero", "vero", "sant", "sann",
    "sandt",
)  # fmt: skip
NO = (
    "no", "n", "false", "f", "0", "off", "nei", "nein", "non", "não", "nao", "nej", "nee", "ei", "nie", "ne", "nem",
    "nu", "nē", "hayır", "όχι", "нет", "не", "ні", "falsch", "faux", "falso", "falskt", "falsk", "usann",
)  # fmt: skip
"""In the languages of Europe, in small letters; each is a yes or a no in all of them."""


class ReadYesNo(Step, frozen=True):
    """Lands ``true`` or ``false`` for the given spellings, in any case."""

    menu: ClassVar[Menu] = Menu("Read as yes or no", "Codes and choices", "true false tick")
    kind: Literal["read_yes_no"] = "read_yes_no"
    yes: Annotated[tuple[Word, ...], asked("yes is")] = YES
    no: Annotated[tuple[Word, ...], asked("no is")] = NO

    def sentence(self) -> str:
        return f"Read as yes or no: {', '.join(self.yes[:3])} … or {', '.join(self.no[:3])} …"

    def formula(self, value: str) -> str:
        return f"READYESNO({value};{quoted('|'.join(self.yes))};{quoted('|'.join(self.no))})"

    def apply(self, values: pl.Series) -> Stepped:
        text = values.str.strip_chars().str.to_lowercase()
        pairs = dict.fromkeys((w.lower() for w in self.no), "false") | dict.fromkeys(
            (w.lower() for w in self.yes), "true"
        )
        landed = text.replace_strict(pairs, default=None, return_dtype=pl.String)
        failed = landed.is_null() & text.is_not_null() & (text != "")
        return Stepped(landed, failed.fill_null(False))

    def problem(self, value: str) -> str:
        return "is neither a yes nor a no"
