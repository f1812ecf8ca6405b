"""Rows with the same key make one record: what agrees within them is the record's, the rest its list's."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

import polars as pl

from datorum.core.shape.grains import RECORD, Grains, is_filled, own_columns, without_blank
from datorum.core.shape.shape import Found, Shape
from datorum.core.table import ROW

_SHARE_OF_KEYS = 0.92
"""A column that differs in nearly every row tells rows apart, not records."""
_AGREE, _DIFFER = 0.97, 0.2
_FEWEST_GROUPS = 2


class RowsTogether(Shape, frozen=True):
    """``key``: the columns that are alike on all rows of a record. ``below``: they stand on its first row only, with
    blanks below. ``lines``: the columns that go into the list at ``into``."""

    kind: Literal["rows together"] = "rows together"
    key: tuple[str, ...]
    below: bool = False
    lines: tuple[str, ...]
    into: str

    def sentence(self) -> str:
        how = "and those below it without one" if self.below else "wherever they stand"
        return f"Rows with the same {' and '.join(self.key)}, {how}, make one record; the rest goes into {self.into}"

    def apply(self, grains: Grains) -> Grains:
        frame = grains.records
        keys: list[pl.Expr] = [pl.when(is_filled(name)).then(pl.col(name).str.strip_chars()) for name in self.key]
        if self.below:
            keys = [key.forward_fill() for key in keys]
        names = [f"\0key {number}" for number in range(len(keys))]
        frame = frame.with_columns(key.alias(name) for key, name in zip(keys, names, strict=True))
        # A row without a key is a record by itself, as long as anything stands in it.
        alone = pl.any_horizontal(*(pl.col(name).is_null() for name in names))
        frame = frame.with_columns(pl.when(alone).then(pl.col(RECORD)).alias("\0alone"))
        first = pl.col(RECORD).min().over(*names, "\0alone")
        frame = frame.with_columns(first.alias("\0first"))
        places = frame.select(pl.col("\0first").rank("dense").cast(pl.UInt32) - 1).to_series()
        frame = frame.with_columns(places.alias(RECORD)).drop(*names, "\0alone", "\0first")
        of_record = [name for name in own_columns(frame) if name not in self.lines]
        records = (
            frame.group_by(RECORD)
            .agg(pl.col(ROW).min(), *(pl.col(name).filter(is_filled(name)).first() for name in of_record))
            .sort(RECORD)
        )
        lines = without_blank(frame.select(RECORD, ROW, *self.lines), list(self.lines)).sort(
            RECORD, maintain_order=True
        )
        return grains._replace(records=records).with_list(self.into, lines)


def rows_together(frame: pl.DataFrame, into: str) -> Iterator[Found]:
    """The ways in which rows of a sheet belong together, the likeliest first."""
    columns = own_columns(frame)
    texts = frame.select(pl.when(is_filled(name)).then(pl.col(name).str.strip_chars()).alias(name) for name in columns)
    filled = {name: int(texts[name].count()) for name in columns}
    yield from _blank_below(texts, columns, filled, into)
    found = []
    for key in columns:
        distinct = texts[key].drop_nulls().n_unique()
        if filled[key] < 0.9 * texts.height or not _FEWEST_GROUPS <= distinct <= _SHARE_OF_KEYS * filled[key]:
            continue
        agree, differ = _agreeing(texts, key, [name for name in columns if name != key and filled[name]])
        if agree and differ:
            found.append((len(agree), distinct, key, agree, differ))
    if not found:
        return
    most = max(count for count, *_ in found)
    best = [one for one in found if one[0] == most]
    # Of columns that tell the same records apart, the first.
    _, distinct, key, agree, differ = max(best, key=lambda one: (one[1], -columns.index(one[2])))
    shape = RowsTogether(key=(key,), lines=tuple(differ), into=into)
    why = (
        f"{texts.height:,} rows make {distinct:,} records: “{key}” repeats,"
        f" {len(agree):,} columns agree within each, {len(differ):,} differ"
    )
    yield Found(shape=shape, weight=min(0.6 + 0.1 * len(agree), 0.95), reasons=(why,))


def _agreeing(texts: pl.DataFrame, key: str, others: list[str]) -> tuple[list[str], list[str]]:
    """Of other columns those that have one value on nearly all rows with the same key, and those that do not."""
    groups = texts.group_by(key).agg(
        pl.len().alias("\0rows"), *(pl.col(name).drop_nulls().n_unique() for name in others)
    )
    several = groups.filter(pl.col("\0rows") > 1)
    if several.height < _FEWEST_GROUPS:
        return [], []
    same = {name: float((several[name] <= 1).mean() or 0.0) for name in others}  # type: ignore[arg-type]
    # Columns that hardly ever have anything else say nothing of what belongs together.
    varied = {name for name in others if texts[name].drop_nulls().n_unique() > 1}
    agree = [name for name in others if same[name] >= _AGREE]
    differ = [name for name in others if same[name] < _AGREE]
    return (agree, differ) if varied & set(agree) or len(several) >= _DIFFER * groups.height else ([], differ)


def _blank_below(texts: pl.DataFrame, columns: list[str], filled: dict[str, int], into: str) -> Iterator[Found]:
    """Records whose own columns stand on their first rows only."""
    if texts.height < 3:
        return
    heads = {
        name for name in columns
        if texts[name][0] is not None and _FEWEST_GROUPS <= filled[name] <= _SHARE_OF_KEYS * texts.height
    }  # fmt: skip
    lines = [name for name in columns if filled[name] > 0.97 * texts.height]
    for key in columns:
        if key not in heads or not lines:
            continue
        below = texts.filter(pl.col(key).is_null())
        with_it = [name for name in columns if not below[name].count() and filled[name]]
        distinct = texts[key].drop_nulls().n_unique()
        if len(with_it) < 2 or distinct < 0.9 * filled[key]:
            continue
        empty = [name for name in columns if not filled[name]]
        of_lines = tuple(name for name in columns if name not in with_it and name not in empty)
        why = (
            f"{texts.height:,} rows make {filled[key]:,} records:"
            f" {len(with_it):,} columns stand on the first row of each only"
        )
        shape = RowsTogether(key=(key,), below=True, lines=of_lines, into=into)
        yield Found(shape=shape, weight=0.95, reasons=(why,))
        return
