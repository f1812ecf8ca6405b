"""What differs after a run, grouped by field and by what the site does to values; one that is accepted by name counts
as no difference any more, for this record type of the site."""

from __future__ import annotations

import datetime as dt
from typing import Any

from pydantic import BaseModel
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from datorum.core.errors import NotFound
from datorum.core.verify.tolerance import TOLERANCES
from datorum.stations.basis import Target
from datorum.stations.imports import get_import
from datorum.stations.verify import latest_verification
from datorum.store import models
from datorum.store.accepted import accepted_by_name, accepted_of
from datorum.store.people import record


class DifferGroup(BaseModel):
    """Differences of one field that one rule explains, or none: ``says`` what the site does, as a predicate; one of
    them as an example. An empty ``field``: the records are not there, or still there."""

    field: str
    title: str
    rule: str
    says: str
    records: int
    sent: Any
    found: Any


class Accepted(BaseModel):
    """Something that a site does to a field, and that somebody has accepted."""

    id: int
    field: str
    title: str
    says: str
    by: str
    at: dt.datetime


def groups_of(store: Session, run: models.Run) -> list[DifferGroup]:
    """What the last reading back of a run found otherwise, the commonest first."""
    verification = latest_verification(store, run.id)
    if verification is None:
        return []
    kept, kind = models.StoredMismatch, Target.kept(run.plan).record_type
    first = func.min(kept.id)
    asked = select(kept.field, kept.rule, func.count(), first).where(kept.verification_id == verification.id)
    found = store.execute(asked.group_by(kept.field, kept.rule)).all()
    examples = {one.id: one for one in store.scalars(select(kept).where(kept.id.in_([row[3] for row in found])))}
    titles = {field.path: field.title for field in kind.fields}
    groups = [
        DifferGroup(field=field, title=titles.get(field, field), rule=rule, records=count,
                    says=TOLERANCES[rule].says if rule in TOLERANCES else "", sent=examples[number].sent,
                    found=examples[number].found)
        for field, rule, count, number in found
    ]  # fmt: skip
    return sorted(groups, key=lambda one: (-one.records, one.field, one.rule))


def accept(store: Session, by: str, run: models.Run, field: str, rule: str) -> None:
    """Count what a rule explains of a field as no difference, from now on and in the last reading back. Raises NotFound
    where there is no such difference."""
    verification = latest_verification(store, run.id)
    kept = models.StoredMismatch
    item = get_import(store, run.plan.import_id)
    if verification is None or rule not in TOLERANCES:
        raise NotFound("There is no such difference.", remedy="Look at what differs.")
    gone = store.scalars(
        delete(kept)
        .where(kept.verification_id == verification.id, kept.field == field, kept.rule == rule)
        .returning(kept.id)
    ).all()
    if not gone:
        raise NotFound("There is no such difference.", remedy="Look at what differs.")
    verification.tolerated += len(gone)
    if (field, rule) not in accepted_by_name(store, item):
        store.add(
            models.AcceptedTolerance(site_id=item.site_id, record_type=item.record_type, field=field, rule=rule, by=by)
        )
    record(store, by, "difference accepted", f"import {item.id}", field=field, rule=rule, records=len(gone))
    store.flush()


def list_accepted(store: Session, import_id: int) -> list[Accepted]:
    """What was accepted of an import's records, with who did. Raises NotFound."""
    item = get_import(store, import_id)
    return [
        Accepted(id=one.id, field=one.field, title=one.field, says=TOLERANCES[one.rule].says, by=one.by, at=one.at)
        for one in accepted_of(store, item)
        if one.rule in TOLERANCES
    ]


def take_back(store: Session, by: str, import_id: int, number: int) -> None:
    """Count something as a difference again, from the next reading back on. Raises NotFound."""
    item = get_import(store, import_id)
    found = next((one for one in accepted_of(store, item) if one.id == number), None)
    if found is None:
        raise NotFound("Nothing of that number was accepted.")
    record(store, by, "difference not accepted any more", f"import {import_id}", field=found.field, rule=found.rule)
    store.delete(found)
