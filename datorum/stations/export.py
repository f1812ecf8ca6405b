"""Records written back as the rows that make them, as they count now: corrected, and without what is left out."""

from __future__ import annotations

from pathlib import Path

import polars as pl
from sqlalchemy.orm import Session

from datorum.core.shape.grains import own_columns
from datorum.core.shape.whole import chosen, undone
from datorum.core.table.sheets_writer import SheetsWriter
from datorum.stations.imports import open_import
from datorum.stations.landings import selection_of
from datorum.store.records import RecordRows


def write_sheets(store: Session, import_id: int, path: Path) -> None:
    """Write the sheets that an import's records stand in as a workbook or, where there is but one, as CSV, by the
    path's name. Rows that are of no record are not among them.

    Raises NotFound, and NotAllowed where a shape cannot write what its records hold.
    """
    now = open_import(store, import_id)
    records, selection = RecordRows(store, now.source()), selection_of(store, now, now.mapping)
    main = now.sheet.dialect.get("sheet") or Path(now.sheet.original.filename).stem
    drawn = [name for shape in records.shapes for name in shape.sheets if name in now.beside]
    with SheetsWriter(path) as writer:
        for frame in records.parts():
            rows = undone(records.shapes, records.made(chosen(records.shapes, frame, selection)))
            writer.add(main, _in_order(rows.records, now.sheet.headers))
            for name in dict.fromkeys(drawn):
                writer.add(name, _in_order(rows.sheets[name], now.beside[name].headers))


def _in_order(frame: pl.DataFrame, headers: list[str]) -> pl.DataFrame:
    """The columns of a sheet as it had them, and behind them those that it had not."""
    own = own_columns(frame)
    return frame.select([name for name in headers if name in own] + [name for name in own if name not in headers])
