"""Read a text as a number or an amount of money."""

from __future__ import annotations

import re
from typing import Literal

import polars as pl

from datorum.core.formula import quoted
from datorum.core.steps.step import Step, Stepped

# Letters, currency signs and the ",-" that Norwegian and German amounts end with may stand around the digits.
_AROUND = (
    r"^[\p{L}\p{Sc}.\s\u{a0}]*?([-+−]?)[\p{Sc}\s\u{a0}]*(\d[\d.,'’\s\u{a0}\u{202f}]*?)"
    r"(?:,-|[\s\u{a0}]*[\p{L}\p{Sc}][\p{L}\p{Sc}.\s\u{a0}]*)?$"
)


class ReadNumber(Step, frozen=True):
    """Reads digits with a decimal mark; grouping marks and the currency's text around them go.

    Lands a plain decimal: ``-1204.50``. Where digits are not grouped in threes the value is refused, since then the
    decimal mark was probably guessed wrong.
    """

    kind: Literal["read_number"] = "read_number"
    decimal: Literal[".", ","] = "."

    def sentence(self) -> str:
        mark = "point" if self.decimal == "." else "comma"
        return f"Read as a number: decimal {mark}, currency text off"

    def formula(self, value: str) -> str:
        return f"PLAINNUMBER({value};{quoted(self.decimal)})"

    def apply(self, values: pl.Series) -> Stepped:
        text = values.str.strip_chars()
        sign = text.str.extract(_AROUND, 1).str.replace("−", "-").str.replace("+", "", literal=True)
        group = re.escape("," if self.decimal == "." else ".")
        digits = text.str.extract(_AROUND, 2).str.replace_all(r"[\s\u{a0}\u{202f}'’]", "")
        grouped = rf"^(?:\d+|\d{{1,3}}(?:{group}\d{{3}})+)(?:{re.escape(self.decimal)}\d+)?$"
        digits = digits.set(~digits.str.contains(grouped).fill_null(False), None)
        plain = digits.str.replace_all(group, "").str.replace(self.decimal, ".", literal=True)
        landed = sign + plain
        failed = landed.is_null() & text.is_not_null() & (text != "")
        return Stepped(landed, failed.fill_null(False))

    def problem(self, value: str) -> str:
        return f"does not read as a number with “{self.decimal}” before the decimals"
