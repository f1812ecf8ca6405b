"""Workers die when all that they sent has arrived and nothing of it is written down: every record is there once, with
its links, and its outcome says so."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Sequence
from typing import Any

import pytest

from datorum.stations import run
from datorum.store import plan_items
from datorum.store.plan_items import Settled, settle
from tests.processes import StandIn
from tests.stations.conftest import Journey
from tests.stations.test_made import BY_NAME, ORDERS, PRODUCTS, meaning_each_other, sorted_products
from tests.stations.whole import SITE, Begin, relink, take


class KilledError(BaseException):
    """As by a signal."""


@pytest.fixture
def killed(monkeypatch: pytest.MonkeyPatch) -> Callable[[Journey], int]:
    """Runs an import, and kills its worker each time when it would write down outcomes for the first time; gives how
    often."""

    def of(journey: Journey) -> int:
        deaths = 0

        def dying(plan_id: int, run_id: int, turn_id: int, settled: Sequence[Settled]) -> None:
            # What was found out of what the one before had sent is written down.
            if any(one.took_ms is not None for one in settled):
                raise KilledError
            settle(plan_id, run_id, turn_id, settled)

        monkeypatch.setattr(plan_items, "settle", dying)
        started = journey.start()
        while True:
            try:
                asyncio.run(run.carry_out(started))
            except (KilledError, BaseExceptionGroup):
                deaths += 1
            else:
                return deaths

    return of


def outcome(journey: Journey) -> Any:
    done = journey.now().run
    assert done is not None
    return done.state, done.done, done.failed, done.total


def test_links_to_records_that_the_run_makes_itself(
    start: Begin, site: StandIn, killed: Callable[[Journey], int]
) -> None:
    site.have(SITE)
    orders = start("orders", ORDERS)
    relink(orders, customer_id=BY_NAME)
    orders.rehearse()
    assert killed(orders) == 2
    assert outcome(orders) == ("done", 5, 0, 5)
    customers = {one["email"]: one["id"] for one in site.bodies("customer")}
    placed = [one for one in site.bodies("order") if str(one["number"]).startswith("9100")]
    assert sorted(one["number"] for one in placed) == [91001, 91002, 91003]
    assert {one["customer_id"] for one in placed} <= set(customers.values())
    verified = orders.verify().verify
    assert verified is not None
    assert (verified.compared, verified.mismatches) == (5, 0)


def test_lists_of_links_and_trees(
    start: Begin, site: StandIn, connected: int, killed: Callable[[Journey], int]
) -> None:
    site.have({**SITE, "term": [{"vocabulary_name": "category", "slug": "none", "name": "None", "position": 1}]})
    take(connected, "terms")
    products = sorted_products(start, PRODUCTS[2:])
    planned = products.rehearse().rehearse
    assert planned is not None
    assert killed(products) > 2
    state, done, failed, total = outcome(products)
    assert (state, done, failed) == ("done", total, 0)
    terms = [one["slug"] for one in site.bodies("term")]
    assert len(terms) == len(set(terms))


def test_records_that_mean_each_other_and_are_changed_once_more(
    start: Begin, site: StandIn, killed: Callable[[Journey], int]
) -> None:
    site.have(SITE)
    articles = meaning_each_other(start)
    articles.rehearse()
    assert killed(articles) >= 2
    assert outcome(articles) == ("done", 5, 0, 5)
    kept = [one for one in site.bodies("article") if one["slug"] in ("beets", "beter", "rueben")]
    by_slug = {one["slug"]: one for one in kept}
    assert len(kept) == 3
    assert by_slug["beets"]["translation_of"] == by_slug["rueben"]["translation_of"] == by_slug["beter"]["id"]
    assert by_slug["beter"]["translation_of"] == by_slug["beets"]["id"]
