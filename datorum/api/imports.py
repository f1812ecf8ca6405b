"""Imports: made from a file, read, mapped, checked."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, BackgroundTasks, File, Form, Header, Query, Response, UploadFile
from pydantic import BaseModel, Field

from datorum.api.access import Editor, Store, Viewer
from datorum.api.downloads import downloaded
from datorum.api.numbers import Id, Role, RowNumber
from datorum.api.uploads import on_disk
from datorum.core.model import FindingGroup, Policy
from datorum.core.table import Dialect
from datorum.jobs import defer
from datorum.stations import archive, corrections, export, find, held, imports, ledger, listing, read
from datorum.stations import check as checking
from datorum.stations import checking as background
from datorum.stations.find import FoundRow
from datorum.stations.imports import open_import
from datorum.stations.old_addresses import lead_to_records
from datorum.stations.overview import Overview, overview
from datorum.stations.reading import told_progress
from datorum.store.database import looking

router = APIRouter(prefix="/api/imports", tags=["imports"])

Reading = Annotated[str, Header(alias="X-Reading", max_length=80)]
"""A word by which the progress of this reading can be asked for meanwhile, at ``/api/readings``."""


class Name(BaseModel):
    """What an import is called."""

    name: Annotated[str, Field(min_length=1, max_length=120)]


class RowsView(BaseModel):
    """Rows as supplied, from ``first`` on; a cell of null is one that the row does not have."""

    total: int
    first: int
    rows: list[read.SheetRow]


class CheckView(BaseModel):
    rows: int
    ready: int
    held: int
    left_out: int
    warned: int
    seconds: float
    groups: list[FindingGroup]


@router.get("")
def list_imports(store: Store, _: Viewer, archived: bool = False) -> list[listing.Listed]:
    """All imports that are archived, or all that are not, those that were changed last first."""
    return listing.list_imports(store, archived=archived)


@router.post("", status_code=201)
def start_import(
    store: Store,
    by: Editor,
    file: Annotated[UploadFile, File()],
    site_id: Annotated[int, Form(ge=1, le=2**31 - 1)],
    record_type: Annotated[str, Form()],
    like: Annotated[int | None, Form(ge=1, le=2**31 - 1)] = None,
    reading: Reading = "",
) -> Overview:
    """Read a file and suggest a mapping onto a record type of a site, or take mapping and policy of another import that
    it is to be ``like``."""
    with on_disk(file) as path, told_progress(reading, by) as progress:
        item = read.start_import(store, by, site_id, record_type, file.filename or "", path, progress, like)
        lead_to_records(store, [item.id])
    return overview(store, item.id)


class FromSource(BaseModel):
    """A new import from a sheet of a source that the site has already; the first without a name."""

    site_id: Annotated[int, Field(ge=1, le=2**31 - 1)]
    record_type: str
    source_id: Annotated[int, Field(ge=1, le=2**31 - 1)]
    sheet: Annotated[str | None, Field(max_length=1000)] = None
    like: Annotated[int | None, Field(ge=1, le=2**31 - 1)] = None


@router.post("/from-source", status_code=201)
def start_from_source(store: Store, by: Editor, given: FromSource, reading: Reading = "") -> Overview:
    """Begin an import with a sheet of a source that is there already; what was read of it is not read again."""
    with told_progress(reading, by) as progress:
        item = read.start_from_source(
            store, by, given.site_id, given.record_type, given.source_id, given.sheet, progress, given.like
        )
        lead_to_records(store, [item.id])
    return overview(store, item.id)


@router.get("/{import_id}", response_model=Overview)
def get_import(_: Viewer, import_id: Id) -> Response:
    with looking() as store:
        return _written(overview(store, import_id))


def _written(answer: BaseModel) -> Response:
    """An answer as it is sent. What is asked for all the time is worked out and written in one thread, which opens its
    session itself: each handing on from one thread to another waits for its turn."""
    return Response(answer.model_dump_json(), media_type="application/json")


class NewsView(BaseModel):
    """One thing that the site's latest description says otherwise; ``fed``: the mapping feeds that field."""

    field: str
    title: str
    what: str
    fed: bool


@router.get("/{import_id}/description")
def what_is_new(store: Store, _: Viewer, import_id: Id) -> list[NewsView]:
    """What the site says otherwise of these records than the description that the import rests on."""
    news = corrections.what_is_new(store, imports.get_import(store, import_id))
    return [NewsView.model_validate(one, from_attributes=True) for one in news]


@router.post("/{import_id}/description")
def go_on_with_latest(store: Store, by: Editor, import_id: Id) -> Overview:
    """Have the import rest on the site's latest description; feeds of fields that are gone go with them."""
    corrections.go_on_with_latest(store, by, import_id)
    return overview(store, import_id)


@router.patch("/{import_id}")
def rename_import(store: Store, by: Editor, import_id: Id, name: Name) -> Name:
    """Call an import by another name."""
    imports.rename(store, by, import_id, name.name.strip() or name.name)
    return name


