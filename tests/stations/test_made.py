"""Records that links find nowhere are made first: once however many rows mean them, those above before those below."""

from __future__ import annotations

from typing import Any

import pytest

from datorum.core.errors import InvalidMapping
from datorum.core.model import FieldMapping
from datorum.core.model.link_rule import OWN_KEY
from datorum.core.steps import SplitList
from datorum.stations import check, link_view, made, rehearse, run
from datorum.stations import map as mapping_station
from datorum.stations.imports import open_import
from datorum.stations.ledger import Question, ledger
from datorum.stations.ledger.shown import Station
from datorum.store.database import session
from tests.processes import StandIn
from tests.stations.conftest import Journey
from tests.stations.whole import SITE, Begin, Rows, found, relink, take

ORDERS: Rows = [
    {"Order no.": number, "Customer e-mail": mail, "Customer": name, "Ordered": "2024-03-01", "Sum": "20.00",
     "SKU": "XX-900", "Qty": "1", "Price each": "20.00"}
    for number, mail, name in (
        ("91001", "siv.lundemo@quillmoss.example", "Siv Lundemo"),
        ("91002", "SIV.Lundemo@quillmoss.example", "S. Lundemo"),
        ("91003", "jorunn.kvalstad@quillmoss.example", "Jorunn Kvalstad"),
    )
]  # fmt: skip
BY_NAME: dict[str, Any] = {"missing": "make", "made": {"name": {"columns": ["Customer"]}}}
PRODUCTS: Rows = [
    {"SKU": f"XX-{at}", "Name": f"Packet {at}", "Slug": f"packet-{at}", "Price": "12.00", "Category": path}
    for at, path in enumerate(("Roots > Beets > Round", "roots > Beets", "Roots > Beets > Round", "Leaves",
                               "Leaves > Beets"), 911)
]  # fmt: skip
TERMS_MADE: dict[str, Any] = {
    "by": ("name",), "parted_by": ">", "missing": "make",
    "made": {"vocabulary_name": {"constant": "category"},
             "slug": {"columns": [OWN_KEY], "steps": [{"kind": "slug"}]}},
}  # fmt: skip


@pytest.fixture(autouse=True)
def _site(site: StandIn) -> None:
    site.have(SITE)


def sorted_products(start: Begin, rows: Rows) -> Journey:
    """Products that are sorted by the paths of categories."""
    products = start("products", rows)
    with session() as store:
        now = open_import(store, products.import_id)
        sorted_by = {"term_ids": FieldMapping(columns=("Category",), steps=(SplitList(separator="|"),))}
        fed = now.mapping.model_copy(update={"fields": {**now.mapping.fields, **sorted_by}})
        mapping_station.save_mapping(store, "ada", products.import_id, now.mapping_version, fed)
    relink(products, term_ids=TERMS_MADE)
    return products


def plan_of(journey: Journey) -> made.MadeView:
    with session() as store:
        plan = rehearse.latest_plan(store, journey.import_id)
        assert plan is not None
        return made.made_of(store, plan, 0, 100)


def refused(journey: Journey) -> list[str]:
    with session() as store:
        ended = run.get_run(store, journey.now().run.id)  # type: ignore[union-attr]
        return [one.item.message for one in run.failed_rows(store, ended)]


