"""Mappings and value tables kept by name, for any import of the team."""

from __future__ import annotations

from typing import Literal

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from datorum.core.errors import NotFound
from datorum.core.model import Mapping, ValueTable
from datorum.stations.imports import open_import
from datorum.store import models
from datorum.store.people import record

Kind = Literal["mapping", "value table"]


def keep_mapping(store: Session, by: str, import_id: int, name: str) -> models.Kept:
    """Keep an import's mapping by name; one of the same name is replaced."""
    now = open_import(store, import_id)
    return _keep(store, by, "mapping", name, now.item.record_type, now.mapping)


def keep_table(store: Session, by: str, name: str, table: ValueTable) -> models.Kept:
    """Keep a value table by name; one of the same name is replaced."""
    return _keep(store, by, "value table", name, "", table)


def kept(store: Session, kind: Kind, record_type: str | None = None) -> list[models.Kept]:
    """What is kept of a kind by name, of one record type or of all."""
    asked = select(models.Kept).where(models.Kept.kind == kind).order_by(models.Kept.name)
    return list(store.scalars(asked if record_type is None else asked.where(models.Kept.record_type == record_type)))


def get_kept(store: Session, number: int) -> models.Kept:
    """Raises NotFound."""
    found = store.get(models.Kept, number)
    if found is None:
        raise NotFound("It is not kept any more.", remedy="Look at the list again.")
    return found


def remove_kept(store: Session, by: str, number: int) -> None:
    """Raises NotFound. Imports that took it over keep what they took."""
    found = get_kept(store, number)
    record(store, by, f"{found.kind} removed", found.name)
    store.delete(found)
    store.flush()


def _keep(store: Session, by: str, kind: Kind, name: str, record_type: str, body: Mapping | ValueTable) -> models.Kept:
    fresh = {"record_type": record_type, "body": body.model_dump(mode="json"), "by": by}
    added = insert(models.Kept).values(kind=kind, name=name.strip(), **fresh)
    number = store.scalars(
        added.on_conflict_do_update(index_elements=["kind", "name"], set_=fresh).returning(models.Kept.id)
    ).one()
    record(store, by, f"{kind} kept", name.strip())
    store.flush()
    store.expire_all()
    return get_kept(store, number)
