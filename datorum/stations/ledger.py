"""The ledger: the site's fields down the side, records across, two lines in every cell."""

from __future__ import annotations

import random
from dataclasses import dataclass
from functools import partial
from typing import Any, Literal, TypedDict

import polars as pl
from pydantic import BaseModel, Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.check import Checker, as_findings, validate_mapping, with_accepted
from datorum.core.model import Field as SiteField
from datorum.core.model import FieldType, Finding, Mapping, RecordType
from datorum.core.plan import at
from datorum.core.table import ROW
from datorum.stations import find
from datorum.stations.basis import Target
from datorum.stations.check import acceptances, finding_rows, findings_of, latest_check
from datorum.stations.imports import Opened, open_import
from datorum.stations.landings import judged_counts, left_out_rows, scope_of, shown_field, telling_rows, today
from datorum.stations.rehearse import latest_plan
from datorum.stations.remembered import Remembered, state_of
from datorum.stations.run import run_of
from datorum.stations.verify import latest_verification
from datorum.store import models

Station = Literal["map", "check", "rehearse", "verify"]
Records = Literal[
    "first", "telling", "random", "held", "left out", "finding", "action", "mismatched", "search"
]  # fmt: skip
Mark = Literal["", "held", "warned", "same", "changed", "good"]


class Question(BaseModel):
    """Which ledger is wanted.

    ``mapping`` shows one that is not saved yet. ``records``: first, telling, random (with ``seed``), held, left out,
    those of one finding (``field`` and ``rule``), of one action, mismatched, or those that contain ``search``.
    """

    station: Station = "map"
    mapping: Mapping | None = None
    records: Records = "first"
    seed: int = Field(1, ge=0, le=2**31 - 1)
    field: str | None = None
    rule: str | None = None
    action: str | None = None
    search: str = Field("", max_length=1_000)
    offset: int = Field(0, ge=0, le=2**31 - 1)
    count: int = Field(3, ge=1, le=7)


class Cell(BaseModel):
    """Two lines. ``mark`` says what the lower one is, with ``note`` for a person."""

    upper: str | None = None
    lower: str | None = None
    mark: Mark = ""
    note: str = ""


class RecordHead(BaseModel):
    """The head of one record's column."""

    row: int
    label: str
    mark: Mark = ""
    note: str = ""
    page: str | None = None


class Fill(BaseModel):
    """Of all rows or, of a sheet that is not looked at as a ``whole``, of the first: how many land a value that the
    site takes, are held by what the field has, or are blank and may be."""

    landed: int
    held: int
    blank: int
    whole: bool


class Line(BaseModel):
    """One field of the site."""

    path: str
    title: str
    group: str
    hint: str
    is_key: bool
    fill: Fill | None = None
    cells: list[Cell]


class Ledger(BaseModel):
    """``total`` records answer the question; ``records`` are those from ``offset`` on."""

    total: int
    offset: int
    records: list[RecordHead]
    lines: list[Line]


def ledger(store: Session, import_id: int, question: Question) -> Ledger:
    """The ledger of an import at one station. Raises NotFound, or InvalidMapping for a mapping that does not fit."""
    if question.mapping is not None:
        # Of a mapping that is being edited no more is worked out than is shown.
        return _ledger(store, import_id, question)
    state = state_of(store, import_id)
    first = question.offset // _TOGETHER * _TOGETHER
    parts = []
    for offset in range(first, question.offset + question.count, _TOGETHER):
        together = question.model_copy(update={"offset": offset, "count": _TOGETHER})
        work_out = partial(_ledger, store, import_id, together)
        parts.append(_SEEN.get((import_id, together.model_dump_json()), state, work_out))
    return _shown(parts, question.offset - first, question)


_TOGETHER = 126
"""As many records are worked out together: that takes little longer than a few, and others walk on to them."""
_SEEN: Remembered[Ledger] = Remembered(48)


def _shown(parts: list[Ledger], at: int, question: Question) -> Ledger:
    """Of records that were worked out together those that are asked for, from the place ``at``."""
    wanted = slice(at, at + question.count)
    lines = [
        line.model_copy(update={"cells": [cell for one in same for cell in one.cells][wanted]})
        for same in zip(*(part.lines for part in parts), strict=True)
        for line in same[:1]
    ]
    records = [record for part in parts for record in part.records][wanted]
    return Ledger(total=parts[0].total, offset=question.offset, records=records, lines=lines)


