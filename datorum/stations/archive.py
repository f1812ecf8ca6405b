"""Imports that are put away. One that has reached a site is kept with all that it did there."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.stations.at_rest import must_be_at_rest
from datorum.stations.imports import get_import
from datorum.store import models
from datorum.store.people import record
from datorum.store.sources import forget_unused


def remove_import(store: Session, by: str, import_id: int) -> None:
    """Delete an import of which nothing has run, and archive any other. Raises Conflict while a run is not over."""
    item = get_import(store, import_id)
    must_be_at_rest(store, item)
    if import_id not in have_run(store):
        record(store, by, "import removed", f"import {import_id}", name=item.name)
        store.delete(item)
        forget_unused(store, item.site_id)
        return
    item.archived_at = dt.datetime.now(dt.UTC)
    record(store, by, "import archived", f"import {import_id}", name=item.name)


def have_run(store: Session) -> set[int]:
    """The imports of which a run was begun."""
    return set(store.scalars(select(models.Plan.import_id).join(models.Run).distinct()))


def take_out(store: Session, by: str, import_id: int) -> None:
    """Take an import out of the archive."""
    item = get_import(store, import_id)
    item.archived_at = None
    record(store, by, "import taken out of the archive", f"import {import_id}", name=item.name)
