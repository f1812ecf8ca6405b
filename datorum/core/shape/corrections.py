"""Single cells corrected by hand, laid over the sheet as supplied."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

import polars as pl

from datorum.core.table import FLAG, ROW, data_columns

_UNREADABLE = "\N{REPLACEMENT CHARACTER}"


class Correction(NamedTuple):
    """One cell's other value; the row is the line of the file where it begins."""

    row: int
    column: str
    value: str


def corrected(frame: pl.DataFrame, corrections: Iterable[Correction]) -> pl.DataFrame:
    """A sheet frame with the cells of some corrections replaced; those on other rows and columns pass by.

    A row that was flagged for too few cells, or for bytes that do not decode, is sound once its cells are.
    """
    by_column: dict[str, dict[int, str]] = {}
    for one in corrections:
        by_column.setdefault(one.column, {})[one.row] = one.value
    rows = frame[ROW]
    touched: set[int] = set()
    changed = []
    for name in data_columns(frame):
        values = by_column.get(name)
        if not values:
            continue
        at = rows.is_in(list(values)).arg_true()
        if len(at):
            numbers = rows.gather(at).to_list()
            touched.update(numbers)
            changed.append(frame[name].scatter(at, pl.Series([values[row] for row in numbers], dtype=pl.String)))
    if not changed:
        return frame
    return _unflagged(frame.with_columns(changed), touched)


def _unflagged(frame: pl.DataFrame, touched: set[int]) -> pl.DataFrame:
    cells = [pl.col(name) for name in data_columns(frame)]
    whole = ~pl.any_horizontal(cell.is_null() for cell in cells)
    legible = ~pl.any_horizontal(cell.str.contains(_UNREADABLE, literal=True).fill_null(False) for cell in cells)
    settled = ((pl.col(FLAG) == "short") & whole) | ((pl.col(FLAG) == "undecodable") & legible)
    is_settled = settled.fill_null(False) & pl.col(ROW).is_in(list(touched))
    return frame.with_columns(pl.when(~is_settled).then(pl.col(FLAG)).alias(FLAG))
