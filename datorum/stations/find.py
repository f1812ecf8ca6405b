"""Finding rows of a sheet: by a text that stands in them, or by what was wrong with their line when it was read."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import NamedTuple

import polars as pl

from datorum.core.table import FLAG, ROW, data_columns
from datorum.store.rows import SheetRows

MOST = 1_000
"""As many rows are found; who wants more asks for less."""


class FoundRow(NamedTuple):
    """``place``: of the row in the sheet, from 0. ``column``: of the first cell in which the text stands, from 0, or
    none where no cell is meant."""

    place: int
    row: int
    column: int | None


def rows_with_text(rows: SheetRows, text: str) -> list[FoundRow]:
    """The rows in which a text stands, whatever the case; a row's number finds that row too."""
    wanted = text.strip().lower()
    if not wanted:
        return []
    number = int(wanted) if wanted.isascii() and wanted.isdigit() and len(wanted) < 12 else -1

    def matching(frame: pl.DataFrame) -> pl.Expr:
        cells = [
            pl.when(pl.col(name).str.to_lowercase().str.contains(wanted, literal=True)).then(pl.lit(at))
            for at, name in enumerate(data_columns(frame))
        ]
        return pl.coalesce(*cells, pl.when(pl.col(ROW) == number).then(pl.lit(-1)))

    return list(_found(rows, matching))


def rows_with_flag(rows: SheetRows, flag: str) -> list[FoundRow]:
    """The rows whose line had a fault: a name of ``FLAGS``."""
    return list(_found(rows, lambda _: pl.when(pl.col(FLAG) == flag).then(pl.lit(-1))))


def _found(rows: SheetRows, matching: Callable[[pl.DataFrame], pl.Expr]) -> Iterator[FoundRow]:
    """``matching`` gives of a frame the column found in each row: null where none is, -1 where the row itself is."""
    left, first = MOST, 0
    for frame in rows:
        found = (
            frame.with_row_index("place")
            .select(pl.col("place") + first, ROW, matching(frame).alias("column"))
            .filter(pl.col("column").is_not_null())
            .head(left)
        )
        for place, row, column in found.iter_rows():
            yield FoundRow(place, row, None if column < 0 else column)
        left, first = left - found.height, first + frame.height
        if not left:
            return
