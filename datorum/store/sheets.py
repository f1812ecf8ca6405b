"""Sheets kept as Parquet chunks beside the untouched original, and which of them an import draws on."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator

import polars as pl
from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from datorum.core.errors import NotFound
from datorum.core.in_order import in_order
from datorum.core.profile import ColumnProfile, Profiler
from datorum.core.table import ROW, Dialect, FileOfSheets, aligned
from datorum.core.table.packed import packed, unpacked
from datorum.core.table.sheet import PackedFrame
from datorum.store.among import among
from datorum.store.models import Chunk, DrawnSheet, Original, StoredSheet

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
) -> StoredSheet:
    """Read a sheet and keep it, with the profile of its columns."""
    confidence = opened.confidence(dialect)
    reading = opened.read(dialect)
    stored = StoredSheet(
        original_id=original.id,
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

    def profiled(part: PackedFrame) -> tuple[pl.DataFrame, bytes]:
        frame, data = part
        profiler.add(frame)
        return frame, packed(frame) if data is None else data

    rows = 0
    # One at a time, in order, while the next is read.
    for number, (frame, data) in enumerate(in_order(profiled, _without_crumbs(reading.packed()), at_once=1)):
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
    return stored


def first_rows(store: Session, sheet: StoredSheet) -> pl.DataFrame:
    """The first rows of a sheet as they were read, be it in this very session."""
    data = store.scalars(select(Chunk.parquet).where(Chunk.sheet_id == sheet.id, Chunk.number == 0)).one()
    return aligned(unpacked(data), sheet.headers)


_CRUMB, _CHUNK = 4_096, 65_536


def _without_crumbs(parts: Iterable[PackedFrame]) -> Iterator[PackedFrame]:
    """The frames, a few rows that come by themselves joined to those before: a short sheet is one chunk."""
    before: PackedFrame | None = None
    for part in parts:
        if before is not None and part.frame.height <= _CRUMB and before.frame.height < _CHUNK:
            part = PackedFrame(pl.concat([before.frame, part.frame], how="diagonal"))
        elif before is not None:
            yield before
        before = part
    if before is not None:
        yield before


def _keep_chunk(store: Session, sheet_id: int, number: int, first: int, rows: pl.Series, parquet: bytes) -> None:
    place = {"first": first, "rows": len(rows), "first_row": rows[0], "last_row": rows[-1]}
    store.execute(insert(Chunk).values(sheet_id=sheet_id, number=number, parquet=parquet, **place))


def draw_on(store: Session, import_id: int, sheet: StoredSheet, role: str = "") -> None:
    """Have an import draw on a sheet in a role, in the place of any other."""
    store.merge(DrawnSheet(import_id=import_id, role=role, sheet_id=sheet.id))
    store.flush()


def drawn_on(store: Session, import_id: int, role: str = "") -> StoredSheet:
    """The sheet on which an import draws in a role, its main one without. Raises NotFound."""
    found = sheets_drawn_on(store, [import_id]).get(import_id, {})
    if role not in found:
        raise no_such_sheet(role)
    return found[role]


def no_such_sheet(role: str) -> NotFound:
    """The error for a role in which an import draws on nothing."""
    if role:
        return NotFound(f"There is no sheet “{role}” beside the main one.", remedy="Look at the list of sheets.")
    return NotFound("This import has no sheet.", remedy="Read a file into it.")


def sheets_in_roles(store: Session, import_id: int) -> dict[str, StoredSheet]:
    """The sheets beside the main one, by role."""
    return {role: sheet for role, sheet in sheets_drawn_on(store, [import_id]).get(import_id, {}).items() if role}


def sheets_drawn_on(store: Session, imports: Collection[int]) -> dict[int, dict[str, StoredSheet]]:
    """The sheets on which some imports draw, by role, the main one under none."""
    asked = select(DrawnSheet.import_id, DrawnSheet.role, StoredSheet)
    asked = asked.join(StoredSheet, StoredSheet.id == DrawnSheet.sheet_id).order_by(DrawnSheet.role)
    found: dict[int, dict[str, StoredSheet]] = {}
    for number, role, sheet in store.execute(asked.where(among(DrawnSheet.import_id, imports))):
        found.setdefault(number, {})[role] = sheet
    return found


def load_profiles(store: Session, sheet_id: int) -> dict[str, ColumnProfile]:
    """The profile of each column, by name, in order."""
    kept = store.scalar(select(StoredSheet.profiles).where(StoredSheet.id == sheet_id)) or []
    return {one["name"]: ColumnProfile.model_validate(one) for one in kept}
