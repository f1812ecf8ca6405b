"""Records that several fields tell apart together: from the sheet to the site and back."""

from __future__ import annotations

import pytest

from datorum.core.errors import InvalidMapping
from datorum.core.model import Mapping, of_fields
from datorum.stations import check
from datorum.stations import map as mapping_station
from datorum.stations.imports import latest_mapping, open_import
from datorum.store.database import session
from tests.processes import StandIn
from tests.stations.conftest import Journey
from tests.stations.whole import SITE, Begin, Rows

PRODUCTS: Rows = [
    {"SKU": f"XX-92{at}", "Name": name, "Slug": f"packet-92{at}", "Price": price, "Stock": stock}
    for at, (name, price, stock) in enumerate((("Beet", "10.00", "1"), ("Beet", "12.00", "2"), ("Kale", "10.00", "3"),
                                               ("Beet", "10.00", "4")))
]  # fmt: skip


@pytest.fixture(autouse=True)
def _site(site: StandIn) -> None:
    site.have(SITE)


def keyed(journey: Journey, match_key: str, *key_with: str) -> None:
    with session() as store:
        now = open_import(store, journey.import_id)
        changed = now.mapping.model_copy(update={"match_key": match_key, "key_with": key_with})
        mapping_station.save_mapping(store, "ada", journey.import_id, now.mapping_version, changed)


def test_rows_and_records_meet_by_all_fields_of_the_key(start: Begin, site: StandIn) -> None:
    products = start("products", PRODUCTS[:3])
    keyed(products, "name", "price")
    with session() as store:
        result = check.check_import(store, "ada", products.import_id)
        assert (result.ready, result.held) == (3, 0)
    first = products.rehearse().rehearse
    assert first is not None
    assert first.counts["create"] == 3
    assert products.run().run.done == 3  # type: ignore[union-attr]
    again = start("products", [{**PRODUCTS[1], "SKU": "XX-921", "Stock": "9"}, PRODUCTS[2]])
    keyed(again, "name", "price")
    planned = again.rehearse().rehearse
    assert planned is not None
    assert (planned.counts["create"], planned.counts["update"], planned.counts["unchanged"]) == (0, 1, 1)
    again.run()
    kept = {one["sku"]: one.get("stock") for one in site.bodies("product") if one["sku"].startswith("XX-92")}
    assert kept == {"XX-920": 1, "XX-921": 9, "XX-922": 3}


def test_rows_with_the_same_key_are_told_by_all_of_it(start: Begin, site: StandIn) -> None:
    products = start("products", PRODUCTS)
    keyed(products, "name", "price")
    with session() as store:
        result = check.check_import(store, "ada", products.import_id)
        [twice] = [one for one in result.groups if one["rule"] == "same key twice"]
        found = check.found_records(store, result.id, "name", "same key twice")
    assert (twice["count"], twice["values"][0][0], found) == (1, "Beet · 10.00", [5])
    planned = products.rehearse().rehearse
    assert planned is not None
    assert (planned.counts["create"], planned.counts["held"]) == (3, 1)


def test_a_key_is_of_fields_that_the_site_has_and_keeps_its_first() -> None:
    assert Mapping.model_validate({"match_key": "sku"}).keys == ("sku",)
    assert Mapping.model_validate({"format": 1, "match_key": "sku"}).format == 2
    with pytest.raises(ValueError, match="no first"):
        Mapping.model_validate({"key_with": ["sku"]})
    with pytest.raises(ValueError, match="format"):
        Mapping.model_validate({"format": 3})


def test_a_key_of_what_the_site_has_not_is_refused(start: Begin, site: StandIn) -> None:
    products = start("products", PRODUCTS)
    with pytest.raises(InvalidMapping, match="no field colour"):
        keyed(products, "sku", "colour")


def test_a_kept_mapping_stays_as_it_is_where_the_site_has_all_of_its_fields(start: Begin, site: StandIn) -> None:
    products = start("products", PRODUCTS)
    keyed(products, "name", "price")
    with session() as store:
        now = open_import(store, products.import_id)
        body = latest_mapping(store, products.import_id).body
        assert of_fields(body, now.record_type) == body
        old = {name: value for name, value in body.items() if name not in ("key_with", "format")}
        assert of_fields(old, now.record_type) == old
        lost = now.record_type.model_copy(update={"fields": tuple(
            field for field in now.record_type.fields if field.path != "price")})  # fmt: skip
        assert of_fields(body, lost)["key_with"] == []
