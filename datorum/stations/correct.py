"""Corrections by hand: single cells, whole files of them, and rows left out. All are kept beside the original."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

import polars as pl
from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from datorum.core.errors import InvalidCorrection, Place
from datorum.core.shape import Correction
from datorum.core.shape.grains import RECORD
from datorum.core.table import ROW, data_columns
from datorum.core.table.csv_writer import inert, revived
from datorum.core.table.held_writer import ROW_HEADER, WHY_HEADER
from datorum.stations.files import opened
from datorum.stations.imports import Opened, open_import
from datorum.store import models
from datorum.store.people import record
from datorum.store.records import RecordRows

_LONGEST = 1_000_000
_LOT = 5_000


class Patched(NamedTuple):
    """What a corrected file changed: cells in rows; and the rows of it that are as they were."""

    cells: int
    rows: int
    unchanged: int


def correct_cells(store: Session, by: str, import_id: int, corrections: Sequence[Correction], role: str = "") -> None:
    """Give some cells of the sheet in a role another value. Raises InvalidCorrection where there is no such row or
    column."""
    now = open_import(store, import_id)
    _must_exist(store, now, corrections, role)
    _keep(store, by, now, role, [(one.row, one.column, one.value) for one in corrections])
    for one in corrections[:100]:
        record(store, by, "cell corrected", f"import {import_id}", row=one.row, column=one.column)


def take_back(store: Session, by: str, import_id: int, cells: Sequence[tuple[int, str]], role: str = "") -> None:
    """Give some cells the value again that was supplied."""
    now = open_import(store, import_id)
    now.sheet_in(role)
    _keep(store, by, now, role, [(row, column, None) for row, column in cells])
    for row, column in cells[:100]:
        record(store, by, "correction taken back", f"import {import_id}", row=row, column=column)


def corrections_of(
    store: Session, import_id: int, rows: Sequence[int] | None = None, role: str | None = None
) -> list[models.StoredCorrection]:
    """The corrections that stand, of some rows or of all, of the sheet in a role or of all, in order."""
    kept = models.StoredCorrection
    asked = select(kept).where(kept.import_id == import_id, kept.value.is_not(None))
    asked = asked if rows is None else asked.where(kept.row.in_(rows))
    asked = asked if role is None else asked.where(kept.role == role)
    return list(store.scalars(asked.order_by(kept.role, kept.row, kept.column)))


def leave_out(store: Session, by: str, import_id: int, rows: Sequence[int], *, out: bool = True) -> None:
    """Leave rows out by hand, or take them in again; the row with which a record begins stands for all of it. Raises
    InvalidCorrection where there is no such row."""
    now = open_import(store, import_id)
    known = set(now.rows.of(rows)[ROW])
    missing = [row for row in rows if row not in known]
    if missing and now.mapping.shape:
        # Some records stand in no row of their own.
        made = set(RecordRows(store, now.source()).of(missing).records[RECORD])
        missing = [row for row in missing if row not in made]
    if missing:
        raise _no_row(missing[0])
    _next_revision(now)
    for at in range(0, len(rows), _LOT):
        lot = rows[at : at + _LOT]
        added = insert(models.LeftOutRow).values(
            [{"import_id": import_id, "row": row, "out": out, "revision": now.item.revision, "by": by} for row in lot]
        )
        fresh = {name: added.excluded[name] for name in ("out", "revision", "by")}
        store.execute(added.on_conflict_do_update(index_elements=["import_id", "row"], set_=fresh))
    record(store, by, "rows left out" if out else "rows taken in", f"import {import_id}", rows=list(rows)[:200])


def patch(store: Session, by: str, import_id: int, filename: str, path: Path) -> Patched:
    """Take a corrected file of held rows back: each cell that differs becomes a correction of the row it names.

    Raises UnreadableFile, or InvalidCorrection where the file has no column of row numbers or names a strange one.
    """
    now = open_import(store, import_id)
    cells = rows = unchanged = 0
    with opened(path, filename) as file:
        reading = file.read(file.guess())
        if ROW_HEADER not in reading.headers:
            raise InvalidCorrection(
                f"The file has no column “{ROW_HEADER}”, so its rows cannot be identified.",
                remedy="Correct the file of held rows that was downloaded here, and leave that column as it is.",
                place=Place(file=filename),
            )
        beside = {name for sheet in now.beside.values() for name in sheet.headers}
        known = {*now.sheet.headers, *beside, ROW_HEADER, WHY_HEADER}
        # A CSV made headers inert as it did cells.
        back = {name: revived(name) for name in reading.headers if name not in known and revived(name) in known}
        strange = [name for name in reading.headers if name not in known and name not in back]
        if strange:
            raise InvalidCorrection(
                f"The sheet has no column “{strange[0]}”.",
                remedy="Give the column the name that it had, or take it out of the file.",
                place=Place(file=filename, column=strange[0]),
            )
        for frame in reading:
            frame = frame.rename(back, strict=False)
            for at in range(0, frame.height, _LOT):
                for role, lot in _by_sheet(now, filename, frame.slice(at, _LOT)):
                    changes = _differences(store, now, role, filename, lot)
                    _keep(store, by, now, role, [(one.row, one.column, one.value) for one in changes])
                    cells += len(changes)
                    touched = len({change.row for change in changes})
                    rows += touched
                    unchanged += lot.height - touched
    record(store, by, "rows corrected", f"import {import_id}", file=filename, rows=rows, cells=cells)
    return Patched(cells, rows, unchanged)


_NUMBER = "\0number"


def _by_sheet(now: Opened, filename: str, frame: pl.DataFrame) -> Iterator[tuple[str, pl.DataFrame]]:
    """The rows of a corrected file by the role of the sheet that they are of, each with its number there."""
    named = [_row_named(now, text, filename, line) for line, text in frame.select(ROW, ROW_HEADER).iter_rows()]
    roles = pl.Series("role", [role for role, _ in named], dtype=pl.String)
    numbered = frame.with_columns(pl.Series(_NUMBER, [number for _, number in named], dtype=pl.Int64))
    for role in roles.unique(maintain_order=True):
        yield role, numbered.filter(roles == role)


def _row_named(now: Opened, text: str | None, filename: str, line: int) -> tuple[str, int]:
    """The role of a sheet and the number of a row in it, from what a file of held rows calls it."""
    number, _, role = (text or "").strip().partition(" of ")
    try:
        row = int(number.replace(",", "").strip())
    except ValueError:
        row = -1
    if row < 0 or (role and role not in now.beside):
        raise InvalidCorrection(
            f"“{text or ''}” is no row number.",
            remedy=f"Leave the column “{ROW_HEADER}” as it was downloaded.",
            place=Place(file=filename, row=line, column=ROW_HEADER),
        )
    return role, row


def _differences(store: Session, now: Opened, role: str, filename: str, frame: pl.DataFrame) -> list[Correction]:
    numbers = frame[_NUMBER].to_list()
    present = now.rows_in(store, role).of(numbers)
    missing = set(numbers) - set(present[ROW])
    if missing:
        raise _no_row(min(missing), filename)
    own = now.sheet_in(role).headers
    columns = [name for name in data_columns(frame) if name in own and name not in (ROW_HEADER, WHY_HEADER)]
    found = []
    for number, before, after in zip(
        numbers, present.select(columns).iter_rows(), frame.select(columns).iter_rows(), strict=True
    ):
        for column, old, new in zip(columns, before, after, strict=True):
            # A workbook cannot tell a cell that is missing from one that is blank; a CSV made cells inert.
            if (new or "") not in (old or "", inert(old)):
                found.append(Correction(number, column, revived(new)))
    return found


def _must_exist(store: Session, now: Opened, corrections: Sequence[Correction], role: str) -> None:
    headers = now.sheet_in(role).headers
    known = set(now.rows_in(store, role).of([one.row for one in corrections])[ROW])
    for one in corrections:
        if one.column not in headers:
            raise InvalidCorrection(
                f"The sheet has no column “{one.column}”.",
                remedy="Name a column of the sheet.",
                place=Place(row=one.row, column=one.column),
            )
        if one.row not in known:
            raise _no_row(one.row)
        if len(one.value) > _LONGEST:
            raise InvalidCorrection(
                f"The value has {len(one.value):,} characters; {_LONGEST:,} is the limit.",
                remedy="Correct it in the file, and read that again.",
                place=Place(row=one.row, column=one.column),
            )


def _no_row(row: int, filename: str | None = None) -> InvalidCorrection:
    return InvalidCorrection(
        f"The sheet has no row {row:,}.",
        remedy="A row's number is the line of the file where it begins.",
        place=Place(file=filename, row=row),
    )


def _next_revision(now: Opened) -> None:
    now.item.revision += 1


def _keep(store: Session, by: str, now: Opened, role: str, cells: Iterable[tuple[int, str, str | None]]) -> None:
    _next_revision(now)
    values = [
        {
            "import_id": now.item.id,
            "role": role,
            "row": row,
            "column": column,
            "value": value,
            "revision": now.item.revision,
            "by": by,
        }
        for row, column, value in cells
    ]
    for at in range(0, len(values), _LOT):
        added = insert(models.StoredCorrection).values(values[at : at + _LOT])
        fresh = {name: added.excluded[name] for name in ("value", "revision", "by")}
        store.execute(added.on_conflict_do_update(index_elements=["import_id", "role", "row", "column"], set_=fresh))
