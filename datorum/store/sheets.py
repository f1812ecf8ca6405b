"""Sheets kept as Parquet chunks beside the untouched original."""

from __future__ import annotations

import hashlib
import io
from functools import lru_cache

import polars as pl
from sqlalchemy import delete, select
from sqlalchemy.orm import Session, undefer

from datorum.core.errors import NotFound
from datorum.core.profile import ColumnProfile, profile
from datorum.core.table import Dialect, Sheet
from datorum.store.models import Chunk, Original, StoredSheet

CHUNK_ROWS = 65_536


def keep_original(session: Session, import_id: int, filename: str, data: bytes) -> Original:
    """Keep a file's bytes as they came."""
    original = Original(
        import_id=import_id,
        filename=filename,
        data=data,
        size=len(data),
        sha256=hashlib.sha256(data).hexdigest(),
    )
    session.add(original)
    session.flush()
    return original


def keep_sheet(session: Session, original: Original, dialect: Dialect, sheet: Sheet) -> StoredSheet:
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
    session.add(stored)
    session.flush()
    for number, first in enumerate(range(0, sheet.height, CHUNK_ROWS)):
        part = sheet.frame.slice(first, CHUNK_ROWS)
        out = io.BytesIO()
        part.write_parquet(out, compression="zstd")
        session.add(Chunk(sheet_id=stored.id, number=number, first=first, rows=part.height, parquet=out.getvalue()))
    session.flush()
    return stored


def latest_sheet(session: Session, import_id: int) -> StoredSheet:
    """The reading that counts. Raises NotFound where nothing was read yet."""
    found = session.scalar(
        select(StoredSheet).where(StoredSheet.import_id == import_id).order_by(StoredSheet.id.desc()).limit(1)
    )
    if found is None:
        raise NotFound("This import has no sheet.", remedy="Read a file into it.")
    return found


def original_bytes(session: Session, original_id: int) -> bytes:
    """The file as it came."""
    original = session.get(Original, original_id, options=[undefer(Original.data)])
    if original is None:
        raise NotFound("The original file is gone.")
    return original.data


def load_frame(session: Session, sheet_id: int) -> pl.DataFrame:
    """All rows of a sheet. Sheets never change once kept, so frames stay in memory for the next question."""
    return _frames(_Key(sheet_id, session))


def load_profiles(session: Session, sheet_id: int) -> dict[str, ColumnProfile]:
    """The profile of each column, by name, in order."""
    kept = session.scalar(select(StoredSheet.profiles).where(StoredSheet.id == sheet_id)) or []
    return {one["name"]: ColumnProfile.model_validate(one) for one in kept}


def drop_older_sheets(session: Session, keep: StoredSheet) -> None:
    """Remove readings of the same original that nothing refers to any more."""
    session.execute(delete(StoredSheet).where(StoredSheet.original_id == keep.original_id, StoredSheet.id != keep.id))


class _Key:
    """A cache key of the sheet's number alone that carries the session along."""

    def __init__(self, sheet_id: int, session: Session) -> None:
        self.sheet_id = sheet_id
        self.session = session

    def __hash__(self) -> int:
        return hash(self.sheet_id)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Key) and other.sheet_id == self.sheet_id


@lru_cache(maxsize=8)
def _frames(key: _Key) -> pl.DataFrame:
    parts = key.session.scalars(select(Chunk.parquet).where(Chunk.sheet_id == key.sheet_id).order_by(Chunk.number))
    return pl.concat([pl.read_parquet(io.BytesIO(part)) for part in parts])
