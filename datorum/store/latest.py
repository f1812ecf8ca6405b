"""The newest row of each of several subjects, asked for at once."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any, TypeVar

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import InstrumentedAttribute, Session
from sqlalchemy.sql import ColumnExpressionArgument

from datorum.store.among import among

Row = TypeVar("Row")


def latest_of(
    store: Session,
    of: InstrumentedAttribute[int],
    subjects: Collection[int],
    *where: ColumnExpressionArgument[bool],
    kind: type[Row],
) -> dict[int, Row]:
    """The newest rows of a ``kind`` by what they are ``of``: those of the ``subjects`` that have any."""
    if not subjects:
        return {}
    number: Any = kind.id  # type: ignore[attr-defined]
    asked = select(kind).where(among(of, subjects), *where).ext(distinct_on(of)).order_by(of, number.desc())
    return {getattr(row, of.key): row for row in store.scalars(asked)}