def test_customers_that_orders_name_are_made_once_and_first(start: Begin, site: StandIn) -> None:
    orders = start("orders", ORDERS)
    relink(orders, customer_id=BY_NAME)
    planned = orders.rehearse().rehearse
    assert planned is not None
    assert (planned.made, planned.counts["create"], planned.counts["held"]) == ({"customers": 2}, 3, 0)
    told = plan_of(orders)
    assert [one.key for one in told.records] == ["siv.lundemo@quillmoss.example", "jorunn.kvalstad@quillmoss.example"]
    # The first row that names it says what it has.
    assert {field.title: field.value for field in told.records[0].fields}["Name"] == "Siv Lundemo"
    done = orders.run().run
    assert done is not None
    assert (done.total, done.done, done.failed) == (5, 5, 0)
    ids = {one["email"]: one["id"] for one in site.bodies()}
    assert [one["customer_id"] for one in sorted(site.bodies("order"), key=lambda one: one["number"])] == [
        ids["siv.lundemo@quillmoss.example"], ids["siv.lundemo@quillmoss.example"],
        ids["jorunn.kvalstad@quillmoss.example"],
    ]  # fmt: skip
    verified = orders.verify().verify
    assert verified is not None
    assert (verified.compared, verified.mismatches) == (5, 0)
    # How many there are is told of the import's own kind of record.
    assert verified.records_on_site == (planned.records_on_site or 0) + 3
    again = orders.rehearse().rehearse
    assert again is not None
    assert (again.made, again.counts["unchanged"]) == ({}, 3)


def test_what_cannot_be_made_holds_the_rows_that_name_it_and_says_why(
    start: Begin, site: StandIn, connected: int
) -> None:  # fmt: skip
    take(connected, "customers", "products")
    orders = start("orders", [ORDERS[0] | {"Customer": " "}, *ORDERS[1:]])
    relink(orders, customer_id={**BY_NAME, "made": {}})
    assert found(orders) == {(row, "customer_id", "link made") for row in (2, 3, 4)}
    relink(orders, customer_id=BY_NAME)
    # The first row has no name, so that its record has none either, in whichever row it is named.
    assert found(orders) == {(row, "customer_id", "link made") for row in (2, 3)}
    planned = orders.rehearse().rehearse
    assert planned is not None
    assert (planned.made, planned.counts["create"], planned.counts["held"]) == ({"customers": 1}, 1, 2)


def test_what_only_held_rows_name_is_not_made(start: Begin, site: StandIn) -> None:
    orders = start("orders", [ORDERS[0], ORDERS[2] | {"Sum": "99.00"}])
    relink(orders, customer_id=BY_NAME)
    planned = orders.rehearse().rehearse
    assert planned is not None
    assert (planned.made, planned.counts["held"]) == ({"customers": 1}, 1)


def test_a_tree_is_made_from_its_top(start: Begin, site: StandIn, connected: int) -> None:
    site.have({**SITE, "term": [{"vocabulary_name": "category", "slug": "roots", "name": "Roots", "position": 1}]})
    take(connected, "terms")
    products = sorted_products(start, PRODUCTS)
    # Letters count: “roots” is not “Roots”, whose slug it would have; and there would be two “Beets” with one slug.
    with session() as store:
        result = check.check_import(store, "ada", products.import_id)
        said = {one.record: one.message for one in check.findings_of(store, result.id, [2, 3, 4, 5, 6])}
    assert said == {
        2: "names a term that cannot be made: of the one above it, Slug “beets” would be that of two",
        3: "names a term that cannot be made: of the one above it, Slug “roots” is that of another on the site",
        4: "names a term that cannot be made: of the one above it, Slug “beets” would be that of two",
    }
    planned = products.rehearse().rehearse
    assert planned is not None
    assert planned.made == {"terms": 2}
    assert [one.key for one in plan_of(products).records] == ["Leaves", "Beets"]
    products.run()
    assert refused(products) == []
    terms = {one["name"]: one for one in site.bodies("term")}
    assert terms["Beets"]["parent_id"] == terms["Leaves"]["id"]


