"""Rows with the same key make one record: what agrees within them is the record's, the rest its list's."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from typing import Annotated, ClassVar, Literal, NamedTuple

import polars as pl
from pydantic import Field

from datorum.core.forms import Menu, asked
from datorum.core.said import said
from datorum.core.shape.grains import (
    RECORD,
    SHEET,
    Grains,
    flagged,
    grains_of,
    is_filled,
    odd,
    own_columns,
    sheet_column,
    without_blank,
)  # fmt: skip
from datorum.core.shape.shape import Found, Numbered, Shape, values_of
from datorum.core.shape.whole import keys_of
from datorum.core.table import FLAG, ROW

DIFFERS = said(
    "differs",
    "differs within a record",
    "Correct the rows, or let the column feed the lines: at Read, see how rows make records.",
)
NO_HEAD = said("no head", "belongs to no record", "Give the row the key of its record, or leave it out.")

_SHARE_OF_KEYS = 0.92
"""A column that differs in nearly every row tells rows apart, not records."""
_AGREE = 0.97
_ROWS_TOLD_APART = 0.6
_FEWEST_GROUPS = 2
_FEW_MEET = 20
_NAMED = 0.97
"""What speaks for rows to be of one record that have the same in what tells records apart by its name."""


class Together(Shape, frozen=True):
    """Rows that are of one record where they have the same in ``key``; ``lines``: the columns that are of each row and
    not of the record."""

    key: Annotated[tuple[str, ...], Field(min_length=1), asked("a record has the same", editor="columns")]
    lines: Annotated[tuple[str, ...], Field(min_length=1), asked("each row adds", editor="columns")]

    def seen_columns(self) -> set[str]:
        return {*self.key, *self.lines}

    def used_columns(self) -> set[str]:
        return set(self.key)

    @property
    def keys(self) -> tuple[str, ...]:
        return self.key

    @property
    def of_rows(self) -> tuple[str, ...]:
        """The columns that may differ within a record."""
        return self.lines

    def numbered(self, frame: pl.DataFrame) -> Numbered:
        keys, _ = keys_of(self, frame, [None] * len(self.key))
        alone = keys[-1].is_not_null()
        named = {f"\0key {number}": series for number, series in enumerate(keys)}
        records = frame.select(ROW).with_columns(**named).select(pl.col(ROW).min().over(*named)).to_series()
        frame = frame.with_columns(records.alias(RECORD))
        headless = frame.filter(alone)
        if FLAG in frame.columns:
            headless = headless.filter(pl.col(FLAG).ne_missing("header again"))
        amiss = [odd(headless, NO_HEAD, f"has no {' and no '.join(self.key)}, so it belongs to no other row")]
        if records.is_sorted():
            first = frame.select(pl.col(RECORD).is_first_distinct()).to_series()
        else:
            frame = frame.sort(RECORD, maintain_order=True)
            first = frame.select(pl.col(RECORD).is_first_distinct()).to_series()
        if FLAG in frame.columns:
            amiss.append(flagged(frame.filter(~first)))
        filled, differ = self._filled(frame, first)
        return Numbered(filled, tuple(part for part in (*amiss, *differ) if part.height))

    def _filled(self, frame: pl.DataFrame, first: pl.Series) -> tuple[pl.DataFrame, list[pl.DataFrame]]:
        """Rows with the first value that their record has in each of its own columns; where others differ is told."""
        places = first.cast(pl.UInt32).cum_sum() - 1
        starts = first.arg_true()
        columns, differ = [], []
        for name in own_columns(frame):
            if name in self.of_rows:
                continue
            cells = frame[name]
            if cells.eq_missing(cells.gather(starts).gather(places)).all():
                # All rows of each record have the same to the letter, as most have.
                continue
            values = values_of(frame, name)
            heads = values.gather(starts)
            if heads.null_count() and values.null_count() < len(values):
                # What stands further down only is the record's as well.
                later = pl.DataFrame({"at": places, "value": values}).drop_nulls().unique("at", keep="first")
                lacking = pl.DataFrame({"at": pl.int_range(len(heads), dtype=pl.UInt32, eager=True)})
                heads = lacking.join(later, on="at", how="left", maintain_order="left")["value"]
            of_record = heads.gather(places)
            other = (values != of_record).fill_null(False)
            if other.any() and name not in self.key:
                says = [f"is “{value}” in the record’s first row" for value in of_record.filter(other)]
                differ.append(odd(frame.filter(other), DIFFERS, says, column=name, values=values.filter(other)))
            # Cells that have it stay as they are.
            columns.append(cells.zip_with((values == of_record).fill_null(False), of_record).alias(name))
        return frame.with_columns(columns), differ


class RowsTogether(Together, frozen=True):
    """``below``: what the rows of a record have the same stands on its first row only, with blanks below. ``lines`` go
    into the list at ``into``."""

    menu: ClassVar[Menu] = Menu("Rows with the same key")
    kind: Literal["rows together"] = "rows together"
    below: Annotated[bool, asked("on its first row only", hint="and those below it are blank there")] = False
    into: Annotated[str, asked("which go into", editor="list")]

    def sentence(self) -> str:
        how = "and those below it without one" if self.below else "wherever they stand"
        return f"Rows with the same {' and '.join(self.key)}, {how}, make one record; the rest goes into {self.into}"

    @property
    def keys_below(self) -> bool:
        return self.below

    def apply(self, grains: Grains) -> Grains:
        frame = grains.records
        of_lines = [name for name in self.lines if name in frame.columns]
        records = frame.drop(of_lines).unique(RECORD, keep="first", maintain_order=True)
        lines = without_blank(frame.select(RECORD, ROW, *sheet_column(frame), *of_lines), of_lines)
        return grains._replace(records=records).with_list(self.into, lines)

    def undo(self, grains: Grains) -> Grains:
        lines = grains.lists[self.into].drop(ROW, SHEET, strict=False)
        rows = grains.records.join(lines, on=RECORD, how="left", maintain_order="left_right")
        if self.below:
            own = own_columns(grains.records)
            first = pl.col(RECORD).is_first_distinct()
            rows = rows.with_columns(pl.when(first).then(pl.col(name)).alias(name) for name in own)
        numbered = rows.drop(RECORD, ROW).with_columns(pl.int_range(2, pl.len() + 2, dtype=pl.Int64).alias(ROW))
        return grains.without_list(self.into, grains_of(numbered).records)


class Named(NamedTuple):
    """Columns by what they are called: ``keys`` as what a site keeps unique, so that rows which have the same there are
    of one record, however few they are; ``lines`` as what the list holds, where too few rows meet to tell."""

    keys: Collection[str] = ()
    lines: Collection[str] = ()


_NO_NAMES = Named()


def rows_together(frame: pl.DataFrame, into: str, named: Named = _NO_NAMES) -> Iterator[Found]:
    """The ways in which rows of a sheet belong together, the likeliest first."""
    columns = own_columns(frame)
    texts = frame.select(pl.when(is_filled(name)).then(pl.col(name).str.strip_chars()).alias(name) for name in columns)
    filled = {name: int(texts[name].count()) for name in columns}
    yield from _blank_below(texts, columns, filled, into)
    found: list[tuple[float, int, _Agreement]] = []
    for key in columns:
        distinct = texts[key].drop_nulls().n_unique()
        most = filled[key] - 1 if key in named.keys else _SHARE_OF_KEYS * filled[key]
        if filled[key] < 0.9 * texts.height or not _FEWEST_GROUPS <= distinct <= most:
            continue
        if key not in named.keys and not _names_something(texts[key]):
            continue
        told = _agreement(texts, key, [name for name in columns if name != key and filled[name]], named)
        if told is not None:
            found.append((told.weight, distinct, told))
    if not found:
        return
    # Of columns that tell the same records apart, the first.
    _, distinct, best = max(found, key=lambda one: (one[0], one[1], -columns.index(one[2].key)))
    shape = RowsTogether(key=(best.key,), lines=best.differ, into=into)
    why = (
        f"{texts.height:,} rows make {distinct:,} records: “{best.key}” repeats,"
        f" {len(best.agree):,} columns agree within each, {len(best.differ):,} differ"
    )
    yield Found(shape=shape, weight=best.weight, reasons=(why,))


_NAMES_NOTHING = (
    r"^\D{0,4}\d{1,3}(?:[ .,'\u00a0]?\d{3})*[.,]\d{1,4}\D{0,4}$"  # an amount
    r"|^\D{0,4}\d+ ?[%€£$]$|^[€£$] ?\d+$"
    r"|^\d{1,4}[./-]\d{1,2}[./-]\d{1,4}(?:[ T].*)?$"  # a day
    r"|^\d{1,2}:\d{2}|^(?i:yes|no|true|false|ja|nei|nein)$"
)


def _names_something(values: pl.Series) -> bool:
    """Whether a column can say which record a row is of: amounts, days and answers say that of none."""
    there = values.drop_nulls()
    amiss = there.str.contains(_NAMES_NOTHING).mean()
    return not isinstance(amiss, float) or amiss < _AMISS


_AMISS = 0.9


class _Agreement(NamedTuple):
    """What other columns are like on rows with the same ``key``; ``weight``: how much it speaks for them to be one
    record, 0 to 1."""

    key: str
    agree: tuple[str, ...]
    differ: tuple[str, ...]
    weight: float


def _agreement(texts: pl.DataFrame, key: str, others: list[str], named: Named) -> _Agreement | None:
    counts = [pl.col(name).count().alias(f"\0count {name}") for name in others]
    groups = texts.group_by(key).agg(*counts, *(pl.col(name).drop_nulls().n_unique() for name in others))
    agree: list[str] = []
    differ: list[str] = []
    telling = 0
    for name in others:
        # Where hardly any two cells meet, they say nothing.
        met = groups.filter(pl.col(f"\0count {name}") > 1)[name]
        same = float((met <= 1).mean() or 0.0) if len(met) else 1.0  # type: ignore[arg-type]
        varies = texts[name].drop_nulls().n_unique() > 1
        # What is the same in all rows agrees everywhere, and says nothing either.
        by_name = (len(met) < _FEW_MEET or not varies) and name in named.lines and key in named.keys
        (agree if same >= _AGREE and not by_name else differ).append(name)
        telling += same >= _AGREE and len(met) >= _FEWEST_GROUPS and varies
    if not differ or not (telling or (key in named.keys and agree)):
        return None
    weight = _NAMED if key in named.keys else 0.5 + 0.45 * telling / (telling + len(differ))
    weight *= _doubted(texts, differ)
    return _Agreement(key, tuple(agree), tuple(differ), weight)


def _doubted(texts: pl.DataFrame, of_lines: list[str] | tuple[str, ...]) -> float:
    """Less than 1 where a column that would be of the lines tells all rows apart: that says that each is a record."""
    for name in of_lines:
        column = texts[name]
        whole = not column.str.contains(r"[.,]").any()
        if column.count() == texts.height == column.n_unique() and whole:
            return _ROWS_TOLD_APART
    return 1.0


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
        # What a record has by itself stands before what it has many of.
        if len(with_it) < 2 or distinct < 0.9 * filled[key] or columns[0] not in with_it:
            continue
        empty = [name for name in columns if not filled[name]]
        of_lines = tuple(name for name in columns if name not in with_it and name not in empty)
        why = (
            f"{texts.height:,} rows make {filled[key]:,} records:"
            f" {len(with_it):,} columns stand on the first row of each only"
        )
        shape = RowsTogether(key=(key,), below=True, lines=of_lines, into=into)
        yield Found(shape=shape, weight=0.95 * _doubted(texts, of_lines), reasons=(why,))
        return
