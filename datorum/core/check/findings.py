"""Findings as a frame."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import polars as pl

from datorum.core.model import RecordType
from datorum.core.shape.grains import RECORD, SHEET, Grains
from datorum.core.table import ROW

FINDING_SCHEMA = {
    "record": pl.Int64,
    "line": pl.Int32,
    "sheet": pl.String,
    "row": pl.Int64,
    "field": pl.String,
    "rule": pl.String,
    "blocks": pl.Boolean,
    "value": pl.String,
    "message": pl.String,
    "accepted": pl.Boolean,
}


@dataclass(frozen=True, slots=True)
class Where:
    """Places in a sheet, one for each row of a grain: its row, the record that it is of, of what a record holds several
    of, which one of them, from 1 on, 0 for the record's own, and the role of the sheet, where it is not the main
    one."""

    rows: pl.Series
    records: pl.Series
    lines: pl.Series | None = None
    sheets: pl.Series | None = None

    def filter(self, mask: pl.Series) -> Where:
        return self._each(lambda column: column.filter(mask))

    def gather(self, places: Any) -> Where:
        return self._each(lambda column: column.gather(places))

    def _each(self, taken: Callable[[pl.Series], pl.Series]) -> Where:
        lines = None if self.lines is None else taken(self.lines)
        sheets = None if self.sheets is None else taken(self.sheets)
        return Where(taken(self.rows), taken(self.records), lines, sheets)

    def __len__(self) -> int:
        return len(self.rows)


def where_of(frame: pl.DataFrame, *, of_list: bool = False) -> Where:
    """The places of the rows of a grain."""
    rows = frame[ROW]
    sheets = frame[SHEET] if SHEET in frame.columns else None
    if not of_list:
        return Where(rows, frame[RECORD] if RECORD in frame.columns else rows, None, sheets)
    # Those of a record stand together.
    records = frame[RECORD].to_numpy()
    begins = np.flatnonzero(np.diff(records, prepend=records[:1] - 1)) if len(records) else np.zeros(0, dtype=np.int64)
    lengths = np.diff(np.append(begins, len(records)))
    lines = np.arange(len(records)) - np.repeat(begins, lengths) + 1
    return Where(rows, frame[RECORD], pl.Series(lines, dtype=pl.Int32), sheets)


def places(grains: Grains, record_type: RecordType) -> dict[str | None, Where]:
    """Where the rows of each grain stand, by the path of a list; None: the records themselves."""
    own = where_of(grains.records)
    found: dict[str | None, Where] = {None: own}
    for path in record_type.lists:
        frame = grains.of(path)
        if frame is grains.records:
            found[path] = replace(own, lines=pl.repeat(1, len(own), dtype=pl.Int32, eager=True))
        else:
            found[path] = where_of(frame, of_list=True)
    return found


def findings_frame(
    where: Where | pl.Series,
    field: str,
    rule: str,
    values: pl.Series | Sequence[str | None] | None,
    says: pl.Series | Sequence[str] | str,
    *,
    blocks: bool = True,
) -> pl.DataFrame:
    """One finding a place, all of one rule on one field; ``says`` is one predicate for all, or one for each. Rows alone
    are each a record of its own."""
    if isinstance(where, pl.Series):
        where = Where(where, where)
    height = len(where.rows)
    values = [None] * height if values is None else values
    return pl.DataFrame(
        {
            "record": where.records,
            "line": pl.repeat(0, height, dtype=pl.Int32, eager=True) if where.lines is None else where.lines,
            "sheet": pl.repeat("", height, dtype=pl.String, eager=True)
            if where.sheets is None
            else where.sheets.fill_null(""),
            "row": where.rows,
            "field": pl.repeat(field, height, dtype=pl.String, eager=True),
            "rule": pl.repeat(rule, height, dtype=pl.String, eager=True),
            "blocks": pl.repeat(blocks, height, dtype=pl.Boolean, eager=True),
            "value": pl.Series(values, dtype=pl.String),
            "message": pl.repeat(says, height, dtype=pl.String, eager=True) if isinstance(says, str) else list(says),
            "accepted": pl.repeat(False, height, dtype=pl.Boolean, eager=True),
        },
        schema=FINDING_SCHEMA,
    )


def no_findings() -> pl.DataFrame:
    return pl.DataFrame(schema=FINDING_SCHEMA)
