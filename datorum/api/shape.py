"""How an import's rows make records, the sheets that these draw on, and the links between records."""

from __future__ import annotations

from pathlib import PurePath
from typing import Annotated

from fastapi import APIRouter, File, Header, Query, UploadFile
from pydantic import BaseModel, Field

from datorum.api.access import Editor, Store, Viewer
from datorum.api.numbers import Id
from datorum.api.uploads import on_disk
from datorum.core.model import FieldMapping, Mapping
from datorum.core.shape.kinds import AnyShape
from datorum.stations import link_view, old_addresses, shape, sources
from datorum.stations.imports import open_import
from datorum.stations.overview import Overview, overview
from datorum.stations.reading import told_progress

router = APIRouter(prefix="/api/imports/{import_id}", tags=["records"])
Reading = Annotated[str, Header(alias="X-Reading", max_length=80)]


class ShapeChange(BaseModel):
    """How rows are to make records, one shape after the other; none: each row is one."""

    base_version: int
    shapes: Annotated[tuple[AnyShape, ...], Field(max_length=12)]


class LinkQuestion(BaseModel):
    """A link under a mapping, which need not be saved."""

    field: str
    mapping: Mapping | None = None


class SheetName(BaseModel):
    name: Annotated[str, Field(min_length=1, max_length=1000)]


class SheetOfSource(BaseModel):
    """A sheet of the import's own source, or of another of its site; the first without a name."""

    name: Annotated[str | None, Field(min_length=1, max_length=1000)] = None
    source_id: Annotated[int | None, Field(ge=1, le=2**31 - 1)] = None


@router.get("/shape")
def get_shape(store: Store, _: Viewer, import_id: Id) -> shape.ShapeView:
    return shape.shape_view(store, import_id)


@router.put("/shape")
def set_shape(store: Store, by: Editor, import_id: Id, change: ShapeChange) -> shape.ShapeView:
    """Have rows make records otherwise; what feeds fields stays where its columns do, and is suggested anew
    elsewhere."""
    shape.set_shape(store, by, import_id, change.base_version, change.shapes)
    return shape.shape_view(store, import_id)


@router.get("/records")
def get_records(
    store: Store,
    _: Viewer,
    import_id: Id,
    first: Annotated[int, Query(ge=0, le=2**31 - 1)] = 0,
    count: Annotated[int, Query(ge=1, le=200)] = 50,
) -> shape.RecordsPage:
    """Records as the shape makes them, by their place."""
    return shape.records_page(store, import_id, first, count)


@router.post("/sheets")
def add_sheet(
    store: Store, by: Editor, import_id: Id, file: Annotated[UploadFile, File()], reading: Reading = ""
) -> Overview:
    """Read a sheet of another file beside the main one, for records to draw on."""
    name = PurePath((file.filename or "").replace("\\", "/")).name[:200] or "sheet"
    with on_disk(file) as path, told_progress(reading, by) as progress:
        sources.add_file(store, by, import_id, name, path, progress)
    return overview(store, import_id)


@router.put("/sheets")
def add_sheet_of_source(
    store: Store, by: Editor, import_id: Id, sheet: SheetOfSource, reading: Reading = ""
) -> Overview:
    """Draw on another sheet of the import's own source, or of another source of its site, beside the main one."""
    with told_progress(reading, by) as progress:
        sources.add_sheet(store, by, import_id, sheet.name, sheet.source_id, progress)
    return overview(store, import_id)


@router.post("/sheets/remove")
def remove_sheet(store: Store, by: Editor, import_id: Id, sheet: SheetName) -> Overview:
    sources.remove_sheet(store, by, import_id, sheet.name)
    return overview(store, import_id)


@router.get("/link/made")
def suggest_for_made(store: Store, _: Viewer, import_id: Id, field: str) -> dict[str, FieldMapping]:
    """What could feed the records that a link makes where it finds none."""
    return link_view.suggested_for_made(store, open_import(store, import_id), field)


@router.post("/link")
def inspect_link(store: Store, _: Viewer, import_id: Id, question: LinkQuestion) -> link_view.LinkView:
    """A link as a join: how many references were found where, and what is found nowhere."""
    now = open_import(store, import_id)
    return link_view.inspect_link(store, now, question.field, question.mapping or now.mapping)


@router.post("/addresses")
def inspect_addresses(
    store: Store, _: Viewer, import_id: Id, question: LinkQuestion
) -> old_addresses.AddressesView:  # fmt: skip
    """Old addresses in the texts of a field: where they lead, and what they may lead to."""
    now = open_import(store, import_id)
    return old_addresses.inspect_addresses(store, now, question.field, question.mapping or now.mapping)
