"""Join the columns that feed a field."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import polars as pl
from pydantic import Field

from datorum.core.forms import Menu, asked
from datorum.core.steps.step import Step, Stepped, all_read


class Join(Step, frozen=True):
    """All columns become one text, blank ones passed over. Steps before it work on each column by itself."""

    menu: ClassVar[Menu] = Menu("Join columns", "Text", "combine merge")
    kind: Literal["join"] = "join"
    separator: Annotated[str, Field(max_length=20), asked("with between them")] = " "

    def sentence(self) -> str:
        between = {" ": "a space", "": "nothing", "\n": "a line end"}.get(self.separator, f"“{self.separator}”")
        return f"Join the columns, {between} between them"

    def formula(self, value: str) -> str:
        return value

    def apply(self, values: pl.Series) -> Stepped:
        return all_read(values)

    def join(self, columns: list[pl.Series]) -> pl.Series:
        """One text a row out of several columns of the same length."""
        if len(columns) == 1:
            return columns[0]
        frame = pl.DataFrame({str(i): column.replace("", None) for i, column in enumerate(columns)})
        return frame.select(
            pl.concat_str(pl.all(), separator=self.separator, ignore_nulls=True).replace("", None).alias("joined")
        ).to_series()
