"""Take a part of a text."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import polars as pl
from pydantic import Field

from datorum.core.forms import Menu, asked
from datorum.core.formula import quoted
from datorum.core.steps.step import Step, Stepped, all_read

Part = Literal["first", "last", "all but first", "all but last"]

_OFFERED = {
    "first": "the first part", "last": "the last part", "all but first": "all but the first",
    "all but last": "all but the last",
}  # fmt: skip


class TakePart(Step, frozen=True):
    """A separator divides the text; one end of it is taken. Where it does not stand, that is the whole text or none."""

    menu: ClassVar[Menu] = Menu("Take a part", "Text", "split first last")
    kind: Literal["take_part"] = "take_part"
    separator: Annotated[str, Field(min_length=1, max_length=20), asked("divided by")] = " "
    part: Annotated[Part, asked("take", options=_OFFERED)] = "first"

    def sentence(self) -> str:
        at = "a space" if self.separator == " " else f"“{self.separator}”"
        phrase = {
            "first": f"Take what stands before the first {at}",
            "last": f"Take what stands behind the last {at}",
            "all but first": f"Take what stands behind the first {at}",
            "all but last": f"Take what stands before the last {at}",
        }
        return phrase[self.part]

    def formula(self, value: str) -> str:
        return f"TAKEPART({value};{quoted(self.separator)};{quoted(self.part)})"

    def apply(self, values: pl.Series) -> Stepped:
        frame = values.rename("text").to_frame()
        parts = pl.col("text").str.split(self.separator)
        # A text that is not divided is its own first and “all but last” part; behind the mark there is nothing.
        taken = {
            "first": parts.list.first(),
            "last": pl.when(parts.list.len() > 1).then(parts.list.last()),
            "all but first": pl.when(parts.list.len() > 1).then(parts.list.slice(1).list.join(self.separator)),
            "all but last": pl.when(parts.list.len() > 1)
            .then(parts.list.head(parts.list.len() - 1).list.join(self.separator))
            .otherwise("text"),
        }[self.part]
        return all_read(frame.select(taken.str.strip_chars().alias(values.name)).to_series())
