"""The sources of a site, and the sheets of them that an import draws on beside its main one."""

from __future__ import annotations

import datetime as dt
from collections import defaultdict
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import NamedTuple

from pydantic import BaseModel
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from datorum.core.errors import Conflict, NotFound
from datorum.core.table import FileOfSheets
from datorum.stations.at_rest import must_be_at_rest
from datorum.stations.files import opened
from datorum.stations.imports import get_import, open_import
from datorum.stations.sites import get_site
from datorum.store import models
from datorum.store.people import record
from datorum.store.sheets import Progress, draw_on, drawn_on, keep_sheet, no_such_sheet, quietly, sheets_in_roles
from datorum.store.sources import forget_unused, keep_file, original_path


class Drawing(BaseModel):
    """An import that draws on a source: on which sheet, in which role."""

    import_id: int
    name: str
    sheet: str
    role: str


class SourceView(BaseModel):
    """A source: its bytes, the names of the ``sheets`` in it where it has several, and the imports that draw on it."""

    id: int
    name: str
    size: int
    by: str
    at: dt.datetime
    sheets: list[str]
    imports: list[Drawing]


def sources_of(store: Session, site_id: int) -> list[SourceView]:
    """The sources of a site, the latest first. Raises NotFound."""
    get_site(store, site_id)
    sources = list(store.scalars(select(models.Source).where(models.Source.site_id == site_id)))
    sheets: dict[int, dict[str, None]] = defaultdict(dict)
    sizes: dict[int, int] = {}
    of_site = (
        select(models.Original.source_id, models.Original.size, models.StoredSheet.offered)
        .outerjoin(models.StoredSheet, models.StoredSheet.original_id == models.Original.id)
        .where(models.Original.source_id.in_([one.id for one in sources]))
        .order_by(models.Original.id, models.StoredSheet.id)
    )
    for source_id, size, offered in store.execute(of_site):
        sizes[source_id] = size
        sheets[source_id] |= dict.fromkeys(ref["name"] for ref in offered or () if ref["name"])
    drawn = _drawings(store, site_id)
    return [
        SourceView(
            id=one.id, name=one.name, size=sizes.get(one.id, 0), by=one.by, at=one.at,
            sheets=list(sheets[one.id]), imports=drawn[one.id],
        )
        for one in sorted(sources, key=lambda one: -one.id)
    ]  # fmt: skip


def _drawings(store: Session, site_id: int) -> dict[int, list[Drawing]]:
    asked = (
        select(models.Original.source_id, models.Import.id, models.Import.name, models.StoredSheet.dialect,
               models.DrawnSheet.role)
        .join(models.StoredSheet, models.StoredSheet.id == models.DrawnSheet.sheet_id)
        .join(models.Original, models.Original.id == models.StoredSheet.original_id)
        .join(models.Import, models.Import.id == models.DrawnSheet.import_id)
        .where(models.Import.site_id == site_id)
        .order_by(models.Import.id, models.DrawnSheet.role)
    )  # fmt: skip
    found: dict[int, list[Drawing]] = defaultdict(list)
    for source_id, import_id, name, dialect, role in store.execute(asked):
        drawing = Drawing(import_id=import_id, name=name, sheet=dialect.get("sheet") or "", role=role)
        found[source_id].append(drawing)
    return found


class Given(NamedTuple):
    """A file that a source gave, opened."""

    original: models.Original
    file: FileOfSheets


@contextmanager
def given(store: Session, original: models.Original) -> Iterator[Given]:
    """What a source gave, opened for as long as the context lasts. Raises UnreadableFile."""
    with original_path(store, original) as path, opened(path, original.filename) as file:
        yield Given(original, file)


