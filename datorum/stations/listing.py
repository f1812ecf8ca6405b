"""The list of imports: of each how far it has come, what it found, and who changed it last."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from typing import Any, Literal

from pydantic import BaseModel
from sqlalchemy import Select, func, select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from datorum.stations.work import OPEN
from datorum.store import models

State = Literal[
    "read", "mapped", "checking", "checked", "rehearsing", "rehearsed", "running", "paused", "ended", "carried out",
    "reading back", "differs", "verified",
]  # fmt: skip


class Listed(BaseModel):
    """One import. The counts are those of what it has come to: rows ready and held by the last check, records sent and
    refused by the last run, fields that differ."""

    id: int
    name: str
    site_id: int
    site: str
    record_type: str
    filename: str
    rows: int
    state: State
    ready: int | None = None
    held: int | None = None
    sent: int | None = None
    refused: int | None = None
    differ: int | None = None
    created_by: str
    created_at: dt.datetime
    changed_by: str
    changed_at: dt.datetime
    has_run: bool
    """Whether anything of it has reached the site: then it is archived, and not deleted."""


def list_imports(store: Session, *, archived: bool = False) -> list[Listed]:
    """All imports that are archived, or all that are not, those that were changed last first."""
    kept = models.Import.archived_at.is_not(None) if archived else models.Import.archived_at.is_(None)
    items = list(store.scalars(select(models.Import).where(kept)))
    found = _Found(store, [item.id for item in items])
    return sorted((_listed(item, found) for item in items), key=lambda one: (one.changed_at, one.id), reverse=True)


class _Found:
    """What there is of some imports, the latest of each kind: one query a kind, however many they are."""

    def __init__(self, store: Session, ids: Sequence[int]) -> None:
        drawn, version, check = models.DrawnSheet, models.MappingVersion, models.CheckResult
        plan, run, verification = models.Plan, models.Run, models.Verification
        sheets = select(drawn.import_id, models.StoredSheet).join(models.StoredSheet)
        self.sheets = dict(store.execute(sheets.where(drawn.import_id.in_(ids), drawn.role == "")).all())
        self.checks = {one.import_id: one for one in store.scalars(_latest(select(check), check, ids))}
        main = select(plan).where(plan.kind == "main")
        self.plans = {one.import_id: one for one in store.scalars(_latest(main, plan, ids))}
        versions = select(version.import_id, func.max(version.version)).where(version.import_id.in_(ids))
        self.versions = dict(store.execute(versions.group_by(version.import_id)).all())
        work = models.Work
        under_way = select(work.import_id).where(work.kind == "check", work.import_id.in_(ids), work.state.in_(OPEN))
        self.checking = set(store.scalars(under_way))
        ran = (
            select(plan.import_id, run)
            .join(run, run.plan_id == plan.id)
            .where(plan.import_id.in_(ids), run.kind != "follow-up")
        )
        # Those that come later take the place of those before.
        self.runs = dict(store.execute(ran.order_by(run.id)).all())
        proven = select(verification.run_id, verification).where(
            verification.run_id.in_([one.id for one in self.runs.values()])
        )
        self.proofs = dict(store.execute(proven.order_by(verification.id)).all())
        mismatch = models.StoredMismatch
        differ = (
            select(mismatch.verification_id, func.count())
            .where(mismatch.verification_id.in_([one.id for one in self.proofs.values()]))
            .group_by(mismatch.verification_id)
        )
        self.differ = dict(store.execute(differ).all())
        entry = models.AuditEntry
        subjects = {f"import {number}": number for number in ids}
        changed = (
            select(entry.subject, entry.person, entry.at)
            .where(entry.subject.in_(subjects))
            .ext(distinct_on(entry.subject))
            .order_by(entry.subject, entry.id.desc())
        )
        self.changed = {subjects[subject]: (person, at) for subject, person, at in store.execute(changed)}


def _latest(asked: Select[Any], of: type[models.CheckResult | models.Plan], ids: Sequence[int]) -> Select[Any]:
    """Of each import the last row of a kind."""
    return asked.where(of.import_id.in_(ids)).ext(distinct_on(of.import_id)).order_by(of.import_id, of.id.desc())


def _listed(item: models.Import, found: _Found) -> Listed:
    sheet, check, run = found.sheets[item.id], found.checks.get(item.id), found.runs.get(item.id)
    proof = found.proofs.get(run.id) if run is not None else None
    differ = found.differ.get(proof.id, 0) if proof is not None and proof.state == "done" else None
    changed_by, changed_at = found.changed.get(item.id, (item.created_by, item.created_at))
    return Listed(
        id=item.id,
        name=item.name,
        site_id=item.site_id,
        site=item.site.name,
        record_type=item.record_type,
        filename=sheet.original.filename,
        rows=sheet.rows,
        state=_state(item, found, differ),
        ready=check.ready if check else None,
        held=check.held if check else None,
        sent=run.done if run else None,
        refused=run.failed if run else None,
        differ=differ,
        created_by=item.created_by,
        created_at=item.created_at,
        changed_by=changed_by,
        changed_at=changed_at,
        has_run=run is not None,
    )


def _state(item: models.Import, found: _Found, differ: int | None) -> State:
    """How far an import has come. What was done anew after a run counts for more than the run."""
    plan, run = found.plans.get(item.id), found.runs.get(item.id)
    if run is not None and plan is not None and run.plan_id == plan.id:
        return _state_of_run(run, found.proofs.get(run.id), differ)
    if item.id in found.checking:
        return "checking"
    if plan is not None and plan.state in ("reading", "ready"):
        return "rehearsing" if plan.state == "reading" else "rehearsed"
    if item.id in found.checks:
        return "checked"
    return "mapped" if found.versions.get(item.id, 1) > 1 else "read"


def _state_of_run(run: models.Run, proof: models.Verification | None, differ: int | None) -> State:
    match run.state:
        case "waiting" | "running":
            return "running"
        case "paused" | "failed":
            return "paused"
    if proof is not None and proof.state in ("reading", "done"):
        if differ is None:
            return "reading back"
        return "differs" if differ else "verified"
    return "ended" if run.state == "ended" else "carried out"
