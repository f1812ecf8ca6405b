"""What is done to rows by hand: cells corrected, rows left out, findings accepted, corrected files taken back."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from fastapi import APIRouter, File, Query, UploadFile
from pydantic import BaseModel, Field

from datorum.api.access import Editor, Store, Viewer
from datorum.api.numbers import Id, RowNumber
from datorum.api.uploads import on_disk
from datorum.core.shape import Correction
from datorum.stations import accept, correct
from datorum.stations.check import finding_rows, found_records, latest_check
from datorum.stations.imports import get_import
from datorum.stations.landings import left_out_by_hand
from datorum.stations.overview import Overview, overview

router = APIRouter(prefix="/api/imports/{import_id}", tags=["rows"])
_MOST = 100_000


class CellChange(BaseModel):
    """One cell of the sheet; no value takes its correction back."""

    row: RowNumber
    column: str
    value: str | None


class CellChanges(BaseModel):
    """Changes to cells of the sheet in a role."""

    sheet: str = Field("", max_length=1000)
    cells: list[CellChange] = Field(min_length=1, max_length=_MOST)


class CorrectionView(BaseModel):
    """One correction with who made it and when, and the role of the sheet."""

    role: str
    row: int
    column: str
    value: str
    by: str
    at: dt.datetime


class RowsLeftOut(BaseModel):
    """Rows to be left out, or taken in again: by number, all with the findings of one rule on one field, or ``every``
    one that the last check holds, or that was left out by hand."""

    rows: list[RowNumber] = Field(default_factory=list, max_length=_MOST)
    field: str | None = None
    rule: str | None = None
    every: Literal["held", "left out"] | None = None
    out: bool = True


class RowOfSheet(BaseModel):
    """A row by the role of its sheet and its number."""

    sheet: str
    row: int


class FindingRowsView(BaseModel):
    """Some of the ``total`` rows with one finding."""

    total: int
    rows: list[RowOfSheet]


class AcceptedFinding(BaseModel):
    """The findings of one rule on one field; without rows, all of them for good."""

    field: str
    rule: str
    rows: list[RowNumber] | None = Field(None, max_length=_MOST)


class AcceptanceView(BaseModel):
    field: str
    rule: str
    row: int | None
    by: str
    at: dt.datetime


class PatchView(BaseModel):
    """What a corrected file changed."""

    cells: int
    rows: int
    unchanged: int


@router.put("/cells")
def correct_cells(store: Store, by: Editor, import_id: Id, change: CellChanges) -> Overview:
    """Correct cells, or take corrections back. The original stays as it is."""
    given = [Correction(one.row, one.column, one.value) for one in change.cells if one.value is not None]
    taken = [(one.row, one.column) for one in change.cells if one.value is None]
    if given:
        correct.correct_cells(store, by, import_id, given, change.sheet)
    if taken:
        correct.take_back(store, by, import_id, taken, change.sheet)
    return overview(store, import_id)


@router.get("/corrections")
def get_corrections(store: Store, _: Viewer, import_id: Id) -> list[CorrectionView]:
    found = correct.corrections_of(store, import_id)
    return [CorrectionView.model_validate(one, from_attributes=True) for one in found]


@router.put("/left-out")
def leave_out(store: Store, by: Editor, import_id: Id, change: RowsLeftOut) -> Overview:
    """Leave rows out by hand, or take them in again."""
    rows = set(change.rows)
    if change.rule is not None or change.every == "held":
        checked = latest_check(store, import_id)
        rows.update(found_records(store, checked.id, change.field, change.rule) if checked else ())
    if change.every == "left out":
        rows.update(left_out_by_hand(store, import_id))
    correct.leave_out(store, by, import_id, sorted(rows), out=change.out)
    return overview(store, import_id)


@router.get("/findings/rows")
def get_finding_rows(
    store: Store,
    _: Viewer,
    import_id: Id,
    field: str,
    rule: str,
    first: Annotated[int, Query(ge=0, le=2**31 - 1)] = 0,
    count: Annotated[int, Query(ge=1, le=200)] = 20,
) -> FindingRowsView:
    """The rows with the findings of one rule on one field, in the sheet's order, by number."""
    get_import(store, import_id)
    checked = latest_check(store, import_id)
    rows = finding_rows(store, checked.id, field, rule) if checked else []
    some = [RowOfSheet(sheet=sheet, row=row) for sheet, row in rows[first : first + count]]
    return FindingRowsView(total=len(rows), rows=some)


@router.get("/acceptances")
def get_acceptances(store: Store, _: Viewer, import_id: Id) -> list[AcceptanceView]:
    found = accept.accepted_findings(store, import_id)
    return [AcceptanceView.model_validate(one, from_attributes=True) for one in found]


@router.put("/acceptances")
def accept_finding(store: Store, by: Editor, import_id: Id, finding: AcceptedFinding) -> Overview:
    """Accept findings, in some rows or for good."""
    accept.accept(store, by, import_id, finding.field, finding.rule, finding.rows)
    return overview(store, import_id)


@router.delete("/acceptances")
def take_back_acceptance(store: Store, by: Editor, import_id: Id, field: str, rule: str) -> Overview:
    """Let the findings of one rule on one field count again."""
    accept.take_back_acceptance(store, by, import_id, field, rule)
    return overview(store, import_id)


@router.post("/held")
def patch(store: Store, by: Editor, import_id: Id, file: Annotated[UploadFile, File()]) -> PatchView:
    """Take a corrected file of held rows back: each cell that differs becomes a correction."""
    with on_disk(file) as path:
        done = correct.patch(store, by, import_id, file.filename or "held.csv", path)
    return PatchView(**done._asdict())
