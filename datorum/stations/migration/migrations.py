"""Migrations: made, called by a name, and let go."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence

from pydantic import BaseModel
from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from datorum.core.errors import Conflict, NotFound
from datorum.stations.imports import get_import
from datorum.stations.sites import get_site
from datorum.store import models
from datorum.store.people import record
from datorum.store.sources import forget_unused


class MigrationListed(BaseModel):
    """One migration: how many imports it has, and to where all of them are being taken."""

    id: int
    name: str
    site_id: int
    site: str
    imports: int
    undecided: int
    going_to: str | None
    created_by: str
    created_at: dt.datetime


def start_migration(store: Session, by: str, site_id: int, name: str) -> models.Migration:
    """A migration to a site, with nothing in it yet. Raises NotFound."""
    get_site(store, site_id)
    made = models.Migration(name=name, site_id=site_id, created_by=by)
    store.add(made)
    store.flush()
    record(store, by, "migration begun", f"migration {made.id}", name=name)
    return made


def get_migration(store: Session, migration_id: int, *, lock: bool = False) -> models.Migration:
    """Raises NotFound. ``lock`` keeps others from changing it until the transaction ends."""
    found = store.get(models.Migration, migration_id, with_for_update={"of": models.Migration} if lock else None)
    if found is None:
        raise NotFound(f"There is no migration {migration_id}.", remedy="Look at the list of migrations.")
    return found


def imports_of(store: Session, migration_id: int) -> Sequence[models.Import]:
    """The imports of a migration that are not archived, in the order in which they were begun."""
    of = models.Import
    asked = select(of).where(of.migration_id == migration_id, of.archived_at.is_(None)).order_by(of.id)
    return store.scalars(asked).all()


def list_migrations(store: Session) -> list[MigrationListed]:
    """All migrations, those that were begun last first."""
    of, item, dropped = models.Migration, models.Import, models.DroppedSheet
    imports = (
        select(func.count()).where(item.migration_id == of.id, item.archived_at.is_(None)).scalar_subquery()
    )  # fmt: skip
    undecided = select(func.count()).where(dropped.migration_id == of.id, dropped.import_id.is_(None))
    asked = select(of, imports, undecided.scalar_subquery()).order_by(of.id.desc())
    return [
        MigrationListed(
            id=one.id, name=one.name, site_id=one.site_id, site=one.site.name, imports=count, undecided=open_ones,
            going_to=one.going_to, created_by=one.created_by, created_at=one.created_at,
        )
        for one, count, open_ones in store.execute(asked)
    ]  # fmt: skip


def change_migration(
    store: Session, by: str, migration_id: int, *, name: str | None = None, held_most: float | None = None
) -> models.Migration:
    """Call a migration by another name, or have its imports stop at another share of what is held."""
    found = get_migration(store, migration_id, lock=True)
    before = {"name": found.name, "held_most": found.held_most}
    found.name = found.name if name is None else name
    found.held_most = found.held_most if held_most is None else held_most
    after = {"name": found.name, "held_most": found.held_most}
    if before != after:
        record(store, by, "migration changed", f"migration {migration_id}", before=before, after=after)
    return found


def add_import(store: Session, by: str, migration_id: int, import_id: int) -> None:
    """Have an import be of a migration to its site. Raises NotFound, and Conflict where it goes to another site."""
    found, item = get_migration(store, migration_id), get_import(store, import_id)
    if item.site_id != found.site_id:
        raise Conflict(
            f"“{item.name}” goes to {item.site.name}, and the migration to {found.site.name}.",
            remedy="Choose an import to the same site.",
        )
    item.migration_id = migration_id
    record(store, by, "import added to migration", f"import {import_id}", migration=migration_id)


def take_out_import(store: Session, by: str, migration_id: int, import_id: int) -> None:
    """Have an import be of a migration no more; what it is stays. Raises NotFound."""
    item = get_import(store, import_id)
    if item.migration_id != migration_id:
        raise NotFound(f"Import {import_id} is not of the migration.", remedy="Look at its board.")
    item.migration_id = None
    dropped = models.DroppedSheet
    for one in store.scalars(select(dropped).where(dropped.import_id == import_id)):
        store.delete(one)
    record(store, by, "import taken out of migration", f"import {import_id}", migration=migration_id)


def remove_migration(store: Session, by: str, migration_id: int) -> None:
    """Let go of a migration. Its imports stay, each by itself. Raises NotFound, and Conflict while all of them are
    taken further."""
    found = get_migration(store, migration_id, lock=True)
    if found.going_to is not None:
        raise Conflict("Its imports are being taken further.", remedy="Stop that first.")
    of = models.Import
    store.execute(update(of).where(of.migration_id == migration_id).values(migration_id=None))
    record(store, by, "migration removed", f"migration {migration_id}", name=found.name)
    site_id = found.site_id
    store.delete(found)
    forget_unused(store, site_id)
