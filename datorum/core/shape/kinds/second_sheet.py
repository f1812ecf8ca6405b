"""A list in a sheet of its own: orders in one, their lines in another, joined by columns that both have."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from itertools import combinations
from typing import Annotated, ClassVar, Literal

import polars as pl
from pydantic import Field, model_validator

from datorum.core.forms import Menu, asked
from datorum.core.shape.grains import RECORD, SHEET, Grains, odd, own_columns, sheet_column
from datorum.core.shape.kinds.rows_together import NO_HEAD
from datorum.core.shape.shape import Found, OnSheet, values_of
from datorum.core.table import ROW

_TELLS_APART, _MOSTLY_FOUND = 0.98, 0.7


class SecondSheet(OnSheet, frozen=True):
    """The rows of ``sheet`` whose columns ``theirs`` have what a record has in ``ours`` are its list at ``into``."""

    menu: ClassVar[Menu] = Menu("Rows of another sheet")
    kind: Literal["with a second sheet"] = "with a second sheet"
    ours: Annotated[tuple[str, ...], Field(min_length=1), asked("joined where this sheet's", editor="keys")]
    theirs: Annotated[tuple[str, ...], asked("is that sheet's", editor="keys there")]
    into: Annotated[str, asked("which go into", editor="list")]

    @model_validator(mode="after")
    def _as_many_keys(self) -> SecondSheet:
        if len(self.ours) != len(self.theirs):
            raise ValueError("each key column of one sheet needs one of the other")
        return self

    def sentence(self) -> str:
        return f"The rows of {self.sheet} with the same {' and '.join(self.theirs)} go into {self.into}"

    def seen_columns(self) -> set[str]:
        return set(self.ours)

    def used_columns(self) -> set[str]:
        return {*self.ours, *self.theirs}

    def apply(self, grains: Grains) -> Grains:
        other = grains.sheets.get(self.sheet)
        if other is None:
            return grains
        names = [f"\0key {number}" for number in range(len(self.ours))]
        ours = grains.records.select(RECORD).with_columns(_keys(grains.records, self.ours, names))
        ours = ours.drop_nulls(names).unique(names, keep="first")
        theirs = other.with_columns(_keys(other, self.theirs, names)).with_row_index("\0at")
        lines = theirs.join(ours, on=names, how="inner").sort(RECORD, "\0at")
        return grains.with_list(self.into, lines.select(RECORD, ROW, *sheet_column(other), *own_columns(other)))

    def undo(self, grains: Grains) -> Grains:
        named = [pl.col(name).alias(other) for name, other in zip(self.ours, self.theirs, strict=True)]
        lines = grains.lists[self.into].drop(ROW, SHEET, *self.theirs, strict=False)
        other = lines.join(grains.records.select(RECORD, *named), on=RECORD, how="left", maintain_order="left")
        other = other.drop(RECORD).with_columns(pl.int_range(2, pl.len() + 2, dtype=pl.Int64).alias(ROW))
        return grains.without_list(self.into, grains.records)._replace(sheets={**grains.sheets, self.sheet: other})

    def left_over(self, records: pl.DataFrame, sheets: Mapping[str, pl.DataFrame]) -> pl.DataFrame | None:
        other = sheets.get(self.sheet)
        if other is None:
            return None
        names = [f"\0key {number}" for number in range(len(self.ours))]
        ours = pl.DataFrame(_keys(records, self.ours, names))
        alone = other.with_columns(_keys(other, self.theirs, names)).join(
            ours, on=names, how="anti", maintain_order="left"
        )
        if not alone.height:
            return None
        keys = alone.select(pl.concat_str(names, separator=" · ", ignore_nulls=True)).to_series()
        says = f"stands in {self.sheet}, and no row has it in {' and '.join(self.ours)}"
        return odd(alone, NO_HEAD, says, values=keys, blocks=False)


def _keys(frame: pl.DataFrame, columns: tuple[str, ...], names: list[str]) -> list[pl.Series]:
    return [values_of(frame, column).alias(name) for column, name in zip(columns, names, strict=True)]


def second_sheet(frame: pl.DataFrame, name: str, other: pl.DataFrame, into: str) -> Iterator[Found]:
    """The columns by which the rows of another sheet belong to records of one, the likeliest."""
    found: list[tuple[float, Found]] = []
    for ours in own_columns(frame):
        values = values_of(frame, ours).drop_nulls()
        if not len(values) or values.n_unique() < _TELLS_APART * len(values):
            continue
        known = values.unique()
        for theirs in own_columns(other):
            cells = values_of(other, theirs).drop_nulls()
            if not len(cells):
                continue
            count = int(cells.is_in(known.implode()).sum())
            alike = _plain(ours) == _plain(theirs)
            # A sheet that has more than these records need is still theirs where both call the column the same.
            needed = len(known.filter(known.is_in(cells.unique().implode()))) / len(known) if alike else 0.0
            share = max(count / len(cells), needed)
            if share < _MOSTLY_FOUND:
                continue
            why = f"{count:,} of {len(cells):,} values of “{theirs}” in {name} stand in “{ours}”"
            shape = SecondSheet(sheet=name, ours=(ours,), theirs=(theirs,), into=into)
            # Numbers from one upwards are in any column of numbers: names that are alike say more.
            worth = share + (0.5 if alike else 0.0)
            found.append((worth, Found(shape=shape, weight=0.6 + 0.3 * share, reasons=(why,))))
    if not found:
        found = list(_by_several(frame, name, other, into))
    if found:
        yield max(found, key=lambda one: one[0])[1]


def _by_several(frame: pl.DataFrame, name: str, other: pl.DataFrame, into: str) -> Iterator[tuple[float, Found]]:
    """The columns of the same names that tell records apart together, where none does alone: the fewest."""
    theirs = {_plain(column): column for column in own_columns(other)}
    shared = [column for column in own_columns(frame) if _plain(column) in theirs][:_MOST_SHARED]
    for count in range(2, min(len(shared), _MOST_KEYS) + 1):
        for ours in combinations(shared, count):
            names = [f"\0key {number}" for number in range(count)]
            keys = pl.DataFrame(_keys(frame, ours, names)).drop_nulls()
            if not keys.height or keys.n_unique() < _TELLS_APART * keys.height:
                continue
            of_theirs = tuple(theirs[_plain(column)] for column in ours)
            rows = pl.DataFrame(_keys(other, of_theirs, names)).drop_nulls()
            found = rows.join(keys.unique(), on=names, how="semi").height
            if rows.height and found >= _MOSTLY_FOUND * rows.height:
                why = f"{found:,} of {rows.height:,} rows of {name} have the {' and '.join(ours)} of a row"
                shape = SecondSheet(sheet=name, ours=ours, theirs=of_theirs, into=into)
                share = found / rows.height
                yield share - 0.1 * count, Found(shape=shape, weight=0.6 + 0.3 * share, reasons=(why,))


_MOST_SHARED, _MOST_KEYS = 8, 3


def _plain(name: str) -> str:
    return re.sub(r"[\W_]+", "", name).lower()
