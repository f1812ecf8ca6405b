"""What an import knows of the records that its links mean: what was read of the site, and what its neighbours bring."""

from __future__ import annotations

import datetime as dt
from typing import Any

import pytest

from datorum.stations.migration.order import Order
from datorum.stations.surroundings import Neighbour, Surroundings
from datorum.store import models

_ENDED = dt.datetime(2026, 11, 20, tzinfo=dt.UTC)
ORDERS, CUSTOMERS, PRODUCTS, NOTES = 1, 2, 3, 4
_AT_FIRST: dict[int, Neighbour] = {
    one.id: one
    for one in (
        Neighbour(ORDERS, "orders", frozenset(), 0, 3, None, 11, 40),
        Neighbour(CUSTOMERS, "customers", frozenset({"media"}), 0, 2, None, 12, 90),
        Neighbour(PRODUCTS, "products", frozenset(), 0, 5, None, 13, 70),
        Neighbour(NOTES, "notes", frozenset(), 0, 1, None, None, 5),
    )
}
_READ = {"customers": "c1", "products": "p1", "notes": "n1", "media": "m1"}


def _known(
    changes: dict[int, dict[str, Any]], read: dict[str, str] | None = None, awaited: tuple[int, ...] = (),
    later: frozenset[tuple[int, int]] = frozenset(),
) -> list[str]:  # fmt: skip
    """What the orders know, which mean customers, products and media, once something has changed."""
    now = tuple(one._replace(**changes.get(number, {})) for number, one in _AT_FIRST.items())
    around = Surroundings(_READ | (read or {}), now, {9: Order(later, {}, {})})
    return around.known(models.Import(id=ORDERS, migration_id=9), {"customers", "products", "media"}, awaited)


@pytest.mark.parametrize(
    "changes",
    [
        {CUSTOMERS: {"revision": 1}}, {PRODUCTS: {"version": 6}}, {CUSTOMERS: {"carried_out": _ENDED}},
        {PRODUCTS: {"ready": 71}},
    ],
)  # fmt: skip
def test_it_is_other_once_what_brings_its_records_has_changed(changes: dict[int, dict[str, Any]]) -> None:
    assert _known(changes) != _known({})


@pytest.mark.parametrize(
    "changes",
    [
        {ORDERS: {"revision": 4, "carried_out": _ENDED}}, {NOTES: {"revision": 4, "version": 9, "ready": 1}},
        # Nothing is planned to come of what is not awaited.
        {CUSTOMERS: {"planned": 20}},
    ],
)  # fmt: skip
def test_it_is_the_same_whatever_has_changed_of_itself_and_of_what_it_does_not_mean(
    changes: dict[int, dict[str, Any]],
) -> None:
    assert _known(changes, {"notes": "n2"}) == _known({})


def test_that_records_were_read_again_otherwise_is_known() -> None:
    assert _known({}, {"products": "p2"}) != _known({})


def test_of_what_is_awaited_it_is_no_change_that_it_was_run_and_read_back_and_another_plan_is() -> None:
    awaits = (CUSTOMERS,)
    before = _known({}, awaited=awaits)
    ran = {CUSTOMERS: {"carried_out": _ENDED}}
    # What it makes for its own links is to come of it, too.
    assert _known(ran, {"customers": "c2", "media": "m2"}, awaits) == before
    assert _known(ran, {"products": "p2"}, awaits) != before
    assert _known({CUSTOMERS: {"planned": 20}}, awaited=awaits) != before


def test_of_what_comes_later_only_what_it_is_made_of_counts() -> None:
    later = frozenset({(ORDERS, PRODUCTS)})
    before = _known({}, later=later)
    assert _known({PRODUCTS: {"carried_out": _ENDED, "ready": 1, "planned": 20}}, later=later) == before
    assert _known({PRODUCTS: {"version": 6}}, later=later) != before
    assert _known({}, later=frozenset({(CUSTOMERS, PRODUCTS)})) == _known({}), "behind another is nothing to this one"
