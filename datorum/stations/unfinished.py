"""Background work that was asked for and is not over."""

from __future__ import annotations

from sqlalchemy import select

from datorum.stations.at_rest import UNDER_WAY
from datorum.store.database import session
from datorum.store.models import Checking, Plan, Run, Snapshot, Verification


def unfinished() -> list[tuple[str, int]]:
    """The names and numbers of tasks whose work is under way or still to begin."""
    with session() as store:
        plans = store.scalars(select(Plan.id).where(Plan.state == "reading", Plan.kind == "main"))
        undoing = store.scalars(select(Plan.id).where(Plan.state == "reading", Plan.kind == "undo"))
        verifications = store.scalars(select(Verification.id).where(Verification.state == "reading"))
        checks = store.scalars(select(Checking.import_id).where(Checking.state != "failed"))
        readings = store.scalars(select(Snapshot.id).where(Snapshot.state == "reading"))
        return [
            *(("check", number) for number in checks),
            *(("rehearse", number) for number in plans),
            *(("undo", number) for number in undoing),
            *(("snapshot", number) for number in readings),
            *(("verify", number) for number in verifications),
        ]


def runs_under_way() -> list[int]:
    """The runs that any worker can take part in."""
    with session() as store:
        return list(store.scalars(select(Run.id).where(Run.state.in_(UNDER_WAY)).order_by(Run.id)))
