"""Read: a file becomes a sheet, and a first mapping is suggested."""

from __future__ import annotations

import datetime as dt
from pathlib import Path, PurePath
from typing import Any, NamedTuple

import polars as pl
from pydantic import BaseModel
from sqlalchemy import delete
from sqlalchemy.orm import Session

from datorum.core.errors import Conflict, UnreadableFile
from datorum.core.model import Policy, of_fields
from datorum.core.suggest.shapes import LinkKey, suggest_records
from datorum.core.table import FLAG, FLAGS, ROW, Dialect, FileOfSheets, data_columns
from datorum.sites import keys_of_links
from datorum.stations.at_rest import must_be_at_rest
from datorum.stations.correct import corrections_of
from datorum.stations.descriptions import description_of
from datorum.stations.earlier import chosen_before
from datorum.stations.files import opened
from datorum.stations.imports import Opened, get_import, latest_mapping
from datorum.stations.landings import left_out_by_hand
from datorum.stations.samples import values_held
from datorum.stations.sites import get_site
from datorum.store import models
from datorum.store.people import record
from datorum.store.sheets import (
    Progress,
    keep_original,
    keep_sheet,
    latest_sheet,
    load_profiles,
    original_path,
    quietly,
)


class CorrectedCell(BaseModel):
    """A corrected cell by its place in the row: what was supplied, and who corrected it when."""

    place: int
    supplied: str | None
    by: str
    at: dt.datetime


class SheetRow(NamedTuple):
    """One row as it counts; None is a cell that the row does not have. ``left_out`` says who left it out by hand."""

    row: int
    flag: str
    cells: list[str | None]
    corrected: list[CorrectedCell]
    left_out: str


def start_import(
    store: Session,
    by: str,
    site_id: int,
    record_type: str,
    filename: str,
    path: Path,
    progress: Progress = quietly,
    like: int | None = None,
) -> models.Import:
    """Read a file, keep it, and suggest a mapping onto a record type of a site.

    ``like``: another import of this kind of record, whose mapping and policy this one gets. Raises NotFound, or
    Conflict where that one is of another kind of record.
    """
    site = get_site(store, site_id)
    other = get_import(store, like) if like is not None else None
    if other is not None and other.record_type != record_type:
        raise Conflict(
            f"Import {other.id} is of {other.record_type}, and this one of {record_type}.",
            remedy="Choose an import of the same kind of record.",
        )
    kind = description_of(site).type(record_type).record_type
    filename = _plain_name(filename)
    with opened(path, filename) as file:
        item = models.Import(
            description_id=site.description_id,
            name=kind.title,
            site_id=site_id,
            record_type=record_type,
            policy=other.policy if other is not None else Policy().model_dump(),
            created_by=by,
        )
        store.add(item)
        store.flush()
        original = keep_original(store, item.id, filename, path)
        stored, first = keep_sheet(store, original, file, file.guess(), progress)
        body = _suggested(store, item, stored, first, file)
    store.add(models.MappingVersion(import_id=item.id, version=1, body=body, created_by=by))
    if other is not None:
        # The suggested one stays the first version, to which one can go back.
        body = of_fields(latest_mapping(store, other.id).body, kind)
        store.add(models.MappingVersion(import_id=item.id, version=2, body=body, created_by=by))
    record(store, by, "file read", f"import {item.id}", file=filename, rows=stored.rows)
    store.flush()
    store.refresh(item)
    return item


def read_file(
    store: Session, by: str, import_id: int, filename: str, path: Path, progress: Progress = quietly
) -> models.StoredSheet:
    """Read another file into an import, under the mapping that it has. What was corrected, left out and accepted by
    hand belonged to the rows of the file before, and goes with it."""
    item = get_import(store, import_id)
    must_be_at_rest(store, item)
    filename = _plain_name(filename)
    with opened(path, filename) as file:
        original = keep_original(store, import_id, filename, path)
        stored, _ = keep_sheet(store, original, file, file.guess(), progress)
    for kept in (models.StoredCorrection, models.LeftOutRow, models.StoredAcceptance):
        store.execute(delete(kept).where(kept.import_id == import_id))
    item.revision += 1
    record(store, by, "another file read", f"import {import_id}", file=filename, rows=stored.rows)
    return stored


