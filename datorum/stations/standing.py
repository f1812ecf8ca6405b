"""What overviews are put together from: read for several imports at once, however many there are."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.stations import work
from datorum.stations.check import latest_checks
from datorum.stations.imports import Opened, open_imports
from datorum.stations.rehearse import latest_plans
from datorum.stations.run import current_runs
from datorum.stations.surroundings import Surroundings, surroundings
from datorum.stations.verify import counts_of_mismatches, latest_verifications
from datorum.store import models


@dataclass(frozen=True)
class Standing:
    """An import with what it has come to at each station, what its site is like around it, and what was done to its
    rows by hand. ``pace``: how many seconds the last run to its site took for a record, where one tells."""

    now: Opened
    around: Surroundings
    check: models.CheckResult | None
    plan: models.Plan | None
    run: models.Run | None
    verification: models.Verification | None
    mismatches: int
    corrected: dict[str, int]
    left_out: int
    accepted: int
    pace: float | None
    under_way: work.Known


def standings(store: Session, imports: Collection[int]) -> dict[int, Standing]:
    """How some imports stand, those that are there."""
    opened = open_imports(store, imports)
    checks, plans = latest_checks(store, opened), latest_plans(store, opened)
    runs = current_runs(store, [plan.id for plan in plans.values()])
    verifications = latest_verifications(store, [run.id for run in runs.values()])
    mismatches = counts_of_mismatches(store, [one.id for one in verifications.values()])
    corrected, left_out, accepted = _by_hand(store, opened)
    under_way = work.of_imports(store, opened)
    sites = {now.item.site_id for now in opened.values()}
    around = {site: surroundings(store, site, _migrations(opened.values(), site)) for site in sites}
    paces = {site: _pace(store, site) for site in sites}

    def standing(number: int, now: Opened) -> Standing:
        plan = plans.get(number)
        run = runs.get(plan.id) if plan else None
        verification = verifications.get(run.id) if run else None
        return Standing(
            now, around[now.item.site_id], checks.get(number), plan, run, verification,
            mismatches.get(verification.id, 0) if verification else 0,
            corrected.get(number, {}), left_out.get(number, 0), accepted.get(number, 0),
            paces[now.item.site_id], under_way,
        )  # fmt: skip

    return {number: standing(number, now) for number, now in opened.items()}


def _migrations(opened: Iterable[Opened], site_id: int) -> set[int | None]:
    return {now.item.migration_id for now in opened if now.item.site_id == site_id}


def _by_hand(
    store: Session, imports: Collection[int]
) -> tuple[dict[int, dict[str, int]], dict[int, int], dict[int, int]]:
    """How many cells of some imports were corrected, by role, how many rows left out, and how many findings
    accepted."""
    cell, row, finding = models.StoredCorrection, models.LeftOutRow, models.StoredAcceptance
    cells = select(cell.import_id, cell.role, func.count()).where(cell.value.is_not(None))
    corrected: dict[int, dict[str, int]] = {}
    for number, role, count in store.execute(
        cells.where(cell.import_id.in_(imports)).group_by(cell.import_id, cell.role)
    ):
        corrected.setdefault(number, {})[role] = count
    rows = select(row.import_id, func.count()).where(row.import_id.in_(imports), row.out).group_by(row.import_id)
    accepted = select(finding.import_id, func.count()).where(finding.import_id.in_(imports))
    return (
        corrected, dict(store.execute(rows).all()),
        dict(store.execute(accepted.group_by(finding.import_id)).all()),
    )  # fmt: skip


def _pace(store: Session, site_id: int) -> float | None:
    """How many seconds the last run to a site that tells a pace took for a record."""
    run, plan, item = models.Run, models.Plan, models.Import
    asked = (
        select(run.done, run.started_at, run.ended_at)
        .join(plan, plan.id == run.plan_id)
        .join(item, item.id == plan.import_id)
        .where(item.site_id == site_id, run.state == "done", run.done >= _TELLS_A_PACE, run.kind != "follow-up")
    )
    last = store.execute(asked.order_by(run.id.desc()).limit(1)).first()
    if last is None or last.started_at is None or last.ended_at is None:
        return None
    took: float = (last.ended_at - last.started_at).total_seconds()
    return took / float(last.done)


_TELLS_A_PACE = 20
