"""Columns whose values recur, as their distinct values and a code for each row.

Most columns of most sheets hold few values many times. What is done to them is done to each distinct value once.
"""

from __future__ import annotations

from typing import NamedTuple

import polars as pl

_FEWEST_ROWS = 4_000
_RECURS = 3
"""A column is coded where its values come so many times each, on average."""


class Coded(NamedTuple):
    """``places``: for each distinct set of values a row that has it; ``codes``: for each row which of them it has."""

    places: pl.Series
    codes: pl.Series


def coded(columns: list[pl.Series]) -> Coded | None:
    """The distinct rows of some columns; None where they recur too little to be worth it."""
    height = len(columns[0]) if columns else 0
    if height < _FEWEST_ROWS or any(variety(column) * _RECURS > height for column in columns):
        return None
    found = _codes(columns[0])
    for column in columns[1:]:
        # A pair of codes as one number.
        other = _codes(column)
        found = found * (_highest(other) + 1) + other
    first = found.arg_unique()
    if len(first) * _RECURS > height:
        return None
    numbers = found.gather(first)
    places = first.gather(numbers.arg_sort())
    if _highest(found) + 1 == len(first):
        return Coded(places, found)
    return Coded(places, found.replace_strict(numbers.sort(), pl.int_range(len(first), eager=True)))


def _codes(column: pl.Series) -> pl.Series:
    """A number from 0 on for each distinct value, one of its own for those that are missing."""
    # Categories of the column's own are numbered without gaps; those that all columns share would not be.
    numbers = column.cast(pl.Categorical(pl.Categories.random())).to_physical().cast(pl.Int64)
    return numbers.fill_null(_highest(numbers) + 1) if numbers.null_count() else numbers


def variety(column: pl.Series) -> int:
    """About how many distinct values a column has."""
    about = column.approx_n_unique()
    return about if isinstance(about, int) else len(column)


def _highest(numbers: pl.Series) -> int:
    highest = numbers.max()
    return highest if isinstance(highest, int) else -1
