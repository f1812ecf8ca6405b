"""What sites do to values and somebody has accepted by name."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.store.models import AcceptedTolerance, Import


def accepted_of(store: Session, item: Import) -> list[AcceptedTolerance]:
    """What was accepted of the record type of an import's site, in order."""
    kept = AcceptedTolerance
    asked = select(kept).where(kept.site_id == item.site_id, kept.record_type == item.record_type)
    return list(store.scalars(asked.order_by(kept.id)))


def accepted_by_name(store: Session, item: Import) -> set[tuple[str, str]]:
    """The fields and rules of it."""
    return {(one.field, one.rule) for one in accepted_of(store, item)}