def _suggested(
    store: Session, item: models.Import, stored: models.StoredSheet, first: pl.DataFrame, file: FileOfSheets
) -> dict[str, Any]:
    """The mapping that is suggested for a sheet, with how its rows make records. Other sheets of the file that records
    draw on are kept beside it."""
    description = description_of(item)
    kind = description.type(item.record_type).record_type
    links = tuple(LinkKey(*one) for one in keys_of_links(description.types, item.record_type))
    known = load_profiles(store, stored.id), chosen_before(store, item), values_held(store, item)
    beside = _first_rows(file, stored.dialect["sheet"]) if len(file.sheets) > 1 else {}
    mapping = suggest_records(kind, first, beside, links, known[1], known[2], known[0]).mapping
    for name in dict.fromkeys(name for shape in mapping.shape for name in shape.sheets):
        keep_sheet(store, stored.original, file, file.guess(name), role=name)
    return mapping.model_dump(mode="json")


_MOST_BESIDE, _ROWS_BESIDE = 12, 65_536


def _first_rows(file: FileOfSheets, sheet: str) -> dict[str, pl.DataFrame]:
    """The first rows of the other sheets of a file, by name, as far as they can be read."""
    found = {}
    for one in [one for one in file.sheets if one.name != sheet][:_MOST_BESIDE]:
        try:
            reading = file.read(file.guess(one.name))
            frames = list(reading)
        except UnreadableFile:
            # It is told where somebody asks for it.
            continue
        if frames and sum(frame.height for frame in frames) <= _ROWS_BESIDE * _MOST_BESIDE:
            found[one.name] = pl.concat([reading.aligned(frame) for frame in frames])
    return found


def _plain_name(filename: str) -> str:
    """A file's name without the folders that some browsers send."""
    return PurePath(filename.replace("\\", "/")).name[:200] or "sheet.csv"


def read_again(
    store: Session, by: str, import_id: int, dialect: Dialect, progress: Progress = quietly
) -> models.StoredSheet:
    """Read the import's file in another dialect. A mapping that nobody has changed is suggested anew; any other stays,
    and columns that are gone feed nothing.

    A dialect that names another sheet of the file has the rest guessed; one that divides the text otherwise, and says
    nothing new of its lines, has the lines of header and footer guessed.
    """
    item = get_import(store, import_id)
    must_be_at_rest(store, item)
    sheet = latest_sheet(store, import_id)
    before = Dialect.model_validate(sheet.dialect)
    if before == dialect:
        return sheet
    with original_path(store, sheet.original) as path, opened(path, sheet.original.filename) as file:
        if dialect.sheet != before.sheet:
            dialect = file.guess(dialect.sheet)
        elif (dialect.header_line, dialect.footer_lines) == (before.header_line, before.footer_lines):
            dialect = file.with_lines(dialect)
        stored, first = keep_sheet(store, sheet.original, file, dialect, progress)
        kept = latest_mapping(store, import_id)
        if kept.version == 1:
            kept.body = _suggested(store, item, stored, first, file)
    record(store, by, "read again", f"import {import_id}", dialect=dialect.model_dump())
    return stored


def rows_at(store: Session, now: Opened, first: int, count: int) -> list[SheetRow]:
    """Rows ``first`` (counted from 0) and on, with their corrections."""
    return _as_rows(store, now, now.rows.slice(max(first, 0), min(count, 500)))


def rows_of(store: Session, now: Opened, numbers: list[int]) -> list[SheetRow]:
    """The rows with these numbers, with their corrections."""
    return _as_rows(store, now, now.rows.of(numbers))


def _as_rows(store: Session, now: Opened, frame: pl.DataFrame) -> list[SheetRow]:
    """A sheet frame's rows."""
    columns = data_columns(frame)
    places = {name: at for at, name in enumerate(columns)}
    by_hand = left_out_by_hand(store, now.item.id)
    corrected: dict[int, list[CorrectedCell]] = {}
    found = [one for one in corrections_of(store, now.item.id, frame[ROW].to_list()) if one.column in places]
    supplied = now.rows.supplied([one.row for one in found]) if found else {}
    for one in found:
        cell = CorrectedCell(
            place=places[one.column], supplied=supplied[one.row][places[one.column]], by=one.by, at=one.at
        )
        corrected.setdefault(one.row, []).append(cell)
    return [
        SheetRow(row, FLAGS.get(flag or "", ""), list(cells), corrected.get(row, []), by_hand.get(row, ""))
        for row, flag, *cells in frame.select(ROW, FLAG, *columns).iter_rows()
    ]
