"""Read: a file becomes a sheet, and a first mapping is suggested."""

from __future__ import annotations

import datetime as dt
from pathlib import Path, PurePath
from typing import Any, NamedTuple

import polars as pl
from pydantic import BaseModel
from sqlalchemy.orm import Session

from datorum.core.errors import Conflict, UnreadableFile
from datorum.core.model import Mapping, of_fields
from datorum.core.suggest.link_keys import LinkKey
from datorum.core.suggest.shapes import suggest_records
from datorum.core.table import FLAG, FLAGS, ROW, Dialect, FileOfSheets, data_columns
from datorum.sites import keys_of_links
from datorum.stations.at_rest import must_be_at_rest
from datorum.stations.correct import corrections_of
from datorum.stations.descriptions import description_of
from datorum.stations.earlier import chosen_before
from datorum.stations.feeds_of_files import feed_with_files
from datorum.stations.files import opened
from datorum.stations.imports import Opened, first_policy, get_import, latest_mapping
from datorum.stations.landings import left_out_by_hand
from datorum.stations.named_files import keep_files
from datorum.stations.samples import values_held
from datorum.stations.sites import get_site
from datorum.stations.sources import Given, forget_by_hand, given, latest_of, read_of
from datorum.store import models
from datorum.store.contents import Owner
from datorum.store.people import record
from datorum.store.rows import SheetRows
from datorum.store.sheets import (
    Progress,
    draw_on,
    drawn_on,
    first_rows,
    keep_sheet,
    load_profiles,
    quietly,
    sheets_in_roles,
)
from datorum.store.sources import forget_unused, keep_file


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
    """Read a file, keep it as a source of a site, and suggest a mapping onto a record type of it.

    ``like``: another import of this kind of record, whose mapping and policy this one gets. Raises NotFound, or
    Conflict where that one is of another kind of record.
    """
    filename = plain_name(filename)
    _must_be_of(get_site(store, site_id), record_type)
    with opened(path, filename) as file:
        source = Given(keep_file(store, by, site_id, filename, path), file)
        sheet = keep_sheet(store, source.original, file, file.guess(), progress)
        item = begin_import(store, by, site_id, record_type, source, sheet, like)
    if file.attachments:
        keep_files(store, by, Owner(item.id), filename, path)
        feed_with_files(store, item.id)
    return item


def start_from_source(
    store: Session,
    by: str,
    site_id: int,
    record_type: str,
    source_id: int,
    sheet: str | None = None,
    progress: Progress = quietly,
    like: int | None = None,
) -> models.Import:
    """As ``start_import``, from a sheet of a source that the site has already, the first without a name. What was read
    before the same way is not read again."""
    _must_be_of(get_site(store, site_id), record_type)
    with given(store, latest_of(store, site_id, source_id)) as source:
        read = read_of(store, source, sheet, progress)
        return begin_import(store, by, site_id, record_type, source, read, like)


def _must_be_of(site: models.Site, record_type: str) -> None:
    """Raises NotFound before anything is read."""
    description_of(site).type(record_type)


def begin_import(
    store: Session, by: str, site_id: int, record_type: str, source: Given, sheet: models.StoredSheet,
    like: int | None = None,
) -> models.Import:  # fmt: skip
    """An import that draws on a sheet which has been read, with a mapping that is suggested for it or as that of
    another that it is to be ``like``. Raises NotFound and Conflict."""
    site = get_site(store, site_id)
    other = get_import(store, like) if like is not None else None
    if other is not None and other.record_type != record_type:
        raise Conflict(
            f"Import {other.id} is of {other.record_type}, and this one of {record_type}.",
            remedy="Choose an import of the same kind of record.",
        )
    described = description_of(site).type(record_type)
    kind = described.record_type
    item = models.Import(
        description_id=site.description_id,
        name=kind.title,
        site_id=site_id,
        record_type=record_type,
        policy=other.policy if other is not None else first_policy(described).model_dump(),
        created_by=by,
    )
    store.add(item)
    store.flush()
    draw_on(store, item.id, sheet)
    body = _suggested(store, item, sheet, source)
    store.add(models.MappingVersion(import_id=item.id, version=1, body=body, created_by=by))
    if other is not None:
        # The suggested one stays the first version, to which one can go back.
        body = of_fields(latest_mapping(store, other.id).body, kind)
        store.add(models.MappingVersion(import_id=item.id, version=2, body=body, created_by=by))
    feed_with_files(store, item.id)
    record(store, by, "file read", f"import {item.id}", file=source.original.filename, rows=sheet.rows)
    store.flush()
    store.refresh(item)
    return item


def read_file(
    store: Session,
    by: str,
    import_id: int,
    filename: str,
    path: Path,
    progress: Progress = quietly,
    role: str = "",
) -> models.StoredSheet:
    """Read another file into an import in the place of the sheet in a role, under the mapping that it has. What was
    done by hand belonged to the rows of the file before, and goes with it."""
    item = get_import(store, import_id)
    must_be_at_rest(store, item)
    drawn_on(store, import_id, role)
    filename = plain_name(filename)
    with opened(path, filename) as file:
        original = keep_file(store, by, item.site_id, filename, path)
        stored = keep_sheet(store, original, file, file.guess(), progress)
    draw_on(store, import_id, stored, role)
    forget_by_hand(store, item, role)
    forget_unused(store, item.site_id)
    record(store, by, "another file read", f"import {import_id}", file=filename, rows=stored.rows, **_of(role))
    return stored


