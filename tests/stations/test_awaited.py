"""What another import is to bring stays open in a plan, and is filled in as it runs."""

from __future__ import annotations

import pytest

from datorum.core.model import FieldMapping, LinkRule
from datorum.stations import correct, link_view, run
from datorum.stations import map as mapping_station
from datorum.stations.awaited import Lacking, lacking
from datorum.stations.imports import open_import
from datorum.stations.ledger import Question, ledger
from datorum.stations.plan_book import write_plan
from datorum.stations.preflight import Point, preflight
from datorum.stations.rehearse import latest_plan
from datorum.stations.site_now import SiteNow
from datorum.store import models
from datorum.store.database import session
from tests.processes import StandIn
from tests.stations.conftest import Journey
from tests.stations.whole import CUSTOMERS, ORDERS, SITE, TERMS, Begin, found, mapping_of, relink, take


@pytest.fixture(autouse=True)
def _site(site: StandIn) -> None:
    site.have(SITE)


def _plan_of(journey: Journey) -> int:
    with session() as store:
        plan = latest_plan(store, journey.import_id)
        assert plan is not None
        return plan.id


def _linked(journey: Journey) -> Point:
    with session() as store:
        points = preflight(store, store.get_one(models.Plan, _plan_of(journey)), SiteNow())
        return next(one for one in points if one.name == "linked imports")


def _refused(journey: Journey) -> list[str]:
    with session() as store:
        ended = run.get_run(store, journey.now().run.id)  # type: ignore[union-attr]
        return [one.item.message for one in run.failed_rows(store, ended)]


def test_a_plan_holds_nothing_for_what_another_is_to_bring_and_takes_it_when_that_has_run(
    start: Begin, site: StandIn
) -> None:
    customers, orders = start("customers", CUSTOMERS), start("orders", ORDERS[:4])
    customers.rehearse()
    planned = orders.rehearse().rehearse
    assert planned is not None
    assert (planned.counts["create"], planned.counts["held"], planned.made) == (2, 0, {})
    with session() as store:
        link = link_view.inspect_link(store, open_import(store, orders.import_id), "customer_id", mapping_of(orders))
        shown = ledger(store, orders.import_id, Question(station="rehearse"))
        assert lacking(store, planned.id) == [Lacking("Customers", 2)]
    assert [(one.place, one.count, one.awaited) for one in link.places] == [("to be brought by Customers", 2, True)]
    [cells] = [line.cells for line in shown.lines if line.path == "customer_id"]
    assert [cell.lower for cell in cells] == ["→ tone.hasselvik@quillmoss.example", "→ alf.tyrivik@quillmoss.example"]
    point = _linked(orders)
    assert (point.state, point.text) == ("warned", "it means 2 records of Customers, not on the site yet")

    # That it has run, and was read back, is what was planned.
    customers.run()
    customers.verify()
    assert orders.now().rehearse.stale == ""  # type: ignore[union-attr]
    assert _linked(orders).state == "good"
    assert orders.run().run.done == 2  # type: ignore[union-attr]
    ids = {one["email"]: one["id"] for one in site.bodies()}
    kept = {one["number"]: one["customer_id"] for one in site.bodies("order")}
    assert kept == {90001: ids["tone.hasselvik@quillmoss.example"], 90002: ids["alf.tyrivik@quillmoss.example"]}
    verified = orders.verify().verify
    assert verified is not None
    assert (verified.mismatches, verified.compared) == (0, 2)


def test_what_goes_before_what_it_means_is_refused_with_the_name_of_what_is_lacking(
    start: Begin, site: StandIn
) -> None:
    customers, orders = start("customers", CUSTOMERS), start("orders", ORDERS[:4])
    customers.rehearse()
    orders.rehearse()
    assert orders.run().run.failed == 2  # type: ignore[union-attr]
    assert _refused(orders)[0] == (
        "“tone.hasselvik@quillmoss.example”, which it means, is not on the site: it was to be brought by Customers."
    )
    assert site.bodies("order") == []


def test_what_an_earlier_import_of_the_same_sheet_was_to_bring_is_not_awaited(start: Begin, site: StandIn) -> None:
    given_up, customers, orders = (
        start("customers", CUSTOMERS), start("customers", CUSTOMERS), start("orders", ORDERS[:4])
    )  # fmt: skip
    for one in (given_up, customers, orders):
        one.rehearse()
    customers.run()
    ran = orders.run().run
    assert ran is not None
    assert (ran.done, ran.failed) == (2, 0)
    # Nor is what a later one may bring, of what is there by now.
    relink(orders, customer_id={"look": ("imports",)})
    start("customers", CUSTOMERS).rehearse()
    again = orders.rehearse().rehearse
    assert again is not None
    assert again.counts["unchanged"] == 2
    with session() as store:
        assert lacking(store, again.id) == []


def test_a_plan_is_stale_once_what_it_awaits_is_planned_otherwise(start: Begin) -> None:
    customers, orders = start("customers", CUSTOMERS), start("orders", ORDERS[:4])
    customers.rehearse()
    orders.rehearse()
    with session() as store:
        correct.leave_out(store, "ada", customers.import_id, [3])
    assert orders.now().rehearse.stale  # type: ignore[union-attr]
    customers.rehearse()
    # Of what does not go, nothing is to be brought.
    assert orders.rehearse().rehearse.counts["held"] == 1  # type: ignore[union-attr]
    assert found(orders) == {(3, "customer_id", "link missing")}


