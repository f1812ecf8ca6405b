"""The rows of held records given back for correction, with the reasons of each, whichever sheet they are of."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.errors import NotReady
from datorum.core.shape.grains import RECORD, SHEET
from datorum.core.table import ROW
from datorum.core.table.held_writer import HeldRow, write_held
from datorum.stations.check import found_records, latest_check, reason
from datorum.stations.imports import Opened, open_import
from datorum.store import models
from datorum.store.records import RecordRows

_Reasons = dict[int, list[str]]
_AT_ONCE = 1_000


def write_held_rows(store: Session, import_id: int, path: Path) -> None:
    """Write the held rows as supplied, with the line of each and every reason, as XLSX or CSV by the path's name.

    Rows of other sheets stand below those of the main one, their columns behind its own. Raises NotReady before a
    check.
    """
    now = open_import(store, import_id)
    result = latest_check(store, import_id)
    if result is None:
        raise NotReady("The rows have not been checked.", remedy="Check them first.")
    roles = _roles(store, result.id, now)
    headers = list(dict.fromkeys(name for role in roles for name in now.sheet_in(role).headers))
    write_held(path, headers, _held(store, now, result.id, headers, roles))


def named_row(role: str, row: int) -> int | str:
    """How a row is called in a file of held rows: by its number, one of another sheet with that sheet."""
    return f"{row} of {role}" if role else row


def _roles(store: Session, check_id: int, now: Opened) -> list[str]:
    """The roles of the sheets with rows that are held, the main one's first."""
    kept = models.StoredFinding
    asked = select(kept.sheet).where(kept.check_id == check_id, kept.blocks, ~kept.accepted).distinct()
    return ["", *sorted(role for role in store.scalars(asked) if role in now.beside)]


def _reasons(store: Session, now: Opened, check_id: int, role: str, rows: pl.Series) -> _Reasons:
    """What holds each of some rows of the sheet in a role, which stand one after the other."""
    kept = models.StoredFinding
    asked = (
        select(kept.row, kept.field, kept.value, kept.message)
        .where(kept.check_id == check_id, kept.blocks, ~kept.accepted, kept.sheet == role)
        .where(kept.row.between(rows[0], rows[-1]))
        .order_by(kept.id)
    )
    reasons: _Reasons = {}
    for row, field, value, message in store.execute(asked):
        reasons.setdefault(row, []).append(reason(now.titles, field, value, message))
    return reasons


def _of_held_records(store: Session, now: Opened, check_id: int) -> dict[int, str]:
    """The rows of the main sheet that are of held records of several rows, whether or not they are sound, and what of
    them holds the record."""
    records = RecordRows(store, now.source())
    found: dict[int, str] = {}
    if any(shape.keys for shape in records.shapes):
        for number in found_records(store, check_id, None, None):
            why = f"belongs to the record of row {number:,}, which is held"
            found |= dict.fromkeys(records.rows_of([number]), why)
    elsewhere = _held_elsewhere(store, check_id)
    for at in range(0, len(elsewhere), _AT_ONCE):
        made = records.of(list(elsewhere)[at : at + _AT_ONCE]).records
        own = made.filter(pl.col(SHEET).is_null()) if SHEET in made.columns else made
        for number, row in own.select(RECORD, ROW).iter_rows():
            found[row] = f"is of one record with row {elsewhere[number]}, which is held"
    return found


def _held_elsewhere(store: Session, check_id: int) -> dict[int, int | str]:
    """The records that rows of other sheets hold, each with the first of these."""
    kept = models.StoredFinding
    asked = (
        select(kept.record, kept.sheet, kept.row)
        .where(kept.check_id == check_id, kept.blocks, ~kept.accepted, kept.sheet != "", kept.record.is_not(None))
        .order_by(kept.id.desc())
    )
    return {number: named_row(sheet, row) for number, sheet, row in store.execute(asked) if number is not None}


def _held(store: Session, now: Opened, check_id: int, headers: list[str], roles: list[str]) -> Iterator[HeldRow]:
    for role in roles:
        own = now.sheet_in(role).headers
        sound = {} if role else _of_held_records(store, now, check_id)
        for frame in now.rows_in(store, role):
            reasons = _reasons(store, now, check_id, role, frame[ROW])
            held = frame.filter(pl.col(ROW).is_in([*reasons, *sound]))
            wanted = held.select(ROW, *(pl.col(name) if name in own else pl.lit("").alias(name) for name in headers))
            for row, *cells in wanted.iter_rows():
                yield named_row(role, row), "; ".join(reasons.get(row) or [sound[row]]), tuple(cells)