def _ledger(store: Session, import_id: int, question: Question) -> Ledger:
    now = open_import(store, import_id)
    if question.mapping is not None:
        validate_mapping(question.mapping, now.record_type)
    mapping = question.mapping or now.mapping
    if question.station in ("rehearse", "verify"):
        return _planned(store, now, question)
    total, shown = _choose(store, now, mapping, question)
    part = now.rows.of(shown)
    view = _MapView(store, now, mapping, part) if question.station == "map" else _CheckView(store, now, part)
    return Ledger(
        total=total,
        offset=question.offset,
        records=view.heads(),
        lines=[
            Line(
                path=field.path,
                title=field.title,
                group=group_of(field, mapping.match_key),
                hint=hint(field),
                is_key=field.path == mapping.match_key,
                fill=_fill(now, mapping, field),
                cells=view.cells(field),
            )
            for field in in_groups(now.record_type, mapping.match_key)
        ],
    )


_GROUPS = ("Key", "Required", "Details", "More")


def group_of(field: SiteField, match_key: str | None) -> str:
    """The part of the ledger that a field stands in."""
    if field.path == match_key:
        return "Key"
    return "Required" if field.required else "More" if "." in field.path else "Details"


def in_groups(record_type: RecordType, match_key: str | None) -> list[SiteField]:
    """The writable fields in the order of the ledger."""
    return sorted(record_type.writable, key=lambda field: _GROUPS.index(group_of(field, match_key)))


def hint(field: SiteField) -> str:
    """A field's type and constraints in a few words."""
    if field.enum:
        return f"one of {len(field.enum)}"
    words = {"email": "e-mail", "uri": "web address"}.get(field.format or "", str(field.type.value))
    if field.unique:
        words += ", unique"
    if field.max_length and field.type is FieldType.TEXT and not field.format:
        words += f", {field.max_length:,} at most"
    elif field.minimum is not None and field.maximum is None:
        words += f", {field.minimum:,.12g} or more"
    return words


def _fill(now: Opened, mapping: Mapping, field: SiteField) -> Fill | None:
    fed = mapping.fields.get(field.path)
    if fed is None or not fed.fed:
        return None
    counts = judged_counts(now, mapping, field, fed)
    return Fill(landed=counts.landed, held=counts.held, blank=counts.blank, whole=now.rows.whole)


def _choose(store: Session, now: Opened, mapping: Mapping, question: Question) -> tuple[int, list[int]]:
    """How many rows answer the question, and the numbers of those that are shown, in order."""
    first, last = question.offset, question.offset + question.count
    match question.records:
        case "first":
            return now.rows.total, now.rows.slice(first, question.count)[ROW].to_list()
        case "telling":
            telling = telling_rows(now, mapping)
            return len(telling), telling[first:last]
        case "random":
            # As many as anybody walks through, the same for one seed, without shuffling a million.
            chance = random.Random(question.seed)  # noqa: S311 (no secret)
            places = chance.sample(range(now.rows.total), min(now.rows.total, find.MOST))
            return len(places), now.rows.number_at(places[first:last])
        case "left out":
            out = left_out_rows(now, mapping)["row"]
            return len(out), out.slice(first, question.count).to_list()
        case "search":
            rows = _found(now, question.search)
        case _:
            rows = _with_findings(store, now, question)
    return len(rows), rows[first:last]


def _with_findings(store: Session, now: Opened, question: Question) -> list[int]:
    result = latest_check(store, now.item.id)
    if result is None or result.sheet_id != now.sheet.id:
        return []
    return finding_rows(store, result.id, question.field, question.rule if question.records == "finding" else None)


def _found(now: Opened, search: str) -> list[int]:
    """The row of that number, or the rows that contain a text in any column."""
    wanted = search.strip()
    if wanted.isdecimal() and now.rows.has(int(wanted)):
        return [int(wanted)]
    return [one.row for one in find.rows_with_text(now.rows, wanted)]


