"""A sheet's rows as records and what they hold: one frame a grain."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import NamedTuple

import polars as pl

from datorum.core.said import said
from datorum.core.table import FLAG, FLAGS, ROW

ROW_AMISS = said("row", "is not a whole row", "Correct its cells at Read, or leave the row out.")

RECORD = "\0record"
"""The column that says which record a row of any grain is of: the number of the row where it begins, for a record that
no row stands for a number of its own."""
SHEET = "\0sheet"
"""The column that says which other sheet a row of a list comes from; where there is none, or it has nothing, it is the
main one."""
ODD_SCHEMA = {
    RECORD: pl.Int64, ROW: pl.Int64, SHEET: pl.String, "column": pl.String, "rule": pl.String, "value": pl.String,
    "message": pl.String, "blocks": pl.Boolean,
}  # fmt: skip


class Grains(NamedTuple):
    """``records``: a row a record; ``lists``: by the path of a list of objects, a row an object, in order. Each has
    ``RECORD`` and ``ROW``, the row of the sheet that it comes from, beside columns of text, and ``SHEET`` where that is
    not the main one.

    ``sheets``: the other sheets that shapes may draw on, by name. ``odd``: what shapes found amiss, with the columns of
    ``ODD_SCHEMA``; no column where it is the row as a whole.
    """

    records: pl.DataFrame
    lists: Mapping[str, pl.DataFrame] = {}
    sheets: Mapping[str, pl.DataFrame] = {}
    odd: tuple[pl.DataFrame, ...] = ()

    def with_list(self, path: str, frame: pl.DataFrame, but: tuple[str, ...] = ()) -> Grains:
        """The same with a list, and without the columns that went into it."""
        known = self.lists.get(path)
        if known is not None:
            frame = pl.concat([known, frame], how="diagonal").sort(RECORD, maintain_order=True)
        left = self.records.drop([name for name in but if name in self.records.columns])
        return self._replace(records=left, lists={**self.lists, path: frame})

    def without_list(self, path: str, records: pl.DataFrame) -> Grains:
        """The same with the records as they are without a list, which went into their columns."""
        return self._replace(records=records, lists={name: one for name, one in self.lists.items() if name != path})

    def of(self, path: str | None) -> pl.DataFrame:
        """The frame of a list or of the one that it stands in; that of the records where no shape makes one: each has
        one object then."""
        while path:
            if path in self.lists:
                return self.lists[path]
            path = path.rpartition(".")[0]
        return self.records

    def seen_from(self, path: str | None, columns: Collection[str]) -> pl.DataFrame:
        """``of`` a path, with those of some columns that it lacks: what stands in the record beside each object, and of
        objects, the first's beside their record, or all of them where a column is asked for behind its list's path."""
        frame = self.of(path)
        missing = [name for name in columns if name not in frame.columns]
        if not missing or not self.lists:
            return frame
        if frame is not self.records:
            there = [name for name in missing if name in self.records.columns]
            beside = self.records.select(RECORD, *there)
            return frame.join(beside, on=RECORD, how="left", maintain_order="left") if there else frame
        for path, objects in self.lists.items():
            listed = [name for name in missing if name.removeprefix(f"{path}.") in objects.columns
                      and name.startswith(f"{path}.")]  # fmt: skip
            if listed:
                # In a formula of the record they stand for all of its objects.
                of_list = objects.select(
                    RECORD, *(pl.col(name.removeprefix(f"{path}.")).alias(name) for name in listed)
                )
                gathered = of_list.group_by(RECORD, maintain_order=True).agg(pl.col(listed))
                frame = frame.join(gathered, on=RECORD, how="left", maintain_order="left")
            there = [name for name in missing if name in objects.columns and name not in frame.columns]
            if there:
                first = objects.select(RECORD, *there).unique(RECORD, keep="first")
                frame = frame.join(first, on=RECORD, how="left", maintain_order="left")
        return frame

    def filter_records(self, records: pl.Series) -> Grains:
        """Some of the records, with what they hold."""
        wanted = records.implode()
        lists = {path: frame.filter(pl.col(RECORD).is_in(wanted)) for path, frame in self.lists.items()}
        odd = tuple(frame.filter(pl.col(RECORD).is_in(wanted)) for frame in self.odd)
        return self._replace(records=self.records.filter(pl.col(RECORD).is_in(wanted)), lists=lists, odd=odd)


def grains_of(frame: pl.DataFrame, sheets: Mapping[str, pl.DataFrame] | None = None) -> Grains:
    """A sheet frame with a row a record, unless it says which rows are of one."""
    if RECORD not in frame.columns:
        frame = frame.with_columns(pl.col(ROW).alias(RECORD))
    if FLAG not in frame.columns:
        frame = frame.with_columns(pl.lit(None, dtype=pl.String).alias(FLAG))
    return Grains(frame, {}, sheets or {})


def numbers_of(frame: pl.DataFrame) -> pl.Series:
    """Which record each row of a frame is of."""
    return frame[RECORD] if RECORD in frame.columns else frame[ROW]


def own_columns(frame: pl.DataFrame) -> list[str]:
    """The columns of a grain that come from the sheet."""
    return [name for name in frame.columns if name not in (RECORD, ROW, SHEET, FLAG)]


def sheet_column(frame: pl.DataFrame) -> list[str]:
    """``SHEET``, where a grain has it."""
    return [SHEET] if SHEET in frame.columns else []


def is_filled(name: str) -> pl.Expr:
    """Whether a column has more than white space."""
    return pl.col(name).str.strip_chars().fill_null("") != ""


def without_blank(frame: pl.DataFrame, columns: list[str]) -> pl.DataFrame:
    """The rows in which at least one of some columns has something."""
    return frame.filter(pl.any_horizontal(*map(is_filled, columns))) if columns else frame.head(0)


def odd(
    frame: pl.DataFrame, rule: str, says: list[str] | str, *, column: str = "", blocks: bool = True,
    values: pl.Series | None = None,
) -> pl.DataFrame:  # fmt: skip
    """What is amiss in each row of a frame, with the columns of ``ODD_SCHEMA``."""
    height = frame.height
    return pl.DataFrame({
        RECORD: numbers_of(frame), ROW: frame[ROW], SHEET: frame[SHEET] if SHEET in frame.columns else [None] * height,
        "column": [column] * height, "rule": [rule] * height,
        "value": pl.Series([None] * height, dtype=pl.String) if values is None else values,
        "message": [says] * height if isinstance(says, str) else says, "blocks": [blocks] * height,
    }, schema=ODD_SCHEMA)  # fmt: skip


def listed(frame: pl.DataFrame) -> dict[int, list[dict[str, str | None]]]:
    """The objects of a list by the record that they are of, each by its columns."""
    found: dict[int, list[dict[str, str | None]]] = {}
    for number, one in zip(frame[RECORD], frame.select(own_columns(frame)).iter_rows(named=True), strict=True):
        found.setdefault(number, []).append(one)
    return found


def flagged(frame: pl.DataFrame) -> pl.DataFrame:
    """What the reader said of rows as a whole, with the columns of ``ODD_SCHEMA``."""
    found = frame.filter(pl.col(FLAG).is_not_null())
    return odd(found, ROW_AMISS, [FLAGS[flag] for flag in found[FLAG]])
