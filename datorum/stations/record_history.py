"""What happened to one record: rehearsed, sent, read back, taken back and followed up, in every import of its site."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator

from pydantic import BaseModel
from sqlalchemy import ColumnElement, select
from sqlalchemy.orm import Session

from datorum.core.errors import NotFound
from datorum.core.model import PlanRow
from datorum.stations.imports import get_import
from datorum.store import models, plan_items

_MOST_PLANS = 60
_SENT = {"create": "created", "update": "changed", "delete": "deleted", "follow up": "followed up"}


class Happening(BaseModel):
    """Something that happened to a record: ``mark`` says how it is taken, good, warned, held or same."""

    at: dt.datetime
    by: str
    mark: str
    text: str
    import_id: int
    import_name: str
    filename: str
    row: int | None


class RecordHistory(BaseModel):
    """A record, by its key and where it is on the site, and what happened to it, the first first."""

    key: str | None
    record_id: str | None
    page: str | None
    happened: list[Happening]


def history_of(store: Session, import_id: int, number: int) -> RecordHistory:
    """What happened to the record of a number in an import's sheet. Raises NotFound where no rehearsal knows it."""
    item = get_import(store, import_id)
    plans = _plans(store, item)
    known = [found for plan in plans if plan.import_id == import_id and plan.sheet_id == _latest_sheet(plans, import_id)
             for found in _items(store, plan, models.PlanItem.item == number)]  # fmt: skip
    if not known:
        raise NotFound(f"No rehearsal knows the record of row {number:,}.", remedy="Rehearse first.")
    record_id = next((one.record_id for one, _ in reversed(known) if one.record_id), None)
    happened: list[Happening] = []
    page: str | None = None
    for plan in plans:
        here = plan.import_id == import_id and plan.sheet_id == _latest_sheet(plans, import_id)
        which = models.PlanItem.item == number if here else models.PlanItem.record_id == (record_id or "")
        for one, row in _items(store, plan, which):
            page = one.page or page
            happened += _of_item(store, plan, one, row)
    happened.sort(key=lambda one: one.at)
    return RecordHistory(key=known[-1][1].key, record_id=record_id, page=page, happened=happened)


def _plans(store: Session, item: models.Import) -> list[models.Plan]:
    """The latest plans by which anything may have happened to the records of a type of a site, the first first."""
    plan, of = models.Plan, models.Import
    ran = select(models.Run.plan_id)
    asked = (
        select(plan)
        .join(of, of.id == plan.import_id)
        .where(of.site_id == item.site_id, of.record_type == item.record_type, plan.frozen_at.is_not(None))
        .where(plan.id.in_(ran) | (plan.import_id == item.id))
    )
    return list(reversed(store.scalars(asked.order_by(plan.id.desc()).limit(_MOST_PLANS)).all()))


def _latest_sheet(plans: list[models.Plan], import_id: int) -> int | None:
    """The sheet whose rows are counted in an import now."""
    return next((plan.sheet_id for plan in reversed(plans) if plan.import_id == import_id), None)


def _items(store: Session, plan: models.Plan, which: ColumnElement[bool]) -> list[tuple[models.PlanItem, PlanRow]]:
    kept = models.PlanItem
    found = list(store.scalars(select(kept).where(kept.plan_id == plan.id, kept.record_type == "", which)))
    rows = plan_items.told(store, plan.id, {one.item: one.chunk for one in found})
    return [(one, rows[one.item]) for one in found]


class _Telling:
    """Tells what happened by one plan to the record of a row."""

    def __init__(self, store: Session, plan: models.Plan, row: PlanRow) -> None:
        self._item = get_import(store, plan.import_id)
        self._filename = store.get_one(models.StoredSheet, plan.sheet_id).original.filename
        self._row = row.row

    def __call__(self, at: dt.datetime | None, by: str, mark: str, text: str) -> Happening:
        assert at is not None
        return Happening(at=at, by=by, mark=mark, text=text, import_id=self._item.id, import_name=self._item.name,
                         filename=self._filename, row=self._row)  # fmt: skip


def _of_item(store: Session, plan: models.Plan, one: models.PlanItem, row: PlanRow) -> Iterator[Happening]:
    happening = _Telling(store, plan, row)
    why = f": {row.reason}" if row.reason else ""
    planned = {"main": "Rehearsed", "undo": "Rehearsed to be taken back", "follow-up": "Rehearsed to be followed up"}
    yield happening(plan.frozen_at, plan.created_by, "held" if one.action == "held" else "same",
                    f"{planned[plan.kind]}: {one.action}{why}")  # fmt: skip
    if one.ended_at is None or one.run_id is None:
        return
    run = store.get_one(models.Run, one.run_id)
    called = {"pilot": "In a pilot, ", "undo": "Taken back: "}.get(run.kind, "")
    if one.state == "failed":
        yield happening(one.ended_at, run.started_by, "held", f"{called}refused: {one.message}")
        return
    if one.state not in ("done", "undone"):
        return
    done = f"{called}{_SENT[one.action]}"
    count = len(row.changes)
    fields = f", {count} field{'' if count == 1 else 's'}" if one.action == "update" else ""
    yield happening(one.ended_at, run.started_by, "good", f"{done[0].upper()}{done[1:]}{fields}")
    yield from _read_back(store, run, one, happening)


def _read_back(store: Session, run: models.Run, one: models.PlanItem, happening: _Telling) -> Iterator[Happening]:
    kept, differs = models.Verification, models.StoredMismatch
    asked = select(kept).where(kept.run_id == run.id, kept.ended_at.is_not(None)).order_by(kept.id)
    for verification in store.scalars(asked):
        wrong = store.scalars(
            select(differs.field).where(differs.verification_id == verification.id, differs.item == one.item)
        ).all()
        said = f"Read back: otherwise than sent in {', '.join(wrong)}" if any(wrong) else "Read back: as sent"
        said = "Read back: not as planned" if wrong and not any(wrong) else said
        yield happening(verification.ended_at, run.started_by, "held" if wrong else "good", said)
