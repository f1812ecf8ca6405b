"""The world that the demo shows is whole: as many records of each kind as are told, and none points at nothing."""

from __future__ import annotations

from collections import Counter
from typing import Any

import pytest

from demo.data import CustomersDemo, World, generate_world, starter
from demo.site.kinds import KINDS


@pytest.fixture(scope="module")
def world(demo: CustomersDemo) -> World:
    return generate_world(demo)


def keys(records: list[dict[str, Any]], name: str) -> set[Any]:
    found = [one[name] for one in records]
    assert len(found) == len(set(found))
    return set(found)


def test_there_are_as_many_records_of_each_kind_as_are_told(world: World) -> None:
    assert len(world.users) == 917
    assert Counter(one["role"] for one in world.users)["administrator"] == 4
    assert len(world.customers) == 2412
    assert len(world.products) == 538
    assert sum(len(one["variants"]) for one in world.products) == 1905
    assert len(world.terms) == 74
    assert Counter(one["vocabulary"] for one in world.terms).keys() == {"category", "habit", "sowing"}
    assert (len(world.orders), sum(len(one["lines"]) for one in world.orders)) == (6214, 20_881)
    assert len(world.offers) == 318
    assert Counter(one["language"] for one in world.articles) == {"en": 140, "nb": 140, "de": 140}
    assert len(world.comments) == 3268
    assert len(world.entries) == 702


def test_every_record_has_a_key_of_its_own_and_points_at_one_that_is_there(world: World) -> None:
    customers, skus = keys(world.customers, "email"), keys(world.products, "sku")
    terms, offers = keys(world.terms, "slug"), keys(world.offers, "code")
    users, articles = keys(world.users, "username"), keys(world.articles, "slug")
    keys(world.orders, "number"), keys(world.entries, "reference"), keys(world.pictures + world.files, "filename")
    assert {one["parent"] for one in world.terms} - {None} <= terms
    assert {term for one in world.products for term in one["terms"]} <= terms
    assert {one["customer"] for one in [*world.orders, *world.entries]} <= customers
    assert {line["product"] for one in world.orders for line in one["lines"]} <= skus
    assert {one["offer"] for one in world.orders} - {None} <= offers
    assert {sku for one in world.offers for sku in one["skus"]} <= skus
    assert {one["author"] for one in world.articles} <= users
    assert {one["article"] for one in world.comments} <= articles
    numbers = {one["number"]: one for one in world.comments}
    answered = [(one, numbers[one["parent"]]) for one in world.comments if one["parent"]]
    assert all(one["article"] == other["article"] and other["number"] < one["number"] for one, other in answered)
    # Whoever stands above comes first.
    seen: set[str] = set()
    for one in world.terms:
        assert one["parent"] is None or one["parent"] in seen
        seen.add(one["slug"])


def test_the_world_is_the_same_each_time(world: World, demo: CustomersDemo) -> None:
    assert generate_world(demo) == world


def test_the_new_site_takes_all_that_it_has_from_its_start(demo: CustomersDemo) -> None:
    given = starter(demo)
    assert {name: len(bodies) for name, bodies in given.items()} == {
        "customer": 200, "vocabulary": 3, "term": 3, "product": 6, "order": 47,
    }  # fmt: skip
    kinds = {kind.one: kind for kind in KINDS.values()}
    for name, bodies in given.items():
        for body in bodies:
            kinds[name].new.model_validate(body)
    assert min(one["number"] for one in given["order"]) == 70_001