def test_what_a_check_holds_is_not_awaited_before_there_is_a_plan(start: Begin, connected: int) -> None:
    take(connected, "customers", "products")
    customers = start("customers", [CUSTOMERS[0], {**CUSTOMERS[1], "Name": ""}])
    orders = start("orders", ORDERS[:4])
    assert found(orders) == set()
    assert found(customers) == {(3, "name", "required")}
    assert found(orders) == {(3, "customer_id", "link missing")}


def test_a_plan_on_paper_says_whom_it_awaits(start: Begin, tmp_path_factory: pytest.TempPathFactory) -> None:
    customers, orders = start("customers", CUSTOMERS), start("orders", ORDERS[:4])
    customers.rehearse()
    orders.rehearse()
    path = tmp_path_factory.mktemp("plan") / "plan.csv"
    with session() as store:
        write_plan(store, store.get_one(models.Plan, _plan_of(orders)), path)
    lines = path.read_text().splitlines()
    assert len(lines) == 3
    assert "tone.hasselvik@quillmoss.example, to be brought by Customers" in lines[1]


OLD = [{"Old no.": f"C{number}", **one} for number, one in enumerate(CUSTOMERS, 1)]


def test_a_record_is_looked_for_by_what_the_sheet_alone_has_that_brings_it(start: Begin, site: StandIn) -> None:
    """The number that a customer had at the old shop, of which the new site knows nothing."""
    customers = start("customers", OLD)
    numbers = {"tone.hasselvik@quillmoss.example": "C1", "alf.tyrivik@quillmoss.example": "c2 "}
    numbered = [{**one, "Customer e-mail": numbers[one["Customer e-mail"].lower()]} for one in ORDERS[:4]]
    orders = start("orders", numbered)
    with session() as store:
        now = open_import(store, orders.import_id)
        fed, rule = FieldMapping(columns=("Customer e-mail",)), LinkRule(column="Old no.")
        changed = now.mapping.model_copy(update={
            "fields": {**now.mapping.fields, "customer_id": fed}, "links": {**now.mapping.links, "customer_id": rule},
        })  # fmt: skip
        mapping_station.save_mapping(store, "ada", orders.import_id, now.mapping_version, changed)
        view = link_view.inspect_link(store, open_import(store, orders.import_id), "customer_id", changed)
    assert {"Old no.", "E-mail", "Member number"} <= {one.column for one in view.keys}
    assert "what stands in Old no." in rule.sentence()
    customers.rehearse()
    assert orders.rehearse().rehearse.counts["create"] == 1  # type: ignore[union-attr]
    customers.run()
    # What has run is found by it as well.
    assert orders.rehearse().rehearse.counts["create"] == 1  # type: ignore[union-attr]
    orders.run()
    ids = {one["email"]: one["id"] for one in site.bodies()}
    assert [one["customer_id"] for one in site.bodies("order")] == [ids["tone.hasselvik@quillmoss.example"]]


def test_a_column_and_fields_are_not_both_a_key() -> None:
    with pytest.raises(ValueError, match="not by both"):
        LinkRule(by=("email",), column="Old no.")


def test_answers_find_what_they_answer_by_a_number_that_the_site_does_not_keep(start: Begin, site: StandIn) -> None:
    site.have({**SITE, "article": [{"slug": "rye", "language": "en", "title": "Rye"}]})
    rows = [
        {"No.": number, "Article": "rye", "Answers no.": above, "Author name": "Ada", "Text": text,
         "Said": f"2024-03-0{number} 10:00"}
        for number, above, text in (("3", "2", "So it is."), ("2", "1", "Is it?"), ("1", "", "Rye it is."),
                                    ("4", "1", "No."), ("5", "", "Oats."))
    ]  # fmt: skip
    comments = start("comments", rows)
    mapping = mapping_of(comments)
    assert (mapping.links["parent_id"].column, mapping.links["article_id"].by) == ("No.", ("slug",))
    assert mapping.keys == ("posted_at", "author_name")
    comments.rehearse()
    assert _linked(comments).state == "good"
    assert comments.run().run.failed == 0  # type: ignore[union-attr]
    kept = {one["body"]: one for one in site.bodies("comment")}
    above = {text: kept[text].get("parent_id") for text in kept}
    assert above["So it is."] == kept["Is it?"]["id"]
    assert above["Is it?"] == above["No."] == kept["Rye it is."]["id"]
    assert above["Oats."] is None
    assert comments.verify().verify.mismatches == 0  # type: ignore[union-attr]
    # Told apart by when it was said and by whom, nothing is there twice.
    assert comments.rehearse().rehearse.counts["unchanged"] == 5  # type: ignore[union-attr]


def test_terms_below_what_another_sheet_brings_are_awaited_too(start: Begin) -> None:
    start("terms", TERMS[3:])
    below = start("terms", [{"Name": "Rainbow chard", "Slug": "rainbow", "Vocabulary": "category", "Parent": "chard"}])
    with session() as store:
        now = open_import(store, below.import_id)
        fields = {
            **now.mapping.fields,
            "parent_id": now.mapping.fields["slug"].model_copy(update={"columns": ("Parent",)}),
        }
        changed = now.mapping.model_copy(update={"fields": fields, "links": {"parent_id": LinkRule(by=("slug",))}})
        mapping_station.save_mapping(store, "ada", below.import_id, now.mapping_version, changed)
    assert below.rehearse().rehearse.counts["create"] == 1  # type: ignore[union-attr]
    with session() as store:
        assert [one.records for one in lacking(store, _plan_of(below))] == [1]
