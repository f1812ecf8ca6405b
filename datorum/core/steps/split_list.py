"""Split a text into a list."""

from __future__ import annotations

import json
from typing import Annotated, ClassVar, Literal

import polars as pl
from pydantic import Field

from datorum.core.forms import Menu, asked
from datorum.core.formula import quoted
from datorum.core.steps.step import Step, Stepped, all_read


class SplitList(Step, frozen=True):
    """A separator divides the text into the items of a list, blank ones passed over; lands a JSON array."""

    menu: ClassVar[Menu] = Menu("Split into a list", "Text", "divide several")
    kind: Literal["split_list"] = "split_list"
    separator: Annotated[str, Field(min_length=1, max_length=20), asked("at each")] = ","

    def sentence(self) -> str:
        at = "a space" if self.separator == " " else f"“{self.separator}”"
        return f"Split into a list at each {at}"

    def formula(self, value: str) -> str:
        return f"LIST({value};{quoted(self.separator)})"

    def apply(self, values: pl.Series) -> Stepped:
        # One text after the other, but each only once: a shop's lists of tags recur.
        distinct = values.drop_nulls().unique()
        lists = pl.Series([self._listed(text) for text in distinct], dtype=pl.String)
        return all_read(values.replace_strict(distinct, lists, default=None, return_dtype=pl.String))

    def _listed(self, text: str) -> str | None:
        items = [item.strip() for item in text.split(self.separator)]
        items = [item for item in items if item]
        return json.dumps(items, ensure_ascii=False) if items else None
