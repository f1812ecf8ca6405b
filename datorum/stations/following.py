"""A follow-up carried out: what is done for each record."""

from __future__ import annotations

from collections.abc import AsyncIterator, Awaitable, Callable, Mapping
from contextlib import asynccontextmanager

from datorum.core.model import Change, FollowUp, PlanRow, SendMail
from datorum.mail import Letter, mail_server
from datorum.sites import Answer
from datorum.stations.basis import Target
from datorum.stations.sites import opened, pace_of
from datorum.store import models

TO, SUBJECT, TEXT = "to", "subject", "text"
"""What a plan keeps of a mail."""


def asked_for(plan: models.Plan) -> FollowUp:
    """What the plan of a follow-up does."""
    return FollowUp.model_validate(plan.basis["follow_up"])


Follow = Callable[[PlanRow, str], Awaitable[Answer]]
"""Does what is to be done for a record; the key is the same whenever it is tried again."""


@asynccontextmanager
async def following(asked: FollowUp, target: Target, site: models.Site) -> AsyncIterator[Follow]:
    """What a run of a follow-up does for each record, for as long as the block lasts."""
    if isinstance(asked.what, SendMail):
        async with mail_server(pace_of(site.id, asked.what.per_minute)) as server:

            async def mailed(row: PlanRow, key: str) -> Answer:
                said = texts(row.changes)
                return await server.send(Letter(said[TO], said[SUBJECT], said[TEXT], key))

            yield mailed
        return
    name = asked.what.action
    async with opened(site, target.description, target.record_type.name) as reached:

        async def called(row: PlanRow, key: str) -> Answer:
            return await reached.act(name, row.record_id or "", texts(row.changes) or None)

        yield called


def texts(changes: Mapping[str, Change]) -> dict[str, str]:
    """What a plan keeps of what is done for a record, by name."""
    return {path: str(change.after) for path, change in changes.items()}
