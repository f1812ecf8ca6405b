"""Background work that was asked for and is not over."""

from __future__ import annotations

from sqlalchemy import select

from datorum.store.database import session
from datorum.store.models import Checking, Plan, Run, Snapshot, Verification


def unfinished() -> list[tuple[str, int]]:
    """The names and numbers of tasks whose work is under way or still to begin."""
    with session() as store:
        plans = store.scalars(select(Plan.id).where(Plan.state == "reading"))
        runs = store.scalars(select(Run.id).where(Run.state.in_(("waiting", "running"))))
        verifications = store.scalars(select(Verification.id).where(Verification.state == "reading"))
        checks = store.scalars(select(Checking.import_id).where(Checking.state != "failed"))
        readings = store.scalars(select(Snapshot.id).where(Snapshot.state == "reading"))
        return [
            *(("check", number) for number in checks),
            *(("rehearse", number) for number in plans),
            *(("run", number) for number in runs),
            *(("snapshot", number) for number in readings),
            *(("verify", number) for number in verifications),
        ]