@router.delete("/{import_id}", status_code=204)
def remove_import(store: Store, by: Editor, import_id: Id) -> None:
    """Delete an import of which nothing has run; any other is archived, with all that it did on the site."""
    archive.remove_import(store, by, import_id)


@router.delete("/{import_id}/archived")
def take_out_of_archive(store: Store, by: Editor, import_id: Id) -> Overview:
    archive.take_out(store, by, import_id)
    return overview(store, import_id)


@router.put("/{import_id}/policy")
def set_policy(store: Store, by: Editor, import_id: Id, policy: Policy) -> Overview:
    imports.set_policy(store, by, import_id, policy)
    return overview(store, import_id)


@router.get("/{import_id}/rows/found")
def find_rows(
    store: Store,
    _: Viewer,
    import_id: Id,
    text: Annotated[str, Query(max_length=1_000)] = "",
    flag: Annotated[str, Query(max_length=40)] = "",
    sheet: Role = "",
) -> list[FoundRow]:
    """Where in the sheet a text stands or, with ``flag``, the lines that had this fault: 1,000 rows at most."""
    rows = open_import(store, import_id).rows_in(store, sheet)
    return find.rows_with_flag(rows, flag) if flag else find.rows_with_text(rows, text)


@router.get("/{import_id}/rows")
def get_rows(
    store: Store,
    _: Viewer,
    import_id: Id,
    first: Annotated[int, Query(ge=0, le=2**31 - 1)] = 0,
    count: Annotated[int, Query(ge=1, le=500)] = 100,
    number: Annotated[list[RowNumber] | None, Query(max_length=100)] = None,
    sheet: Role = "",
) -> RowsView:
    """Rows of the sheet in a role by their place or, with ``number``, by their numbers."""
    now = open_import(store, import_id)
    rows = read.rows_at(store, now, first, count, sheet) if number is None else read.rows_of(store, now, number, sheet)
    return RowsView(total=now.sheet_in(sheet).rows, first=first, rows=rows)


@router.put("/{import_id}/file")
def read_file(
    store: Store,
    by: Editor,
    import_id: Id,
    file: Annotated[UploadFile, File()],
    sheet: Role = "",
    reading: Reading = "",
) -> Overview:
    """Read another file into the import in the place of the sheet in a role, under the mapping that it has."""
    with on_disk(file) as path, told_progress(reading, by) as progress:
        read.read_file(store, by, import_id, file.filename or "", path, progress, sheet)
    return overview(store, import_id)


@router.put("/{import_id}/dialect")
def set_dialect(
    store: Store, by: Editor, import_id: Id, dialect: Dialect, sheet: Role = "", reading: Reading = ""
) -> Overview:
    """Read the file of the sheet in a role again in another dialect."""
    with told_progress(reading, by) as progress:
        read.read_again(store, by, import_id, dialect, progress, sheet)
    return overview(store, import_id)


@router.post("/{import_id}/lines")
def get_lines(store: Store, _: Viewer, import_id: Id, question: ledger.LinesQuestion) -> ledger.LinesTable:
    """All that the first record of an answer holds in a list."""
    return ledger.lines_of(store, import_id, question)


@router.post("/{import_id}/ledger", response_model=ledger.Ledger)
def get_ledger(_: Viewer, import_id: Id, question: ledger.Question) -> Response:
    with looking() as store:
        return _written(ledger.ledger(store, import_id, question))


@router.post("/{import_id}/check")
def check(store: Store, by: Editor, import_id: Id, after: BackgroundTasks) -> CheckView | None:
    """Hold every row to every rule and keep the findings. A large sheet is left to a worker, and nothing answered
    yet: the import's overview tells how far it is."""
    if background.is_large(store, import_id):
        background.start_checking(store, by, import_id)
        after.add_task(defer, "check", import_id)
        return None
    return CheckView.model_validate(checking.check_import(store, by, import_id), from_attributes=True)


@router.post("/{import_id}/check/stop")
def stop_check(store: Store, by: Editor, import_id: Id) -> Overview:
    """Have a check under way stop; what was checked before stands."""
    background.stop_checking(store, by, import_id)
    return overview(store, import_id)


@router.get("/{import_id}/check")
def get_check(store: Store, _: Viewer, import_id: Id) -> CheckView | None:
    imports.get_import(store, import_id)
    result = checking.latest_check(store, import_id)
    return CheckView.model_validate(result, from_attributes=True) if result else None


@router.get("/{import_id}/sheets.{form}", response_class=Response)
def sheets_as_they_count(store: Store, _: Viewer, import_id: Id, form: Literal["csv", "xlsx"]) -> Response:
    """The sheets that the records stand in, written anew from these: corrected, without what is left out."""
    return downloaded(f"rows-{import_id}.{form}", lambda path: export.write_sheets(store, import_id, path))


@router.get("/{import_id}/held.{form}", response_class=Response)
def held_rows(store: Store, _: Viewer, import_id: Id, form: Literal["csv", "xlsx"]) -> Response:
    """The held rows as supplied, each with its reasons."""
    return downloaded(f"held-rows-{import_id}.{form}", lambda path: held.write_held_rows(store, import_id, path))