class _MapView:
    """Upper: supplied. Lower: landed, or why it does not land. Whatever the mapping, saved or not."""

    def __init__(self, store: Session, now: Opened, mapping: Mapping, part: pl.DataFrame) -> None:
        self._part = part
        self._mapping = mapping
        # Only what can be said of each row alone: what the whole sheet tells is for Check.
        rows = part[ROW].to_list()
        shown = {field.path: shown_field(now, mapping, field, rows) for field in now.record_type.writable}
        self._landed = {path: one.landed for path, one in shown.items() if one.landed is not None}
        checker = Checker(now.record_type, mapping, today(), scope_of(now, mapping))
        found = [*(one.found for one in shown.values()), *checker.across_fields(part, self._landed)]
        findings = with_accepted(pl.concat(found), acceptances(store, now.item.id))
        self._findings = {(finding.row, finding.field): finding for finding in reversed(_worst_first(findings))}
        self._held = {row for (row, _), finding in self._findings.items() if finding.blocks and not finding.accepted}
        self._left_out = _reasons(now, mapping, part[ROW])
        self._rows: list[int] = rows

    def heads(self) -> list[RecordHead]:
        labels = _labels(self._landed.get(self._mapping.match_key or ""), self._part)
        return [
            RecordHead(row=row, label=label, mark="same", note=self._left_out[row])
            if row in self._left_out
            else RecordHead(row=row, label=label, mark="held" if row in self._held else "")
            for row, label in zip(self._rows, labels, strict=True)
        ]

    def cells(self, field: SiteField) -> list[Cell]:
        landed = self._landed.get(field.path)
        cells = []
        for index, row in enumerate(self._rows):
            finding = self._findings.get((row, field.path))
            supplied = landed.supplied[index] if landed else None
            value = landed.values[index] if landed else None
            cell = Cell(upper=supplied, lower=value, mark="same" if supplied == value else "")
            if finding:
                cell = cell.model_copy(update=_told(finding))
            cells.append(cell)
        return cells


class _CheckView:
    """Upper: landed. Lower: what the last check said."""

    def __init__(self, store: Session, now: Opened, part: pl.DataFrame) -> None:
        self._map = _MapView(store, now, now.mapping, part)
        self._rows: list[int] = part[ROW].to_list()
        result = latest_check(store, now.item.id)
        kept = findings_of(store, result.id, self._rows) if result and result.sheet_id == now.sheet.id else []
        self._kept: dict[tuple[int, str], models.StoredFinding] = {
            (finding.row, finding.field): finding for finding in reversed(kept)
        }
        self._held = {finding.row for finding in kept if finding.blocks and not finding.accepted}

    def heads(self) -> list[RecordHead]:
        return [
            head.model_copy(
                update={
                    "mark": "held" if head.row in self._held else "good",
                    "note": self._kept[head.row, ""].message if (head.row, "") in self._kept else "",
                }
            )
            if head.mark != "same"
            else head
            for head in self._map.heads()
        ]

    def cells(self, field: SiteField) -> list[Cell]:
        cells = []
        for row, cell in zip(self._rows, self._map.cells(field), strict=True):
            finding = self._kept.get((row, field.path))
            if finding is None:
                cells.append(Cell(upper=cell.lower, lower=None, mark="good" if cell.lower is not None else ""))
                continue
            shown = cell.lower if cell.lower is not None else cell.upper
            cells.append(Cell(upper=shown, lower=None, **_told(finding)))
        return cells


def _worst_first(findings: pl.DataFrame) -> list[Finding]:
    return as_findings(findings.sort(["accepted", "blocks"], descending=[False, True], maintain_order=True))


class _Told(TypedDict):
    mark: Mark
    note: str


def _told(finding: Finding | models.StoredFinding) -> _Told:
    """How a cell shows a finding."""
    if finding.accepted:
        return _Told(mark="same", note=f"accepted: {finding.message}")
    return _Told(mark="held" if finding.blocks else "warned", note=finding.message)


def _reasons(now: Opened, mapping: Mapping, rows: pl.Series) -> dict[int, str]:
    """Why some of the rows are left out."""
    out = left_out_rows(now, mapping)
    return dict(out.filter(pl.col("row").is_in(rows.implode())).iter_rows()) if out.height else {}


def _labels(key: Any, part: pl.DataFrame) -> list[str]:
    if key is None:
        return [""] * part.height
    return [value or supplied or "" for value, supplied in zip(key.values, key.supplied, strict=True)]


@dataclass(frozen=True)
class _Mismatched:
    sent: Any
    found: Any


