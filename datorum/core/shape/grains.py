"""A sheet's rows as records and what they hold: one frame a grain."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import polars as pl

from datorum.core.table import FLAG, ROW

RECORD = "\0record"
"""The column that says which record a row of any grain is of, counted from 0."""


class Grains(NamedTuple):
    """``records``: a row a record; ``lists``: by the path of a list of objects, a row an object, in order. Each has
    ``RECORD`` and ``ROW``, the row of the sheet that it comes from, beside columns of text.

    ``sheets``: the other sheets that shapes may draw on, by name.
    """

    records: pl.DataFrame
    lists: Mapping[str, pl.DataFrame] = {}
    sheets: Mapping[str, pl.DataFrame] = {}

    def with_list(self, path: str, frame: pl.DataFrame, but: tuple[str, ...] = ()) -> Grains:
        """The same with a list, and without the columns that went into it."""
        known = self.lists.get(path)
        if known is not None:
            frame = pl.concat([known, frame], how="diagonal").sort(RECORD, maintain_order=True)
        left = self.records.drop([name for name in but if name in self.records.columns])
        return self._replace(records=left, lists={**self.lists, path: frame})


def grains_of(frame: pl.DataFrame, sheets: Mapping[str, pl.DataFrame] | None = None) -> Grains:
    """A sheet frame with a row a record; rows that have nothing but what the reader says of them are none."""
    numbered = frame.drop(FLAG, strict=False).with_columns(pl.int_range(pl.len(), dtype=pl.UInt32).alias(RECORD))
    return Grains(numbered.select(RECORD, ROW, pl.exclude(RECORD, ROW)), {}, sheets or {})


def own_columns(frame: pl.DataFrame) -> list[str]:
    """The columns of a grain that come from the sheet."""
    return [name for name in frame.columns if name not in (RECORD, ROW, FLAG)]


def is_filled(name: str) -> pl.Expr:
    """Whether a column has more than white space."""
    return pl.col(name).str.strip_chars().fill_null("") != ""


def without_blank(frame: pl.DataFrame, columns: list[str]) -> pl.DataFrame:
    """The rows in which at least one of some columns has something."""
    return frame.filter(pl.any_horizontal(*map(is_filled, columns))) if columns else frame.head(0)
