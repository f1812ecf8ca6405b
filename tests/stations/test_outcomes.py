"""What a run keeps of its outcomes, however many items it has taken."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from typing import Any

from sqlalchemy import text

from datorum.store.database import session
from datorum.store.queries import QUERIES
from tests.stations.conftest import Journey

_MANY = 9_000


def _nodes(plan: dict[str, Any]) -> Iterator[dict[str, Any]]:
    yield plan
    for below in plan.get("Plans", ()):
        yield from _nodes(below)


def test_each_outcome_is_held_to_its_item_alone_though_nobody_has_counted_what_a_turn_has(small: Journey) -> None:
    planned = small.rehearse().rehearse
    assert planned is not None
    asked: dict[str, Any] = {"plan": planned.id, "turn": 7, "at": dt.datetime.now(dt.UTC)}
    outcomes = list(range(10_000, 10_400))
    same = {"states": "done", "records": None, "etags": None, "pages": None, "messages": "", "statuses": 200, "took": 5}
    asked |= {"items": outcomes, **{name: [value] * len(outcomes) for name, value in same.items()}}
    with session() as store:
        store.execute(
            text(
                "INSERT INTO plan_item (plan_id, item, chunk, wave, action, record_type, state, attempts)"
                " SELECT plan_id, 10000 + at, chunk, 0, 'create', '', 'sending', 0"
                " FROM (SELECT plan_id, chunk FROM plan_item WHERE plan_id = :plan LIMIT 1) one,"
                " generate_series(1, :many) at"
            ),
            {"plan": planned.id, "many": _MANY},
        )
        # What PostgreSQL takes looking up for where nobody has told it otherwise.
        store.execute(text("SET LOCAL random_page_cost = 4"))
        # Counted while no item is any turn's, as after a rehearsal.
        store.execute(text("ANALYZE plan_item"))
        store.execute(text("UPDATE plan_item SET turn_id = 7 WHERE plan_id = :plan"), {"plan": planned.id})
        explained = text(f"EXPLAIN (ANALYZE, FORMAT JSON) {QUERIES['settle'].text}")
        [[found]] = store.execute(explained, asked).all()
        done = store.scalar(text("SELECT count(*) FROM plan_item WHERE plan_id = :plan AND state = 'done'"), asked)
    assert done == len(outcomes) - 1, "all but the one that there is no item of"
    compared = sum(node.get("Rows Removed by Join Filter", 0) for node in _nodes(found[0]["Plan"]))
    assert compared < _MANY
