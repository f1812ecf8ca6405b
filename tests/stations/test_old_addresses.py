"""Old addresses in texts: written as those that the records they lead to have on the site, by the id map of the run."""

from __future__ import annotations

import asyncio
from typing import Any

import pytest

from datorum.core.errors import InvalidMapping
from datorum.core.model import FieldMapping
from datorum.core.model.text_addresses import AddressKey, TextAddresses
from datorum.stations import map as mapping_station
from datorum.stations import run, undo
from datorum.stations.imports import open_import
from datorum.stations.ledger import Question, ledger
from datorum.stations.old_addresses import inspect_addresses, lead_to_records
from datorum.store.database import new_session, session
from tests.processes import StandIn
from tests.stations.conftest import Journey
from tests.stations.whole import Begin, Rows, take

OLD = "https://old.quillmoss.example"
SITE: dict[str, list[dict[str, Any]]] = {
    "product": [{"sku": "XX-900", "name": "Rye", "slug": "rye", "price": 10.0, "status": "published"}],
    "user": [{"username": "per.rye", "email": "per.rye@quillmoss.example"}],
}


def _articles(*texts: str) -> Rows:
    return [
        {"Group": f"note-{at}", "Language": "en", "Web name": f"note-{at}-en", "Headline": f"Note {at}", "Text": text,
         "State": "published", "Online from": "2016-05-12 22:00", "Author": "per.rye"}
        for at, text in enumerate(texts, 1)
    ]  # fmt: skip


@pytest.fixture(autouse=True)
def _site(site: StandIn) -> None:
    site.have(SITE)


def _ruled(journey: Journey, rule: TextAddresses) -> None:
    with session() as store:
        now = open_import(store, journey.import_id)
        fields = now.mapping.fields | {
            "title": FieldMapping(columns=("Headline",)),
            "body": FieldMapping(columns=("Text",)),
        }
        changed = now.mapping.model_copy(update={"fields": fields, "addresses": {"body": rule}})
        mapping_station.save_mapping(store, "ada", journey.import_id, now.mapping_version, changed)


RULE = TextAddresses(
    hosts=("old.quillmoss.example",),
    to=(AddressKey(record_type="articles", by="slug"), AddressKey(record_type="products", by="sku", under="shop")),
)


def _bodies(site: StandIn) -> dict[str, str]:
    return {one["slug"]: one["body"] for one in site.bodies("article")}


def _pages(site: StandIn) -> dict[str, str]:
    """The addresses that records have on the site, by their slugs."""
    tables = {"articles": "article", "products": "product"}
    return {
        one["slug"]: f"{site.url}/{name}/{one['id']}" for name, table in tables.items() for one in site.bodies(table)
    }


TEXTS = (
    f'<p>See <a href="{OLD}/notes/note-2-en.html#top">the second</a>.</p>',
    '<p>And <a href="/notes/note-1-en.html">the first</a>, of <a href="/shop/XX-900">rye</a>.</p>',
    '<p>See <a href="/notes/note-2-en.html">it</a> &amp; <a href="/fair.html">the fair</a>.</p>',
)


def test_texts_that_lead_to_each_other_lead_to_the_pages_of_this_site_and_are_taken_back(
    start: Begin, site: StandIn, connected: int
) -> None:
    journey = start("articles", _articles(*TEXTS))
    take(connected, "products", "articles", "users", "terms")
    _ruled(journey, RULE)
    journey.rehearse()
    journey.run()
    done = journey.verify()
    assert done.run is not None
    assert done.verify is not None
    assert (done.verify.mismatches, done.run.failed) == (0, 0)
    pages = _pages(site)
    assert _bodies(site) == {
        "note-1-en": f'<p>See <a href="{pages["note-2-en"]}#top">the second</a>.</p>',
        "note-2-en": f'<p>And <a href="{pages["note-1-en"]}">the first</a>, of <a href="{pages["rye"]}">rye</a>.</p>',
        "note-3-en": f'<p>See <a href="{pages["note-2-en"]}">it</a> &amp; <a href="/fair.html">the fair</a>.</p>',
    }
    again = journey.rehearse().rehearse
    assert again is not None
    assert (again.counts["unchanged"], again.counts["update"]) == (3, 0)
    with session() as store:
        inverse = undo.start_undo(store, "ada", done.run.id).id
    asyncio.run(undo.plan_undo(inverse))
    with session() as store:
        taken = run.start_run(store, "ada", inverse).id
    asyncio.run(run.carry_out(taken))
    assert _bodies(site) == {}


def test_what_another_import_brings_is_led_to_when_it_is_there_and_a_text_waits_for_nothing_that_is_held(
    start: Begin, site: StandIn, connected: int
) -> None:
    articles = start("articles", _articles(
        '<a href="/item.php?id=77">Kale</a>', '<a href="/item.php?id=78">Oats</a>', '<a href="/item.php?id=79">No</a>',
    ))  # fmt: skip
    products = start("products", [
        {"No.": number, "SKU": f"QB-1{number}", "Name": name, "Slug": name.lower(), "Price": price}
        for number, name, price in (("77", "Kale", "3.00"), ("78", "Oats", "dear"))
    ])  # fmt: skip
    by_number = AddressKey(record_type="products", column="No.")
    _ruled(articles, TextAddresses(hosts=(), to=(by_number,), missing="take off"))
    products.rehearse()
    planned = articles.rehearse().rehearse
    assert planned is not None
    assert planned.counts["create"] == 3
    with session() as store:
        shown = ledger(store, articles.import_id, Question(station="rehearse"))
    assert '<a href=\\"→ QB-177\\">Kale</a>' in shown.model_dump_json()
    products.run()
    articles.run()
    done = articles.verify()
    assert done.verify is not None
    assert done.verify.mismatches == 0
    assert _bodies(site) == {
        "note-1-en": f'<a href="{_pages(site)["kale"]}">Kale</a>',
        "note-2-en": "<a >Oats</a>", "note-3-en": "<a >No</a>",
    }  # fmt: skip


def test_a_rule_is_suggested_by_where_most_addresses_lead_and_shown_with_what_leads_nowhere(
    start: Begin, connected: int
) -> None:
    journey = start("articles", _articles(*TEXTS))
    take(connected, "products", "articles", "users", "terms")
    with new_session() as store:
        lead_to_records(store, [journey.import_id])
        store.commit()
    with session() as store:
        now = open_import(store, journey.import_id)
        view = inspect_addresses(store, now, "body", now.mapping)
    assert view.rule == view.suggested == TextAddresses(
        hosts=("old.quillmoss.example",),
        to=(AddressKey(record_type="articles", by="slug", under="notes"),
            AddressKey(record_type="products", by="sku", under="shop")),
    )  # fmt: skip
    assert (view.total, view.led, [one.address for one in view.nowhere]) == (5, 4, ["/fair.html"])
    assert {one.address: one.waits for one in view.examples}["/notes/note-1-en.html"]


def test_a_rule_must_lead_to_what_the_site_keeps(start: Begin) -> None:
    journey = start("articles", _articles(*TEXTS))
    with pytest.raises(InvalidMapping, match="cannot lead to nowhere"):
        _ruled(journey, TextAddresses(to=(AddressKey(record_type="nowhere", by="slug"),)))
    with pytest.raises(InvalidMapping, match="no field"):
        _ruled(journey, TextAddresses(to=(AddressKey(record_type="articles", by="nothing"),)))
