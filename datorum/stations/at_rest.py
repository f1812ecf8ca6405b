"""What may not happen to an import or a site while a run of it is not over."""

from __future__ import annotations

from sqlalchemy import ColumnElement, select
from sqlalchemy.orm import Session

from datorum.core.errors import Conflict, NotFound
from datorum.store import models
from datorum.store.plan_items import counts_by_state

UNDER_WAY = ("waiting", "running")
NOT_OVER = (*UNDER_WAY, "paused")


def must_be_at_rest(store: Session, item: models.Import) -> None:
    """See that no run of an import is under way or paused, and that none begins until the transaction ends.

    Raises Conflict where a run is not over, or the import is archived.
    """
    store.refresh(item, with_for_update={"of": models.Import})
    if item.archived_at is not None:
        raise Conflict(f"The import “{item.name}” is archived.", remedy="Take it out of the archive first.")
    _refuse(store, models.Plan.import_id == item.id)


def run_with_records(store: Session, run_id: int) -> models.Run:
    """A run that is over and has anything on its site, of an import at rest. Raises NotFound, and Conflict where it is
    not over, or has nothing there."""
    run = store.get(models.Run, run_id)
    if run is None:
        raise NotFound(f"There is no run {run_id}.")
    if run.state in NOT_OVER:
        raise Conflict("The run is not over.", remedy="Wait for it, or end it where it is.")
    must_be_at_rest(store, store.get_one(models.Import, run.plan.import_id))
    if not counts_by_state(store, run.plan_id, run_id).get("done"):
        raise Conflict("There is nothing of the run on the site.", remedy="Choose a run that has sent records.")
    return run


def site_must_be_at_rest(store: Session, site: models.Site) -> None:
    """See that no run to a site is under way or paused, and that none begins until the transaction ends. Raises
    Conflict."""
    imports = select(models.Import.id).where(models.Import.site_id == site.id)
    store.scalars(imports.with_for_update()).all()
    _refuse(store, models.Plan.import_id.in_(imports))


def _refuse(store: Session, plans: ColumnElement[bool]) -> None:
    found = store.scalars(
        select(models.Run).join(models.Plan).where(plans, models.Run.state.in_(NOT_OVER)).limit(1)
    ).first()
    if found is None:
        return
    if found.state == "paused":
        raise Conflict(
            f"Run {found.id} is paused, with rows that are still to be sent.",
            remedy="Let it go on, or end it where it is.",
        )
    raise Conflict(f"Run {found.id} is under way.", remedy="Wait until it is over, or pause it and end it.")