def latest_of(store: Session, site_id: int, source_id: int) -> models.Original:
    """What a source of a site gave last. Raises NotFound."""
    source = store.get(models.Source, source_id)
    if source is None or source.site_id != site_id:
        raise NotFound(f"The site has no source {source_id}.", remedy="Look at its sources.")
    originals = select(models.Original).where(models.Original.source_id == source_id)
    return store.scalars(originals.order_by(models.Original.id.desc()).limit(1)).one()


def read_of(store: Session, given: Given, sheet: str | None, progress: Progress) -> models.StoredSheet:
    """A sheet of what a source gave: as it was read before the same way, or read now. Raises UnreadableFile."""
    dialect = given.file.guess(sheet or "")
    kept = models.StoredSheet
    asked = select(kept).where(kept.original_id == given.original.id, kept.dialect == dialect.model_dump())
    known = store.scalar(asked.order_by(kept.id.desc()).limit(1))
    return known or keep_sheet(store, given.original, given.file, dialect, progress)


def add_file(
    store: Session, by: str, import_id: int, filename: str, path: Path, progress: Progress = quietly
) -> models.StoredSheet:
    """Have records draw on the sheet of a file beside the main one, by the file's name; one of that name goes. Raises
    UnreadableFile."""
    item = _at_rest(store, import_id)
    with opened(path, filename) as file:
        original = keep_file(store, by, item.site_id, filename, path)
        sheet = keep_sheet(store, original, file, file.guess(), progress)
    return _added(store, by, item, sheet, filename)


def add_sheet(
    store: Session,
    by: str,
    import_id: int,
    name: str | None = None,
    source_id: int | None = None,
    progress: Progress = quietly,
) -> models.StoredSheet:
    """Have records draw on a sheet of the import's own source, or of another of its site, beside the main one; the
    first without a ``name``. Raises NotFound and UnreadableFile."""
    item = _at_rest(store, import_id)
    own = drawn_on(store, import_id).original
    original = own if source_id in (None, own.source_id) else latest_of(store, item.site_id, source_id)
    with given(store, original) as source:
        sheet = read_of(store, source, name, progress)
    named = name or sheet.dialect.get("sheet") or ""
    role = f"{named} of {original.filename}" if named and original is not own else named or original.filename
    return _added(store, by, item, sheet, role)


def _at_rest(store: Session, import_id: int) -> models.Import:
    item = get_import(store, import_id)
    must_be_at_rest(store, item)
    return item


def _added(store: Session, by: str, item: models.Import, sheet: models.StoredSheet, role: str) -> models.StoredSheet:
    if not role:
        raise Conflict("The sheet has no name.", remedy="Give the file a name.")
    forget_by_hand(store, item, role)
    draw_on(store, item.id, sheet, role)
    record(store, by, "sheet added", f"import {item.id}", sheet=role, rows=sheet.rows)
    return sheet


def remove_sheet(store: Session, by: str, import_id: int, role: str) -> None:
    """Draw on a sheet no more. Raises NotFound, and Conflict while records draw on it."""
    now = open_import(store, import_id)
    must_be_at_rest(store, now.item)
    if role not in sheets_in_roles(store, import_id):
        raise no_such_sheet(role)
    if any(role in shape.sheets for shape in now.mapping.shape):
        raise Conflict(f"Records draw on “{role}”.", remedy="Have rows make records without it first.")
    kept = models.DrawnSheet
    store.execute(delete(kept).where(kept.import_id == import_id, kept.role == role))
    forget_by_hand(store, now.item, role)
    forget_unused(store, now.item.site_id)
    record(store, by, "sheet removed", f"import {import_id}", sheet=role)


def forget_by_hand(store: Session, item: models.Import, role: str) -> None:
    """What was done by hand to the rows of a sheet goes with it; of the main one that is what was left out and accepted
    as well."""
    cells = models.StoredCorrection
    store.execute(delete(cells).where(cells.import_id == item.id, cells.role == role))
    for kept in (models.LeftOutRow, models.StoredAcceptance) if not role else ():
        store.execute(delete(kept).where(kept.import_id == item.id))
    item.revision += 1
