"""What is not in order before the imports of a migration run."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from pydantic import BaseModel
from sqlalchemy.orm import Session

from datorum.stations.migration.migrations import get_migration, imports_of
from datorum.stations.preflight import preflight
from datorum.stations.rehearse import latest_plan
from datorum.stations.run import is_to_begin
from datorum.stations.site_now import SiteNow


class OpenPoint(BaseModel):
    """A point of preflight that is not in order, with what is said of each import that it is of."""

    name: str
    state: str
    imports: dict[str, str]
    """By the names of the imports."""
    remedy: str


def open_points(
    store: Session, migration_id: int, look: Callable[[Sequence[int]], Sequence[SiteNow]]
) -> list[OpenPoint]:
    """The points that are not in order for those that are rehearsed and have not run, each once. ``look`` tells how
    the sites of some plans are now. That an import awaits what another is to bring is in order where both are of the
    migration: they go one after the other. Raises NotFound."""
    get_migration(store, migration_id)
    items = {item.id: item for item in imports_of(store, migration_id)}
    plans = [plan for item in items.values() if (plan := latest_plan(store, item.id)) is not None]
    plans = [plan for plan in plans if plan.state == "ready" and plan.to_send and is_to_begin(store, plan, "main")]
    found: dict[str, OpenPoint] = {}
    for plan, there in zip(plans, look([plan.id for plan in plans]), strict=True):
        for point in preflight(store, plan, there):
            if point.state == "good" or point.name == "linked imports":
                continue
            known = found.setdefault(
                point.name, OpenPoint(name=point.name, state=point.state, imports={}, remedy=point.remedy)
            )
            known.imports[items[plan.import_id].name] = point.text
            if point.state == "held":
                known.state = "held"
    return list(found.values())
