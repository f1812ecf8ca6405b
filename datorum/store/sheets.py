"""Sheets kept as Parquet chunks beside the untouched original."""

from __future__ import annotations

import hashlib
import io
from functools import lru_cache

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session, undefer

from datorum.core.errors import NotFound
from datorum.core.profile import ColumnProfile, profile
from datorum.core.table import Dialect, Sheet
from datorum.store.database import session
from datorum.store.models import Chunk, Original, StoredSheet

CHUNK_ROWS = 65_536


def keep_original(store: Session, import_id: int, filename: str, data: bytes) -> Original:
    """Keep a file's bytes as they came."""
    original = Original(
        import_id=import_id,
        filename=filename,
        data=data,
        size=len(data),
        sha256=hashlib.sha256(data).hexdigest(),
    )
    store.add(original)
    store.flush()
    return original


def keep_sheet(store: Session, original: Original, dialect: Dialect, sheet: Sheet) -> StoredSheet:
    """Keep one reading of an original, with the profile of its columns."""
    stored = StoredSheet(
        import_id=original.import_id,
        original_id=original.id,
        dialect=dialect.model_dump(),
        headers=list(sheet.headers),
        notes=list(sheet.notes),
        flags=sheet.flags,
        rows=sheet.height,
        blank_lines=sheet.blank_lines,
        profiles=[column.model_dump(mode="json") for column in profile(sheet.frame).values()],
    )
    store.add(stored)
    store.flush()
    for number, first in enumerate(range(0, sheet.height, CHUNK_ROWS)):
        part = sheet.frame.slice(first, CHUNK_ROWS)
        out = io.BytesIO()
        part.write_parquet(out, compression="zstd")
        store.add(Chunk(sheet_id=stored.id, number=number, first=first, rows=part.height, parquet=out.getvalue()))
    store.flush()
    return stored


def latest_sheet(store: Session, import_id: int) -> StoredSheet:
    """The reading that counts. Raises NotFound where nothing was read yet."""
    found = store.scalar(
        select(StoredSheet).where(StoredSheet.import_id == import_id).order_by(StoredSheet.id.desc()).limit(1)
    )
    if found is None:
        raise NotFound("This import has no sheet.", remedy="Read a file into it.")
    return found


def original_bytes(store: Session, original_id: int) -> bytes:
    """The file as it came."""
    original = store.get(Original, original_id, options=[undefer(Original.data)])
    if original is None:
        raise NotFound("The original file is gone.")
    return original.data


@lru_cache(maxsize=8)
def load_frame(sheet_id: int) -> pl.DataFrame:
    """All rows of a kept sheet. Sheets never change, so frames stay in memory for the next question."""
    with session() as current:
        parts = current.scalars(select(Chunk.parquet).where(Chunk.sheet_id == sheet_id).order_by(Chunk.number))
        return pl.concat([pl.read_parquet(io.BytesIO(part)) for part in parts])


def load_profiles(store: Session, sheet_id: int) -> dict[str, ColumnProfile]:
    """The profile of each column, by name, in order."""
    kept = store.scalar(select(StoredSheet.profiles).where(StoredSheet.id == sheet_id)) or []
    return {one["name"]: ColumnProfile.model_validate(one) for one in kept}
