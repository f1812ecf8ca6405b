"""Read: a file becomes a sheet, and a first mapping is suggested."""

from __future__ import annotations

from pathlib import PurePath
from typing import NamedTuple

import polars as pl
from sqlalchemy.orm import Session

from datorum.core.errors import UnreadableFile
from datorum.core.model import Policy
from datorum.core.suggest import suggest
from datorum.core.table import FLAG, FLAGS, ROW, Dialect, data_columns
from datorum.settings import settings
from datorum.stations.files import read_file
from datorum.stations.imports import get_import
from datorum.stations.sites import description_of, get_site
from datorum.store import models
from datorum.store.people import record
from datorum.store.sheets import keep_original, keep_sheet, latest_sheet, load_frame, load_profiles, original_bytes


class SheetRow(NamedTuple):
    """One row as supplied; None is a cell that the row does not have."""

    row: int
    flag: str
    cells: list[str | None]


def start_import(store: Session, by: str, site_id: int, record_type: str, filename: str, data: bytes) -> models.Import:
    """Read a file, keep it, and suggest a mapping onto a record type of a site."""
    site = get_site(store, site_id)
    kind = description_of(site).collection(record_type).record_type
    filename = PurePath(filename.replace("\\", "/")).name[:200] or "sheet.csv"
    if len(data) > settings().upload_bytes:
        raise UnreadableFile(
            f"The file has {len(data):,} bytes; {settings().upload_bytes:,} is the limit.",
            remedy="Split it, or raise DATORUM_UPLOAD_BYTES.",
        )
    dialect, sheet = read_file(filename, data)
    item = models.Import(
        name=kind.title,
        site_id=site_id,
        record_type=record_type,
        policy=Policy().model_dump(),
        created_by=by,
    )
    store.add(item)
    store.flush()
    stored = keep_sheet(store, keep_original(store, item.id, filename, data), dialect, sheet)
    mapping = suggest(kind, sheet.frame, load_profiles(store, stored.id))
    store.add(models.MappingVersion(import_id=item.id, version=1, body=mapping.model_dump(mode="json"), created_by=by))
    record(store, by, "file read", f"import {item.id}", file=filename, rows=sheet.height)
    store.flush()
    store.refresh(item)
    return item


def read_again(store: Session, by: str, import_id: int, dialect: Dialect) -> models.StoredSheet:
    """Read the import's file in another dialect. The mapping stays; columns that are gone feed nothing."""
    get_import(store, import_id)
    before = latest_sheet(store, import_id)
    if before.dialect == dialect.model_dump():
        return before
    _, sheet = read_file(before.original.filename, original_bytes(store, before.original_id), dialect)
    stored = keep_sheet(store, before.original, dialect, sheet)
    record(store, by, "read again", f"import {import_id}", dialect=dialect.model_dump())
    return stored


def sheet_rows(store: Session, import_id: int, first: int, count: int) -> list[SheetRow]:
    """Rows ``first`` (counted from 0) and on, as supplied."""
    frame = load_frame(latest_sheet(store, import_id).id).slice(max(first, 0), min(count, 500))
    return as_rows(frame)


def as_rows(frame: pl.DataFrame) -> list[SheetRow]:
    """A sheet frame's rows."""
    columns = data_columns(frame)
    return [
        SheetRow(row, FLAGS.get(flag or "", ""), list(cells))
        for row, flag, *cells in frame.select(ROW, FLAG, *columns).iter_rows()
    ]
