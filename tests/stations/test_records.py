"""Whole records from file to proof: lines, links to what a site, a sheet and other imports have, trees in waves."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import httpx
import pytest

from datorum.core.errors import Conflict, InvalidMapping, NotFound
from datorum.core.model import LinkRule, Mapping
from datorum.core.shape import Correction
from datorum.core.shape.kinds import RowsTogether
from datorum.core.steps import Replace
from datorum.core.table import open_file
from datorum.stations import check, correct, held, link_view, read, run, shape, sources
from datorum.stations.imports import open_import
from datorum.stations.ledger import LinesQuestion, Question, ledger, lines_of
from datorum.stations.rehearse import latest_plan
from datorum.stations.tree_after import tree_after
from datorum.store.database import session
from tests.core.layouts import ENGLISH, SHEETS, as_elements, as_nested, orders
from tests.processes import StandIn
from tests.stations.whole import CUSTOMERS, HASH, ORDERS, SITE, TERMS, Begin, found, mapping_of, relink, take


@pytest.fixture(autouse=True)
def _site(site: StandIn) -> None:
    site.have(SITE)


def test_orders_with_lines_go_to_the_site_and_are_proven(start: Begin, site: StandIn, connected: int) -> None:
    customers = start("customers", CUSTOMERS)
    customers.rehearse()
    assert customers.run().run.done == 2  # type: ignore[union-attr]
    orders = start("orders", ORDERS)
    mapping = mapping_of(orders)
    assert [one.kind for one in mapping.shape] == ["rows together"]
    assert mapping.links["customer_id"].by == ("email",)
    planned = orders.rehearse().rehearse
    assert planned is not None
    assert planned.counts == {"create": 2, "update": 0, "unchanged": 0, "left out": 0, "held": 2, "delete": 0,
                              "unnamed": 0}  # fmt: skip
    assert found(orders) == {
        (6, "customer_id", "link missing"), (7, "lines.product_sku", "link missing"), (7, "total", "sum")
    }  # fmt: skip
    done = orders.run().run
    assert done is not None
    assert (done.done, done.failed) == (2, 0)
    kept = {one["number"]: one for one in site.bodies("order")}
    assert [(one["product_sku"], one["quantity"]) for one in kept[90001]["lines"]] == [("XX-900", 2), ("XX-902", 1)]
    ids = {one["email"]: one["id"] for one in site.bodies()}
    assert kept[90001]["customer_id"] == ids["tone.hasselvik@quillmoss.example"]
    # Letters of e-mails count as the same whatever their case.
    assert kept[90002]["customer_id"] == ids["alf.tyrivik@quillmoss.example"]
    verified = orders.verify().verify
    assert verified is not None
    assert (verified.mismatches, verified.compared) == (0, 2)
    again = orders.rehearse().rehearse
    assert again is not None
    assert (again.counts["create"], again.counts["update"], again.counts["unchanged"]) == (0, 0, 2)


def test_a_line_that_changes_is_told_line_by_line(start: Begin, site: StandIn) -> None:
    customers = start("customers", CUSTOMERS)
    customers.rehearse()
    customers.run()
    orders = start("orders", ORDERS[:4])
    orders.rehearse()
    orders.run()
    more = start("orders", [{**ORDERS[0], "Sum": "90.00", "Qty": "3"}, *ORDERS[1:3],
                            {**ORDERS[3], "Sum": "90.00"}])  # fmt: skip
    planned = more.rehearse().rehearse
    assert planned is not None
    assert planned.counts["update"] == 1
    with session() as store:
        shown = ledger(store, more.import_id, Question(station="rehearse", line=1))
        whole = lines_of(store, more.import_id, LinesQuestion(station="rehearse", path="lines"))
    cells = {line.path: line.cells[0] for line in shown.lines}
    assert shown.records[0].lines == {"lines": 2}
    assert (cells["lines.quantity"].upper, cells["lines.quantity"].lower) == ("2", "3")
    assert (cells["lines.quantity"].mark, cells["lines.product_sku"].mark) == ("changed", "same")
    assert [row[0].lower for row in whole.objects] == ["XX-900", "XX-902"]
    more.run()
    assert more.verify().verify.mismatches == 0  # type: ignore[union-attr]


def test_a_tree_goes_up_with_those_above_first_and_those_that_no_row_stands_for(start: Begin, site: StandIn) -> None:
    terms = start("terms", TERMS)
    assert mapping_of(terms).links["parent_id"].by == ("slug",)
    planned = terms.rehearse().rehearse
    assert planned is not None
    assert planned.counts["create"] == 5
    terms.run()
    kept = {one["slug"]: one for one in site.bodies("term")}
    for below, above in (("round-beets", "beets"), ("beets", "roots-here"), ("chard", "leaves")):
        assert kept[below]["parent_id"] == kept[above]["id"]
    assert kept["leaves"].get("parent_id") is None
    assert terms.verify().verify.mismatches == 0  # type: ignore[union-attr]


def test_what_hangs_on_a_record_that_does_not_go_is_held_with_it(start: Begin, site: StandIn) -> None:
    terms = start("terms", TERMS)
    with session() as store:
        correct.leave_out(store, "ada", terms.import_id, [3])
    planned = terms.rehearse().rehearse
    assert planned is not None
    # The one above is made as it stands above others, and lacks its key; nothing below it goes without it.
    assert planned.counts == {"create": 2, "update": 0, "unchanged": 0, "left out": 1, "held": 3, "delete": 0,
                              "unnamed": 0}  # fmt: skip


def test_a_link_is_left_blank_or_means_a_fixed_record_where_none_is_found(
    start: Begin, connected: int, site: StandIn
) -> None:
    take(connected, "customers", "products")
    orders = start("orders", ORDERS[4:5])
    fixed = str(site.bodies()[0]["id"])
    relink(orders, customer_id={"missing": "fixed", "fixed": fixed})
    assert found(orders) == set()
    assert orders.rehearse().rehearse.counts["create"] == 1  # type: ignore[union-attr]
    orders.run()
    with session() as store:
        ended = run.get_run(store, orders.now().run.id)  # type: ignore[union-attr]
        assert [one.item.message for one in run.failed_rows(store, ended)] == []
    [kept] = [one for one in site.bodies("order") if one["number"] == 90003]
    assert str(kept["customer_id"]) == fixed
    relink(orders, customer_id={"missing": "hold", "fixed": ""})
    assert found(orders) == {(2, "customer_id", "link missing")}


def test_a_link_tells_what_is_nowhere_and_what_it_is_near(start: Begin, connected: int, site: StandIn) -> None:
    known = site.bodies()[0]["email"]
    orders = start("orders", [{**ORDERS[0], "Customer e-mail": known}, {**ORDERS[1], "Customer e-mail": "x" + known}])
    with session() as store:
        unread = link_view.inspect_link(store, open_import(store, orders.import_id), "customer_id", mapping_of(orders))
    assert (unread.unread, unread.missing) == (True, 2)
    take(connected, "customers")
    with session() as store:
        now = open_import(store, orders.import_id)
        link = link_view.inspect_link(store, now, "customer_id", now.mapping)
        shown = ledger(store, orders.import_id, Question(records="first"))
    assert [(one.place, one.count) for one in link.places] == [("on the site", 1)]
    assert [(one.value, one.near) for one in link.misses] == [("x" + known, known.lower())]
    cells = next(line.cells for line in shown.lines if line.path == "customer_id")
    assert cells[0].lower == f"→ {site.bodies()[0]['name']}"
    assert (cells[1].mark, cells[1].note) == ("held", "finds no customer")


def test_the_shape_is_told_with_counts_and_changed_with_what_feeds_fields(start: Begin, site: StandIn) -> None:
    orders = start("orders", ORDERS)
    with session() as store:
        told = shape.shape_view(store, orders.import_id)
        page = shape.records_page(store, orders.import_id, 0, 10)
    assert (told.rows, told.records) == (7, 4)
    assert "7 rows make 4 records" in told.reasons[0]
    assert [one.number for one in page.records] == [2, 3, 6, 7]
    assert [cells[0] for cells in page.records[0].lists["lines"]] == ["XX-900", "XX-902"]
    with session() as store:
        shape.set_shape(store, "ada", orders.import_id, told.version, ())
    with session() as store:
        plain = shape.shape_view(store, orders.import_id)
        other = RowsTogether(key=("Order no.",), lines=("SKU",), into="boxes")
        with pytest.raises(InvalidMapping, match="hold no list boxes"):
            shape.set_shape(store, "ada", orders.import_id, plain.version, (other,))
        with pytest.raises(Conflict):
            shape.set_shape(store, "ada", orders.import_id, told.version, tuple(told.shapes))
    assert (plain.records, plain.shapes) == (7, [])
    assert (3, "number", "same key twice") not in found(orders)
    assert (4, "number", "same key twice") in found(orders)
    with session() as store:
        shape.set_shape(store, "ada", orders.import_id, plain.version, tuple(told.shapes))
    assert {path for path in mapping_of(orders).fields if path.startswith("lines.")} == {
        "lines.product_sku", "lines.quantity", "lines.price"
    }  # fmt: skip


def test_what_differs_within_a_record_is_held_and_mended_where_it_stands(start: Begin, site: StandIn) -> None:
    rows = [ORDERS[0], {**ORDERS[3], "Ordered": "2024-04-01"}, *ORDERS[1:3]]
    orders = start("orders", rows)
    with session() as store:
        told = shape.shape_view(store, orders.import_id)
        together = RowsTogether(key=("Order no.",), lines=("SKU", "Qty", "Price each"), into="lines")
        shape.set_shape(store, "ada", orders.import_id, told.version, (together,))
    assert (2, "placed_at", "differs") in found(orders)
    with session() as store:
        correct.correct_cells(store, "ada", orders.import_id, [Correction(3, "Ordered", "2024-03-01")])
    assert not {one for one in found(orders) if one[2] == "differs"}
    with session() as store:
        correct.correct_cells(store, "ada", orders.import_id, [Correction(3, "Order no.", "90009")])
    with session() as store:
        assert shape.shape_view(store, orders.import_id).records == 3


def test_held_records_come_back_with_all_of_their_rows(start: Begin, site: StandIn, tmp_path: Path) -> None:
    rows = [{**ORDERS[0], "Qty": "two"}, *ORDERS[1:4]]
    orders = start("orders", rows)
    with session() as store:
        check.check_import(store, "ada", orders.import_id)
        held.write_held_rows(store, orders.import_id, tmp_path / "held.csv")
    with open_file(tmp_path / "held.csv", "held.csv") as file:
        found = file.read(file.guess()).collect().frame
    assert found["Row"].to_list() == ["2", "5"]
    assert "belongs to the record of row 2" in found["Why held"][1]


def test_lines_in_a_second_file_are_joined_and_what_belongs_nowhere_is_told(
    start: Begin, site: StandIn, connected: int, tmp_path: Path
) -> None:
    heads = [{name: row[name] for name in ("Order no.", "Customer e-mail", "Ordered", "Sum")} for row in ORDERS]
    orders = start("orders", [heads[0], heads[1], heads[4]])
    path = tmp_path / "lines.csv"
    lines = [f"{row['Order no.']},{row['SKU']},{row['Qty']},{row['Price each']}" for row in ORDERS]
    path.write_text("\n".join(["Order no.,SKU,Qty,Price each", *lines]))
    with session() as store:
        sources.add_file(store, "ada", orders.import_id, "lines.csv", path)
    with session() as store:
        told = shape.shape_view(store, orders.import_id)
        joined = [one.shape for one in told.found if one.shape.kind == "with a second sheet"]
        shape.set_shape(store, "ada", orders.import_id, told.version, tuple(joined))
    with session() as store:
        page = shape.records_page(store, orders.import_id, 0, 5)
        with pytest.raises(Conflict, match="draw on"):
            sources.remove_sheet(store, "ada", orders.import_id, "lines.csv")
        with pytest.raises(NotFound):
            sources.remove_sheet(store, "ada", orders.import_id, "other.csv")
        result = check.check_import(store, "ada", orders.import_id)
    assert [len(one.lists["lines"]) for one in page.records] == [2, 2, 1]
    groups = {(group["rule"], group["count"]) for group in result.groups}
    assert ("no head", 2) in groups
    assert result.rows == 3


def test_mappings_of_before_open_with_the_key_of_a_link_as_a_word() -> None:
    assert Mapping.model_validate({"links": {"customer_id": "email"}}).links["customer_id"] == LinkRule(by=("email",))


@pytest.mark.parametrize("layout", list(SHEETS))
def test_orders_in_any_layout_are_as_many_records_with_as_many_lines(start: Begin, site: StandIn, layout: str) -> None:
    made = orders(40)
    journey = start("orders", SHEETS[layout](made, ENGLISH))
    with session() as store:
        result = check.check_import(store, "ada", journey.import_id)
        page = shape.records_page(store, journey.import_id, 0, 100)
        shown = ledger(store, journey.import_id, Question(records="first", line=1))
    assert (result.rows, result.ready, result.held) == (40, 40, 0), result.groups
    assert [len(one.lists["lines"]) for one in page.records] == [len(one["lines"]) for one in made]
    skus = next(line.cells for line in shown.lines if line.path == "lines.product_sku")
    assert [cell.lower for cell in skus] == [one["lines"][0]["product_sku"] for one in made[:3]]


@pytest.mark.parametrize(("name", "write"), [("orders.json", as_nested), ("orders.xml", as_elements)])
def test_orders_of_documents_are_as_many_records_with_as_many_lines(
    connected: int, site: StandIn, tmp_path: Path, name: str, write: Callable[[list[dict[str, Any]]], str]
) -> None:
    made = orders(40)
    (tmp_path / name).write_text(write(made))
    with session() as store:
        number = read.start_import(store, "ada", connected, "orders", name, tmp_path / name).id
    with session() as store:
        result = check.check_import(store, "ada", number)
        page = shape.records_page(store, number, 0, 100)
    assert (result.rows, result.ready, result.held) == (40, 40, 0), result.groups
    assert [len(one.lists["lines"]) for one in page.records] == [len(one["lines"]) for one in made]


def test_a_tree_is_looked_at_as_one(start: Begin, site: StandIn) -> None:
    terms = start("terms", TERMS)
    with session() as store:
        page = shape.records_page(store, terms.import_id, 0, 10)
        rest = shape.records_page(store, terms.import_id, 3, 10)
    name = page.columns.index("Name")
    shown = [(one.cells[name], one.deep) for one in page.records]
    assert shown == [("Roots", 0), ("Beets", 1), ("Round", 2), ("Leaves", 0), ("Chard", 1)]
    assert [one.cells[name] for one in rest.records] == ["Leaves", "Chard"]


def test_a_link_by_what_the_other_record_has_not_is_refused(start: Begin, site: StandIn) -> None:
    orders = start("orders", ORDERS)
    with pytest.raises(InvalidMapping, match="no field “mail”"):
        relink(orders, customer_id={"by": ("mail",)})


def test_a_tree_is_looked_at_as_it_would_be_after_the_run(start: Begin, site: StandIn) -> None:
    roots = {"vocabulary_name": "category", "slug": "roots-here", "name": "Roots", "position": 1}
    beets = {"vocabulary_name": "category", "slug": "beets", "name": "Beets", "position": 2}
    site.have({**SITE, "term": [roots, beets]})
    terms = start("terms", TERMS)
    terms.rehearse()
    with session() as store:
        plan = latest_plan(store, terms.import_id)
        assert plan is not None
        whole = tree_after(store, plan, 0, 10)
        part = tree_after(store, plan, 2, 2)
    assert [(node.label, node.deep, node.mark, node.was_below) for node in whole.nodes] == [
        ("Leaves", 0, "new", None), ("Chard", 1, "new", None), ("Roots", 0, "same", None),
        ("Beets", 1, "moved", "the top"), ("Round", 2, "new", None),
    ]  # fmt: skip
    assert (part.total, [node.label for node in part.nodes]) == (5, ["Roots", "Beets"])


def test_users_sign_in_with_the_passwords_that_the_old_site_has_kept(start: Begin, site: StandIn) -> None:
    people = [{"Login": f"moss.{at}", "E-mail": f"moss{at}@quillmoss.example", "Level": "subscriber",
               "Stored password": HASH if at else ""} for at in range(6)]  # fmt: skip
    journey = start("users", people)
    assert mapping_of(journey).fields["password_hash"].steps == (Replace(find="$2y$", by="$2b$"),)
    checked = journey.rehearse()
    assert checked.rehearse.counts["create"] == 6  # type: ignore[union-attr]
    assert journey.run().run.failed == 0  # type: ignore[union-attr]
    for name, typed, status in (("moss.3", "rye-and-moss", 200), ("moss.3", "wrong", 401), ("moss.0", "x", 401)):
        answer = httpx.post(f"{site.url}/sign-in", data={"username": name, "password": typed}, timeout=180)
        assert answer.status_code == status
    # What is never given back is not compared, and nothing of it is told.
    assert journey.verify().verify.mismatches == 0  # type: ignore[union-attr]
    assert "$2" not in httpx.get(f"{site.url}/users/1", timeout=180).text
