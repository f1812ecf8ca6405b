"""One account of an import over all runs of its plan: what went, what became of it, and whether the site adds up."""

from __future__ import annotations

from pydantic import BaseModel
from sqlalchemy import case, func, select
from sqlalchemy.orm import Session

from datorum.core.model import Action
from datorum.stations.done_by_runs import in_question
from datorum.stations.imports import get_import
from datorum.stations.rehearse import latest_plan
from datorum.stations.run import current_run
from datorum.stations.verify import latest_verification
from datorum.store import models


class Account(BaseModel):
    """Records of an import, those of its own type and those that links make, over the pilot and the rest of its plan.

    ``sent`` = ``taken`` + ``refused`` + ``in_question`` + ``undone``. ``before``, ``created``, ``deleted`` and ``now``
    are of the import's own type on the site; ``unexplained``: how many more there are now than the outcomes say; none
    where the site was not read back since.
    """

    runs: int
    sent: int
    taken: int
    refused: int
    in_question: int
    undone: int
    to_come: int
    before: int
    created: int
    deleted: int
    now: int | None
    unexplained: int | None


def account_of(store: Session, import_id: int) -> Account | None:
    """The account of an import's latest plan; none where it was not rehearsed. Raises NotFound."""
    get_import(store, import_id)
    plan = latest_plan(store, import_id)
    if plan is None or plan.frozen_at is None:
        return None
    item = models.PlanItem
    state = case((in_question(), "in question"), else_=item.state)
    own = (item.record_type == "") & item.of_item.is_(None)
    asked = select(state, own, item.action, func.count()).where(item.plan_id == plan.id, item.state != "none")
    found = store.execute(asked.group_by(state, own, item.action)).all()

    def count(*states: str, of: str | None = None) -> int:
        """How many are in some states; ``of``: those of the import's own type for which this is done."""
        return sum(number for name, mine, action, number in found
                   if name in states and (of is None or (mine and action == of)))  # fmt: skip

    runs = select(func.count()).where(models.Run.plan_id == plan.id)
    run = current_run(store, plan.id)
    proof = latest_verification(store, run.id) if run is not None else None
    now = proof.records_on_site if proof is not None and proof.state == "done" else None
    created, deleted = count("done", of=Action.CREATE.value), count("done", of=Action.DELETE.value)
    told = plan.records_read + created - deleted
    return Account(
        runs=store.scalar(runs) or 0,
        sent=count("done", "failed", "in question", "undone", "sending"),
        taken=count("done"), refused=count("failed"), in_question=count("in question"), undone=count("undone"),
        to_come=count("pending"), before=plan.records_read, created=created, deleted=deleted, now=now,
        unexplained=None if now is None else now - told,
    )  # fmt: skip