def _planned(store: Session, now: Opened, question: Question) -> Ledger:
    """Rehearse: on the site now, after the run. Verify: sent, found on the site."""
    plan = latest_plan(store, now.item.id)
    if plan is None:
        return Ledger(total=0, offset=0, records=[], lines=[])
    verifying = question.station == "verify"
    target = Target.kept(plan)
    mismatches = _mismatches(store, plan) if verifying else {}
    wanted = select(models.StoredPlanRow).where(models.StoredPlanRow.plan_id == plan.id)
    if verifying:
        wanted = wanted.where(models.StoredPlanRow.state == "done")
    if question.records == "action" and question.action:
        wanted = wanted.where(models.StoredPlanRow.action == question.action)
    if question.records == "finding" and question.field:
        wanted = wanted.where(
            models.StoredPlanRow.action == "update", models.StoredPlanRow.changes.has_key(question.field)
        )
    if question.records == "mismatched":
        wanted = wanted.where(models.StoredPlanRow.row.in_({row for row, _ in mismatches}))
    numbers = list(store.scalars(wanted.with_only_columns(models.StoredPlanRow.row).order_by(models.StoredPlanRow.row)))
    if question.records == "random":
        random.Random(question.seed).shuffle(numbers)  # noqa: S311 (no secret)
    shown = numbers[question.offset : question.offset + question.count]
    by_row = {row.row: row for row in store.scalars(wanted.where(models.StoredPlanRow.row.in_(shown)))}
    rows = [by_row[number] for number in shown]
    cell = _verified_cell if verifying else _rehearsed_cell
    return Ledger(
        total=len(numbers),
        offset=question.offset,
        records=[_plan_head(row, mismatches) for row in rows],
        lines=[
            Line(
                path=field.path,
                title=field.title,
                group=group_of(field, target.match_key),
                hint=hint(field),
                is_key=field.path == target.match_key,
                cells=[cell(row, field, mismatches) for row in rows],
            )
            for field in in_groups(target.record_type, target.match_key)
        ],
    )


def _mismatches(store: Session, plan: models.Plan) -> dict[tuple[int, str], _Mismatched]:
    run = run_of(store, plan.id)
    verification = latest_verification(store, run.id) if run else None
    if verification is None:
        return {}
    kept = store.scalars(select(models.StoredMismatch).where(models.StoredMismatch.verification_id == verification.id))
    return {(one.row, one.field): _Mismatched(one.sent, one.found) for one in kept}


def _plan_head(row: models.StoredPlanRow, mismatches: dict[tuple[int, str], _Mismatched]) -> RecordHead:
    marks: dict[str, Mark] = {"create": "good", "update": "changed", "held": "held", "unchanged": "same"}
    mark = "held" if any(number == row.row for number, _ in mismatches) else marks.get(row.action, "")
    return RecordHead(row=row.row, label=row.key or "", mark=mark, note=row.reason or row.action, page=row.page)


def _rehearsed_cell(row: models.StoredPlanRow, field: SiteField, _: object) -> Cell:
    before = at(row.on_site or {}, field.path)
    change = row.changes.get(field.path)
    if row.action == "held":
        return Cell()
    if change is None:
        return Cell(upper=_text(before), lower=_text(before), mark="same")
    return Cell(upper=_text(before), lower=_text(change["after"]), mark="good" if row.action == "create" else "changed")


def _verified_cell(row: models.StoredPlanRow, field: SiteField, mismatches: dict[tuple[int, str], _Mismatched]) -> Cell:
    change = row.changes.get(field.path)
    if change is None and row.action == "update":
        # Only what changes is sent of a record that is on the site.
        return Cell(lower=_text(at(row.on_site or {}, field.path)), mark="same", note="not sent: the site has it so")
    if change is None:
        return Cell()
    different = mismatches.get((row.row, field.path))
    if (row.row, "") in mismatches:
        return Cell(upper=_text(change["after"]), lower=None, mark="held", note="not found on the site")
    if different:
        return Cell(upper=_text(change["after"]), lower=_text(different.found), mark="held", note="differs")
    return Cell(upper=_text(change["after"]), lower=_text(change["after"]), mark="good")


def _text(value: Any) -> str | None:
    if value is None:
        return None
    if isinstance(value, bool):
        return "true" if value else "false"
    return str(value)
