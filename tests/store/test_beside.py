"""What is done beside something else is done whole, or not at all."""

from __future__ import annotations

from collections.abc import Callable

import polars as pl
import pytest
from psycopg.errors import UniqueViolation
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.store.beside import Beside
from datorum.store.database import session
from datorum.store.models import PlanItem
from datorum.store.plan_items import keep_items

_PLAN = 7


def _item(number: int) -> Callable[[Session], None]:
    frame = pl.DataFrame({"item": [number], "chunk": [0], "action": ["create"], "state": ["pending"]})
    return lambda store: keep_items(store, _PLAN, frame)


def _kept() -> int:
    with session() as store:
        return store.scalars(select(func.count()).where(PlanItem.plan_id == _PLAN)).one()


def _keep(*numbers: int, breaks: str = "") -> None:
    with Beside() as beside:
        for number in numbers:
            beside.do(_item(number))
        if breaks:
            raise RuntimeError(breaks)


def test_it_is_there_when_its_caller_has_come_to_the_end(database: None) -> None:
    _keep(*range(20))
    assert _kept() == 20


def test_nothing_is_kept_where_its_caller_breaks(database: None) -> None:
    with pytest.raises(RuntimeError, match="no more"):
        _keep(1, 2, breaks="no more")
    assert _kept() == 0


def test_nothing_is_kept_where_some_of_it_cannot_be_done(database: None) -> None:
    with pytest.raises(UniqueViolation, match="plan_item"):
        _keep(1, 2, 1, 3)
    assert _kept() == 0