def test_paths_find_what_stands_there_and_make_only_the_rest(start: Begin, site: StandIn, connected: int) -> None:
    site.have({**SITE, "term": [{"vocabulary_name": "category", "slug": "roots", "name": "Roots", "position": 1}]})
    take(connected, "terms")
    products = sorted_products(start, [PRODUCTS[0], PRODUCTS[2], PRODUCTS[3]])
    with session() as store:
        view = link_view.inspect_link(store, open_import(store, products.import_id), "term_ids", mapping(products))
    assert (view.in_tree, view.missing, view.distinct_missing) == (True, 3, 2)
    planned = products.rehearse().rehearse
    assert planned is not None
    assert planned.made == {"terms": 3}
    products.run()
    assert refused(products) == []
    terms = {one["name"]: one for one in site.bodies("term")}
    assert terms["Round"]["parent_id"] == terms["Beets"]["id"]
    assert terms["Beets"]["parent_id"] == terms["Roots"]["id"]
    kept = {one["sku"]: one["term_ids"] for one in site.bodies("product") if one["sku"].startswith("XX-91")}
    assert kept == {
        "XX-911": [terms["Round"]["id"]],
        "XX-913": [terms["Round"]["id"]],
        "XX-914": [terms["Leaves"]["id"]],
    }
    again = products.rehearse().rehearse
    assert again is not None
    assert (again.made, again.counts["unchanged"]) == ({}, 3)
    assert products.now().run is None


def mapping(journey: Journey) -> Any:
    with session() as store:
        return open_import(store, journey.import_id).mapping


def test_what_could_feed_them_is_suggested_from_the_columns_beside(start: Begin, site: StandIn) -> None:
    orders = start("orders", ORDERS)
    with session() as store:
        said = link_view.suggested_for_made(store, open_import(store, orders.import_id), "customer_id")
    assert said["name"].columns == ("Customer",)
    assert "email" not in said


@pytest.mark.parametrize(
    ("rule", "why"),
    [
        ({"by": (), "missing": "make"}, "given by the site itself"),
        ({"by": ("email",), "missing": "make", "made": {"shoe": {"constant": "7"}}}, "no field shoe"),
        ({"by": ("name",), "parted_by": ">"}, "do not stand in a tree"),
        ({"by": ("email",), "several": "active"}, "do not say which of them are active"),
    ],
)
def test_what_cannot_be_is_refused_with_the_reason(
    start: Begin, site: StandIn, rule: dict[str, Any], why: str
) -> None:  # fmt: skip
    orders = start("orders", ORDERS)
    with pytest.raises(InvalidMapping, match=why):
        relink(orders, customer_id=rule)


ARTICLES: Rows = [
    {"Slug": slug, "Title": slug.title(), "Language": language, "Translation of": other}
    for slug, language, other in (("beets", "en", "beter"), ("beter", "nb", "beets"), ("rueben", "de", "beter"))
]


def meaning_each_other(start: Begin) -> Journey:
    """Articles of which two are each other's translation."""
    articles = start("articles", ARTICLES)
    with session() as store:
        now = open_import(store, articles.import_id)
        fed = {**now.mapping.fields, "translation_of": FieldMapping(columns=("Translation of",))}
        changed = now.mapping.model_copy(update={"fields": fed, "shape": (), "match_key": "slug"})
        mapping_station.save_mapping(store, "ada", articles.import_id, now.mapping_version, changed)
    relink(articles, translation_of={"by": ("slug",)})
    return articles


def test_records_that_mean_each_other_are_put_right_when_all_are_there(start: Begin, site: StandIn) -> None:
    articles = meaning_each_other(start)
    planned = articles.rehearse().rehearse
    assert planned is not None
    assert (planned.counts["create"], planned.counts["held"], planned.put_right) == (3, 0, 2)
    with session() as store:
        shown = ledger(store, articles.import_id, Question(station="rehearse", records="first"))
    originals = next(line.cells for line in shown.lines if line.path == "translation_of")
    assert [cell.lower for cell in originals] == ["→ beter", "→ beets", "→ beter"]
    done = articles.run().run
    assert done is not None
    assert (done.total, done.done, done.failed) == (5, 5, 0)
    kept = {one["slug"]: one for one in site.bodies("article")}
    assert kept["beets"]["translation_of"] == kept["rueben"]["translation_of"] == kept["beter"]["id"]
    assert kept["beter"]["translation_of"] == kept["beets"]["id"]
    verified = articles.verify().verify
    assert verified is not None
    assert (verified.compared, verified.mismatches) == (3, 0)
    again = articles.rehearse().rehearse
    assert again is not None
    assert (again.counts["unchanged"], again.put_right) == (3, 0)


