"""Sheets kept as Parquet chunks beside the untouched original."""

from __future__ import annotations

import hashlib
import io
import tempfile
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path

import polars as pl
from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from datorum.core.errors import NotFound
from datorum.core.in_order import in_order
from datorum.core.profile import ColumnProfile, Profiler
from datorum.core.table import ROW, Dialect, FileOfSheets
from datorum.store.models import Chunk, Original, OriginalPart, StoredSheet

_PART = 4 * 1024 * 1024


def keep_original(store: Session, import_id: int, filename: str, path: Path) -> Original:
    """Keep a file's bytes as they came, a part at a time."""
    original = Original(import_id=import_id, filename=filename, size=0, sha256="")
    store.add(original)
    store.flush()
    digest = hashlib.sha256()
    with path.open("rb") as file:
        for number, data in enumerate(iter(lambda: file.read(_PART), b"")):
            digest.update(data)
            original.size += len(data)
            store.execute(insert(OriginalPart).values(original_id=original.id, number=number, data=data))
    original.sha256 = digest.hexdigest()
    store.flush()
    return original


@contextmanager
def original_path(store: Session, original: Original) -> Iterator[Path]:
    """The file as it came, on disk for as long as the context lasts."""
    parts = select(OriginalPart.data).where(OriginalPart.original_id == original.id).order_by(OriginalPart.number)
    with tempfile.NamedTemporaryFile(prefix="datorum-") as file:
        for data in store.scalars(parts.execution_options(yield_per=1)):
            file.write(data)
        file.flush()
        yield Path(file.name)


Progress = Callable[[int, float | None], None]
"""Called with the rows that are kept, and the share of the file, 0 to 1, where that is known."""


def quietly(_rows: int, _share: float | None) -> None:
    """Progress that nobody asks for."""


def keep_sheet(
    store: Session,
    original: Original,
    opened: FileOfSheets,
    dialect: Dialect,
    progress: Progress = quietly,
    role: str = "",
) -> tuple[StoredSheet, pl.DataFrame]:
    """Read a sheet and keep it in a role, with the profile of its columns; its first rows are given back as well."""
    confidence = opened.confidence(dialect)
    reading = opened.read(dialect)
    stored = StoredSheet(
        import_id=original.import_id,
        original_id=original.id,
        role=role,
        dialect=dialect.model_dump(),
        headers=[],
        notes=[],
        flags={},
        rows=0,
        blank_lines=0,
        profiles=[],
        offered=[ref.model_dump() for ref in opened.sheets],
        attachments=list(opened.attachments),
        confidence=confidence,
    )
    store.add(stored)
    store.flush()
    profiler = Profiler()
    first = None

    def packed(frame: pl.DataFrame) -> tuple[pl.DataFrame, bytes]:
        profiler.add(frame)
        return frame, _parquet(frame)

    rows = 0
    # One at a time, in order, while the next is read.
    for number, (frame, data) in enumerate(in_order(packed, _without_crumbs(reading), at_once=1)):
        first = frame if first is None else first
        _keep_chunk(store, stored.id, number, rows, frame[ROW], data)
        rows += frame.height
        progress(rows, reading.share)
    stored.headers = list(reading.headers)
    stored.notes = list(reading.notes)
    stored.flags = dict(reading.flags)
    stored.rows = reading.rows
    stored.blank_lines = reading.blank_lines
    stored.profiles = [column.model_dump(mode="json") for column in profiler.finish(reading.headers).values()]
    store.flush()
    assert first is not None
    return stored, reading.aligned(first)


_CRUMB, _CHUNK = 4_096, 65_536


def _without_crumbs(frames: Iterable[pl.DataFrame]) -> Iterator[pl.DataFrame]:
    """The frames, a few rows that come by themselves joined to those before: a short sheet is one chunk."""
    before: pl.DataFrame | None = None
    for frame in frames:
        if before is not None and frame.height <= _CRUMB and before.height < _CHUNK:
            frame = pl.concat([before, frame], how="diagonal")
        elif before is not None:
            yield before
        before = frame
    if before is not None:
        yield before


def _parquet(frame: pl.DataFrame) -> bytes:
    out = io.BytesIO()
    frame.write_parquet(out, compression="zstd", compression_level=1, statistics=False)
    return out.getvalue()


def _keep_chunk(store: Session, sheet_id: int, number: int, first: int, rows: pl.Series, parquet: bytes) -> None:
    place = {"first": first, "rows": len(rows), "first_row": rows[0], "last_row": rows[-1]}
    store.execute(insert(Chunk).values(sheet_id=sheet_id, number=number, parquet=parquet, **place))


def latest_sheet(store: Session, import_id: int) -> StoredSheet:
    """The reading that counts. Raises NotFound where nothing was read yet."""
    found = store.scalar(
        select(StoredSheet)
        .where(StoredSheet.import_id == import_id, StoredSheet.role == "")
        .order_by(StoredSheet.id.desc())
        .limit(1)
    )
    if found is None:
        raise NotFound("This import has no sheet.", remedy="Read a file into it.")
    return found


def sheets_in_roles(store: Session, import_id: int) -> dict[str, StoredSheet]:
    """The sheets beside the main one, the latest of each role, by role."""
    kept = select(StoredSheet).where(StoredSheet.import_id == import_id, StoredSheet.role != "")
    return {sheet.role: sheet for sheet in store.scalars(kept.order_by(StoredSheet.id))}


def load_profiles(store: Session, sheet_id: int) -> dict[str, ColumnProfile]:
    """The profile of each column, by name, in order."""
    kept = store.scalar(select(StoredSheet.profiles).where(StoredSheet.id == sheet_id)) or []
    return {one["name"]: ColumnProfile.model_validate(one) for one in kept}
