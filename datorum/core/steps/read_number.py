"""Read a text as a number or an amount of money."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import polars as pl

from datorum.core.forms import Menu, asked
from datorum.core.formula import quoted
from datorum.core.formula.amount import plain_number
from datorum.core.steps.step import Step, Stepped

# A sign, digits that may be grouped, decimals; a usual currency before or behind.
_MONEY = r"(?:[$€£]|kr\.?|EUR|NOK|SEK|DKK|USD|GBP|CHF)"
_USUAL = {
    mark: rf"^(?:{_MONEY} ?)?([+-]?)(\d{{1,3}}(?:{group}\d{{3}})+|\d+)({point}\d+)?(?: ?{_MONEY})?$"
    for mark, group, point in ((".", ",", r"\."), (",", r"\.", ","))
}


class ReadNumber(Step, frozen=True):
    """Reads digits with a decimal mark; grouping marks and the currency's text around them go.

    Lands a plain decimal: ``-1204.50``. Where digits are not grouped in threes the value is refused, since then the
    decimal mark was probably guessed wrong.
    """

    menu: ClassVar[Menu] = Menu("Read as a number", "Numbers", "amount price decimal")
    kind: Literal["read_number"] = "read_number"
    decimal: Annotated[
        Literal[".", ","], asked("decimal mark", options={".": "point  1,204.50", ",": "comma  1.204,50"})
    ] = "."

    def sentence(self) -> str:
        mark = "point" if self.decimal == "." else "comma"
        return f"Read as a number: decimal {mark}, currency text off"

    def formula(self, value: str) -> str:
        return f"PLAINNUMBER({value};{quoted(self.decimal)})"

    def apply(self, values: pl.Series) -> Stepped:
        text = values.str.strip_chars()
        parts = text.str.extract_groups(_USUAL[self.decimal]).struct.unnest()
        sign, whole, decimals = (parts.to_series(at) for at in range(3))
        group = "," if self.decimal == "." else "."
        landed = (
            sign.str.replace("+", "", literal=True)
            + whole.str.replace_all(group, "", literal=True)
            + decimals.fill_null("").str.replace(",", ".", literal=True)
        )
        # Amounts written otherwise are read one by one, each once.
        rest = landed.is_null() & text.is_not_null() & (text != "")
        if rest.any():
            odd = text.filter(rest)
            distinct = odd.unique()
            read = pl.Series([plain_number(one, self.decimal) for one in distinct], dtype=pl.String)
            answers = odd.replace_strict(distinct, read, default=None, return_dtype=pl.String)
            landed = landed.scatter(rest.arg_true(), answers)
        failed = landed.is_null() & rest
        return Stepped(landed.rename(values.name), failed.fill_null(False))

    def problem(self, value: str) -> str:
        return f"does not read as a number with “{self.decimal}” before the decimals"
