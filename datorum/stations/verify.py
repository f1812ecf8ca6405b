"""Verify: the site is read back and compared with what was sent, field by field."""

from __future__ import annotations

import datetime as dt
from typing import NamedTuple

from psycopg.types.json import Jsonb
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.core.errors import NotFound, NotReady, error_sentence
from datorum.core.model import Action, Change, PlanRow, SiteRecord
from datorum.core.verify import compare
from datorum.sites.snapshot import read_whole
from datorum.stations.basis import Target
from datorum.stations.imports import get_import
from datorum.stations.run import get_run
from datorum.stations.sites import opened
from datorum.store import models
from datorum.store.bulk import copy_rows
from datorum.store.database import is_away, session
from datorum.store.people import record


def start_verification(store: Session, by: str, run_id: int) -> models.Verification:
    """A verification to be made by ``verify``. Raises NotReady while the run goes on."""
    run = get_run(store, run_id)
    if run.state in ("waiting", "running"):
        raise NotReady("The run is not over.", remedy="Wait for it, or pause it.")
    verification = models.Verification(run_id=run_id, state="reading")
    store.add(verification)
    record(store, by, "verified", f"run {run_id}")
    store.flush()
    return verification


async def verify(verification_id: int) -> None:
    """Read the site back and keep every mismatch; on an error the verification says what happened."""
    try:
        await _verify(verification_id)
    except Exception as error:
        if is_away(error):
            # It is made again when the database is back.
            raise
        with session() as store:
            kept = get_verification(store, verification_id)
            kept.state, kept.error = "failed", error_sentence(error)
        raise


async def _verify(verification_id: int) -> None:
    with session() as store:
        run = get_run(store, get_verification(store, verification_id).run_id)
        target, kept_site = Target.kept(run.plan), get_import(store, run.plan.import_id).site

    def progress(read: int, total: int | None) -> None:
        with session() as store:
            kept = get_verification(store, verification_id)
            kept.records_read, kept.records_on_site = read, total

    found: dict[str, dict[str, SiteRecord]] = {}
    for name, record_type, _ in target.destinations:
        async with opened(kept_site, target.description, record_type.name) as site:
            found[name] = await read_whole(site.read_all, progress)
    with session() as store:
        if get_verification(store, verification_id, lock=True).state != "reading":
            return
        sent = sent_rows(store, run.plan_id)
        mismatches = [
            mismatch
            for name, record_type, _ in target.destinations
            for mismatch in compare(record_type, [row for row in sent if row.record_type == name], found[name])
        ]
        copy_rows(
            store,
            "mismatch",
            ("verification_id", "row", "record_id", "key", "field", "sent", "found"),
            (
                (verification_id, one.row, one.record_id, one.key, one.field, Jsonb(one.sent), Jsonb(one.found))
                for one in mismatches
            ),
        )
        kept = get_verification(store, verification_id)
        kept.state = "done"
        kept.records_read = kept.records_on_site = len(found[""])
        kept.compared = len({row.row for row in sent})
        kept.fields_compared = sum(len(row.changes) for row in sent)
        kept.ended_at = dt.datetime.now(dt.UTC)


def sent_rows(store: Session, plan_id: int) -> list[PlanRow]:
    """The rows of a plan that the site has taken."""
    done = store.scalars(
        select(models.StoredPlanRow)
        .where(models.StoredPlanRow.plan_id == plan_id, models.StoredPlanRow.state == "done")
        .order_by(models.StoredPlanRow.row)
    )
    return [
        PlanRow(
            # What is changed once more is of the row that it changes.
            row=row.row if row.of_row is None else row.of_row,
            action=Action(row.action),
            key=row.key,
            record_id=row.record_id,
            changes={path: Change(**change) for path, change in row.changes.items()},
            record_type=row.record_type,
        )
        for row in done
    ]


def get_verification(store: Session, verification_id: int, *, lock: bool = False) -> models.Verification:
    """Raises NotFound. ``lock`` keeps others from changing it until the transaction ends."""
    found = store.get(models.Verification, verification_id, with_for_update=lock)
    if found is None:
        raise NotFound(f"There is no verification {verification_id}.")
    return found


def latest_verification(store: Session, run_id: int) -> models.Verification | None:
    """The newest verification of a run, if any."""
    return store.scalar(
        select(models.Verification)
        .where(models.Verification.run_id == run_id)
        .order_by(models.Verification.id.desc())
        .limit(1)
    )


class PlaceOnSite(NamedTuple):
    """Of what type the record of a row is, where it is not the import's own, and the page that shows it."""

    record_type: str
    page: str | None


def places_of(store: Session, plan_id: int, rows: set[int]) -> dict[int, PlaceOnSite]:
    """Where the records of some rows of a plan are on the site, by row."""
    kept = models.StoredPlanRow
    wanted = select(kept.row, kept.record_type, kept.page).where(kept.plan_id == plan_id, kept.row.in_(rows))
    return {row: PlaceOnSite(record_type, page) for row, record_type, page in store.execute(wanted)}


def mismatches_of(store: Session, verification_id: int, limit: int = 500) -> list[models.StoredMismatch]:
    """The mismatches in the sheet's order."""
    return list(
        store.scalars(
            select(models.StoredMismatch)
            .where(models.StoredMismatch.verification_id == verification_id)
            .order_by(models.StoredMismatch.row, models.StoredMismatch.field)
            .limit(limit)
        )
    )


def count_mismatches(store: Session, verification_id: int) -> int:
    """How many fields the site holds otherwise than they were sent."""
    counted = select(func.count()).where(models.StoredMismatch.verification_id == verification_id)
    return store.scalar(counted) or 0