def _of(role: str) -> dict[str, str]:
    """What the audit log says of a sheet beside the main one."""
    return {"sheet": role} if role else {}


def _suggested(store: Session, item: models.Import, stored: models.StoredSheet, source: Given) -> dict[str, Any]:
    """The mapping that is suggested for a sheet, with how its rows make records. Other sheets of the file that records
    draw on are drawn on as well."""
    file = source.file
    beside = _rows_beside(file, stored.dialect["sheet"]) if len(file.sheets) > 1 else {}
    mapping = _suggestion(store, item, stored, beside)
    for name in dict.fromkeys(name for shape in mapping.shape for name in shape.sheets):
        draw_on(store, item.id, read_of(store, source, name, quietly), name)
    return mapping.model_dump(mode="json")


def suggest_anew(store: Session, item: models.Import) -> Mapping:
    """The mapping that is suggested for an import by all the sheets that it draws on. It is kept in the place of the
    one that was suggested before; who calls sees that nobody has changed that."""
    kept = latest_mapping(store, item.id)
    beside = {role: first_rows(store, sheet) for role, sheet in sheets_in_roles(store, item.id).items()}
    mapping = _suggestion(store, item, drawn_on(store, item.id), beside)
    kept.body = mapping.model_dump(mode="json")
    store.flush()
    return mapping


def _suggestion(
    store: Session, item: models.Import, stored: models.StoredSheet, beside: dict[str, pl.DataFrame]
) -> Mapping:
    description = description_of(item)
    kind = description.type(item.record_type).record_type.without_files
    links = tuple(LinkKey(*one) for one in keys_of_links(description.types, item.record_type))
    known = load_profiles(store, stored.id), chosen_before(store, item), values_held(store, item)
    first = first_rows(store, stored)
    return suggest_records(kind, first, beside, links, known[1], known[2], known[0]).mapping


_MOST_BESIDE, _ROWS_BESIDE = 12, 65_536


def _rows_beside(file: FileOfSheets, sheet: str) -> dict[str, pl.DataFrame]:
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


def plain_name(filename: str) -> str:
    """A file's name without the folders that some browsers send."""
    return PurePath(filename.replace("\\", "/")).name[:200] or "sheet.csv"


def read_again(
    store: Session, by: str, import_id: int, dialect: Dialect, progress: Progress = quietly, role: str = ""
) -> models.StoredSheet:
    """Read the file of the sheet in a role again in another dialect. A mapping that nobody has changed is suggested
    anew; any other stays, and columns that are gone feed nothing.

    A dialect that names another sheet of the file has the rest guessed; one that divides the text otherwise, and says
    nothing new of its lines, has the lines of header and footer guessed.
    """
    item = get_import(store, import_id)
    must_be_at_rest(store, item)
    sheet = drawn_on(store, import_id, role)
    before = Dialect.model_validate(sheet.dialect)
    if before == dialect:
        return sheet
    with given(store, sheet.original) as source:
        file = source.file
        if dialect.sheet != before.sheet:
            dialect = file.guess(dialect.sheet)
        elif (dialect.header_line, dialect.footer_lines) == (before.header_line, before.footer_lines):
            dialect = file.with_lines(dialect)
        stored = keep_sheet(store, source.original, file, dialect, progress)
        draw_on(store, import_id, stored, role)
        kept = latest_mapping(store, import_id)
        if kept.version == 1 and not role:
            kept.body = _suggested(store, item, stored, source)
    record(store, by, "read again", f"import {import_id}", dialect=dialect.model_dump(), **_of(role))
    return stored


def rows_at(store: Session, now: Opened, first: int, count: int, role: str = "") -> list[SheetRow]:
    """Rows ``first`` (counted from 0) and on of the sheet in a role, with their corrections."""
    rows = now.rows_in(store, role)
    return _as_rows(store, now, role, rows, rows.slice(max(first, 0), min(count, 500)))


def rows_of(store: Session, now: Opened, numbers: list[int], role: str = "") -> list[SheetRow]:
    """The rows with these numbers, with their corrections."""
    rows = now.rows_in(store, role)
    return _as_rows(store, now, role, rows, rows.of(numbers))


def _as_rows(store: Session, now: Opened, role: str, rows: SheetRows, frame: pl.DataFrame) -> list[SheetRow]:
    """A sheet frame's rows."""
    columns = data_columns(frame)
    places = {name: at for at, name in enumerate(columns)}
    by_hand = left_out_by_hand(store, now.item.id) if not role else {}
    corrected: dict[int, list[CorrectedCell]] = {}
    found = [one for one in corrections_of(store, now.item.id, frame[ROW].to_list(), role) if one.column in places]
    supplied = rows.supplied([one.row for one in found]) if found else {}
    for one in found:
        cell = CorrectedCell(
            place=places[one.column], supplied=supplied[one.row][places[one.column]], by=one.by, at=one.at
        )
        corrected.setdefault(one.row, []).append(cell)
    return [
        SheetRow(row, FLAGS.get(flag or "", ""), list(cells), corrected.get(row, []), by_hand.get(row, ""))
        for row, flag, *cells in frame.select(ROW, FLAG, *columns).iter_rows()
    ]