def test_a_column_of_paths_is_suggested_for_what_stands_in_a_tree(start: Begin, site: StandIn) -> None:
    rows = [{**row, "Category": row["Category"].replace("roots", "Roots")} for row in PRODUCTS]
    products = start("products", rows)
    now = mapping(products)
    assert now.fields["term_ids"].columns == ("Category",)
    assert (now.links["term_ids"].by, now.links["term_ids"].parted_by) == (("name",), ">")


def test_what_lines_name_is_made_from_the_columns_of_the_line(start: Begin, site: StandIn) -> None:
    lines = [(sku, price) for sku, price in (("XX-931", "10.00"), ("XX-932", "5.00"), ("XX-931", "12.00"))]
    rows = [{**ORDERS[0], "Order no.": str(91000 + at // 2), "SKU": sku, "Price each": price, "Sum": price}
            for at, (sku, price) in enumerate(lines)]  # fmt: skip
    rows[0]["Sum"] = rows[1]["Sum"] = "15.00"
    orders = start("orders", rows)
    assert orders.now().site_can_be_silenced
    product = {"name": {"columns": [OWN_KEY]}, "slug": {"columns": [OWN_KEY], "steps": [{"kind": "slug"}]},
               "price": {"columns": ["Price each"]}}  # fmt: skip
    relink(orders, customer_id=BY_NAME, lines__product_sku={"missing": "make", "made": product})
    planned = orders.rehearse().rehearse
    assert planned is not None
    assert (planned.made, planned.counts["create"], planned.to_send) == ({"customers": 1, "products": 2}, 2, 5)
    # The site does not say how mail about products is silenced, and some are made.
    assert not orders.now().site_can_be_silenced
    orders.run()
    assert refused(orders) == []
    made_ones = {one["sku"]: one["price"] for one in site.bodies("product") if one["sku"].startswith("XX-93")}
    # The first line that names it says what it has; the link takes its SKU, which is its key.
    assert made_ones == {"XX-931": 10, "XX-932": 5}
    sold = {one["number"]: [line["product_sku"] for line in one["lines"]] for one in site.bodies("order")}
    assert sold == {91000: ["XX-931", "XX-932"], 91001: ["XX-931"]}
    assert orders.verify().verify.mismatches == 0  # type: ignore[union-attr]


def test_a_link_to_several_records_names_each_of_them_at_every_station(
    start: Begin, site: StandIn, connected: int
) -> None:
    names = ("Roots", "Leaves")
    site.have({**SITE, "term": [{"vocabulary_name": "category", "slug": name.lower(), "name": name, "position": at}
                                for at, name in enumerate(names)]})  # fmt: skip
    take(connected, "terms")
    products = sorted_products(start, [
        {"SKU": f"XX-91{at}", "Name": f"Packet {at}", "Slug": f"of-{at}", "Price": "3.00", "Category": category}
        for at, category in enumerate(("Roots|Leaves", "Leaves", "Roots | Leaves > Chard"))
    ])  # fmt: skip

    def shown(station: Station, part: str) -> list[str | None]:
        with session() as store:
            told = ledger(store, products.import_id, Question(station=station, records="first"))
        line = next(one for one in told.lines if one.path == "term_ids")
        return [getattr(cell, part) for cell in line.cells]

    assert shown("map", "lower") == ["→ Roots, → Leaves", "→ Leaves", "→ Roots, Leaves > Chard"]
    products.rehearse()
    assert shown("rehearse", "lower")[:2] == ["→ Roots, → Leaves", "→ Leaves"]
    products.run()
    take(connected, "terms")
    assert products.verify().verify is not None
    assert shown("verify", "lower") == ["→ Roots, → Leaves", "→ Leaves", "→ Roots, → Chard"]
