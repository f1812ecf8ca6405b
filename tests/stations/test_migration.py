"""Migrations: sheets dropped together, recognised and put in order, and all of them taken to the site and back."""

from __future__ import annotations

import asyncio
import csv
import io
import zipfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import httpx
import pytest
import xlsxwriter

from datorum.core.errors import Conflict, NotFound, NotReady, UnreadableFile
from datorum.core.model import FieldMapping, LinkRule
from datorum.jobs.queue import do
from datorum.stations import correct, rehearse, run
from datorum.stations import map as mapping_station
from datorum.stations.imports import open_import
from datorum.stations.migration import drop, migrations, walk
from datorum.stations.migration.board import Board, Card, board
from datorum.stations.migration.drop import Unread
from datorum.stations.migration.ready import open_points
from datorum.stations.overview import RehearseState, overview
from datorum.stations.rehearse import latest_plan
from datorum.stations.site_now import SiteNow
from datorum.store import plan_items
from datorum.store.database import session
from tests.processes import StandIn
from tests.stations.conftest import Journey
from tests.stations.whole import (
    ARTICLES,
    COMMENTS,
    CUSTOMERS,
    ENTRIES,
    OFFERS,
    ORDERS,
    PRODUCTS,
    SITE,
    TERMS,
    USERS,
    Begin,
    Rows,
)

HEADS: Rows = [{name: row[name] for name in ("Order no.", "Customer e-mail", "Ordered", "Sum")}
               for row in (ORDERS[0], ORDERS[1])]  # fmt: skip
LINES: Rows = [{"Of order": row["Order no."], "SKU": row["SKU"], "Qty": row["Qty"], "Price each": row["Price each"]}
               for row in ORDERS[:4]]  # fmt: skip
NOISE: Rows = [{"Bed": f"A{number}", "Rain mm": "3.5", "Frost": "no"} for number in range(4)]
AGREED = ("mail", "snapshot", "backup", "columns", "pilot", "disk", "site", "quiet hours", "worker")
KNOWN = tuple(one for one in AGREED if one != "site")
"""All but that the site is another than it was when it was read."""


@pytest.fixture(autouse=True)
def _site(site: StandIn) -> None:
    site.have(SITE)


class Move:
    """A migration, as somebody at its board has it."""

    def __init__(self, site_id: int, folder: Path) -> None:
        self._folder = folder
        with session() as store:
            self.id = migrations.start_migration(store, "ada", site_id, "A move").id

    def drop(self, name: str, rows: Rows) -> list[Unread]:
        text = io.StringIO()
        writer = csv.DictWriter(text, list(rows[0]))
        writer.writeheader()
        writer.writerows(rows)
        path = self._folder / name
        path.write_text(text.getvalue())
        return self.drop_path(path)

    def drop_path(self, path: Path) -> list[Unread]:
        with session() as store:
            return drop.drop_file(store, "ada", self.id, path.name, path)

    def now(self) -> Board:
        with session() as store:
            return board(store, self.id)

    def card(self, name: str) -> Card:
        return next(one for one in self.now().cards if one.name == name)

    def limit(self, most: float) -> None:
        with session() as store:
            migrations.change_migration(store, "ada", self.id, held_most=most)

    def go(self, goal: walk.Goal, agreed: tuple[str, ...] = AGREED) -> Board:
        """Have all taken to a goal, with workers that do what they are told."""
        with session() as store:
            walk.go(store, "ada", self.id, goal, agreed)
        asyncio.run(self._until_through())
        return self.now()

    def rehearsed_anew(self, import_id: int) -> None:
        """Have one import rehearsed for itself."""
        with session() as store:
            plan = rehearse.start_rehearsal(store, "ada", import_id).id
        asyncio.run(do("rehearse", plan))

    def plan_of(self, import_id: int) -> RehearseState:
        """How the rehearsal of an import stands."""
        with session() as store:
            found = overview(store, import_id).rehearse
        assert found is not None
        return found

    async def _until_through(self) -> None:
        for _ in range(60):
            for one in await walk.go_on(self.id):
                await do(one.kind, one.subject)
            for number in run.runs_under_way():
                await run.carry_out(number)
            if self.now().going_to is None:
                return
        raise AssertionError("it goes on and on")


@pytest.fixture
def move(connected: int, tmp_path: Path) -> Move:
    return Move(connected, tmp_path)


@pytest.fixture
def three(move: Move) -> Move:
    """What is named last dropped first."""
    move.drop("orders.csv", ORDERS[:4])
    move.drop("customers.csv", CUSTOMERS)
    move.drop("terms.csv", TERMS)
    return move


def _layers(shown: Board) -> dict[str, int]:
    return {one.name: one.layer for one in shown.cards}


def test_files_are_recognised_and_stand_in_the_order_that_their_links_demand(three: Move) -> None:
    shown = three.now()
    assert _layers(shown) == {"Customers": 0, "Terms": 0, "Orders": 1}
    assert (shown.layers, shown.undecided, shown.going_to) == (2, [], None)
    [line] = [one for one in shown.lines if one.path == "customer_id"]
    assert (line.by, line.counted, line.to_import) == (["E-mail"], False, three.card("Customers").import_id)
    assert [one.station for one in three.card("Orders").stations] == [
        "read",
        "map",
        "check",
        "rehearse",
        "run",
        "verify",
    ]


def test_what_a_sheet_of_the_migration_brings_is_awaited_of_it_and_of_no_later_import(
    three: Move, start: Begin
) -> None:
    start("customers", CUSTOMERS).rehearse()
    three.go("rehearse")
    shown = three.go("run")
    assert shown.stopped == ""
    assert [card.stations[4].done for card in shown.cards] == [1, 1, 1]


def test_what_the_site_refused_is_rehearsed_again_with_all_and_goes_when_that_is_settled(
    move: Move, site: StandIn
) -> None:
    home = {"Street": "Moss Lane 1", "Postcode": "10115", "City": "Mossby", "Country": "NO"}
    move.drop("customers.csv", [{**one, **home} for one in CUSTOMERS])
    move.go("rehearse")
    site.behave(postcode_digits=4)
    assert move.go("run").stopped == "Customers: 2 of 2 are refused, 100.0 %. The limit is 2 %."
    before = move.card("Customers").import_id
    refused = move.plan_of(before).id
    site.behave()
    assert move.go("rehearse").stopped == ""
    assert move.plan_of(before).id > refused
    again = move.plan_of(before).id
    assert move.go("rehearse").stopped == ""
    assert move.plan_of(before).id == again, "once is enough"
    assert move.go("run").stopped == ""
    assert site.count() == len(site.on_site) + 2
    assert move.go("rehearse").stopped == ""
    assert move.plan_of(before).id == again, "what has gone is through"


def test_a_second_sheet_of_a_kind_is_called_by_its_file(move: Move) -> None:
    move.drop("customers.csv", CUSTOMERS)
    move.drop("customers-of-2019.csv", [{**one, "E-mail": f"old-{one['E-mail']}"} for one in CUSTOMERS])
    assert sorted(_layers(move.now())) == ["Customers", "Customers, customers-of-2019"]


def test_the_same_file_twice_is_the_same(move: Move) -> None:
    move.drop("customers.csv", CUSTOMERS)
    move.drop("customers.csv", CUSTOMERS)
    assert len(move.now().cards) == 1


def test_what_is_like_nothing_waits_to_be_decided_on(move: Move) -> None:
    move.drop("weather.csv", NOISE)
    [one] = move.now().undecided
    assert (one.filename, one.rows, one.headers) == ("weather.csv", 4, ["Bed", "Rain mm", "Frost"])
    with session() as store:
        item = drop.decide(store, "ada", move.id, one.id, "products")
        assert (item.record_type, item.migration_id) == ("products", move.id)
    assert move.now().undecided == []
    # It was no such thing either: it is one of another kind, and then none at all.
    with session() as store:
        drop.decide(store, "ada", move.id, one.id, "users")
    assert [card.record_type for card in move.now().cards] == ["users"]
    with session() as store:
        drop.let_go(store, "ada", move.id, one.id)
        with pytest.raises(NotFound):
            drop.let_go(store, "ada", move.id, one.id)
    assert (move.now().cards, move.now().undecided) == ([], [])


@pytest.mark.parametrize("names", [("heads.csv", "lines.csv"), ("lines.csv", "heads.csv")])
def test_lines_in_a_file_of_their_own_are_joined_to_the_orders_that_they_are_of(
    move: Move, names: tuple[str, str]
) -> None:
    for name in names:
        move.drop(name, HEADS if name == "heads.csv" else LINES)
    [card] = move.now().cards
    assert (card.name, card.files) == ("Orders", ["heads.csv", "lines.csv"])
    with session() as store:
        mapping = open_import(store, card.import_id).mapping
        assert {"lines.csv"} == {name for shape in mapping.shape for name in shape.sheets}
    assert {"lines.product_sku", "lines.quantity"} <= mapping.fields.keys()
    assert move.now().undecided == []


def test_each_sheet_of_a_workbook_is_taken_for_what_it_is(move: Move, tmp_path: Path) -> None:
    path = tmp_path / "shop.xlsx"
    with xlsxwriter.Workbook(path) as book:
        for name, rows in (("People", CUSTOMERS), ("Heads", HEADS), ("Lines", LINES)):
            sheet = book.add_worksheet(name)
            for at, row in enumerate([dict(zip(rows[0], rows[0], strict=True)), *rows]):
                sheet.write_row(at, 0, list(row.values()))
    assert move.drop_path(path) == []
    shown = move.now()
    assert _layers(shown) == {"Customers": 0, "Orders": 1}
    assert move.card("Orders").files == ["shop.xlsx", "shop.xlsx"]
    assert shown.undecided == []


def test_a_file_that_is_none_leaves_the_board_as_it_was(move: Move, tmp_path: Path) -> None:
    path = tmp_path / "broken.xlsx"
    path.write_bytes(b"PK\x03\x04 no workbook")
    with pytest.raises(UnreadableFile):
        move.drop_path(path)
    assert (move.now().cards, move.now().undecided) == ([], [])


def test_all_are_checked_and_what_is_nowhere_is_told(three: Move) -> None:
    with session() as store:
        correct.leave_out(store, "ada", three.card("Customers").import_id, [3])
    shown = three.go("check")
    assert (shown.stopped, shown.links_missing) == ("", 1)
    [gap] = shown.gaps
    assert (gap.name, gap.path, gap.missing, gap.of, gap.brought, gap.unread) == (
        "Orders", "customer_id", 1, 2, True, False
    )  # fmt: skip
    [line] = [one for one in shown.lines if one.path == "customer_id"]
    assert (line.awaited, line.found, line.missing, line.counted) == (1, 0, 1, True)
    # Of the site's own records the lines find the products.
    [sku] = [one for one in shown.lines if one.path == "lines.product_sku"]
    assert (sku.to_import, sku.found) == (None, 4)


def test_all_run_in_their_order_each_read_back_and_are_taken_back_in_the_reverse(three: Move, site: StandIn) -> None:
    before = {kind: site.bodies(kind) for kind in ("customer", "order", "term")}
    rehearsed = three.go("rehearse")
    assert (rehearsed.create, rehearsed.held, rehearsed.stopped) == (9, 0, "")
    done = three.go("run")
    assert done.stopped == ""
    assert [one.stations[5].text for one in done.cards] == [
        "2 records, 0 fields differ", "5 records, 0 fields differ", "2 records, 0 fields differ"
    ]  # fmt: skip
    assert len(site.bodies("order")) == len(before["order"]) + 2
    # A second time there is nothing to do.
    assert three.go("run").stopped == ""
    assert len(site.bodies("order")) == len(before["order"]) + 2

    looked = three.go("rehearse undo")
    assert {one.name: one.back for one in looked.cards} == {
        "Customers": {"delete": 2}, "Terms": {"delete": 5}, "Orders": {"delete": 2}
    }  # fmt: skip
    undone = three.go("undo")
    assert undone.stopped == ""
    assert {one.stations[4].text for one in undone.cards} == {"taken back"}
    assert {kind: site.bodies(kind) for kind in before} == before

    # What was taken back is to be brought anew once it is rehearsed.
    again = three.go("rehearse")
    assert (again.create, again.held, again.links_missing) == (9, 0, 0)
    assert three.go("run").stopped == ""
    assert len(site.bodies("order")) == len(before["order"]) + 2


def test_runs_stop_where_more_is_held_than_somebody_has_set(move: Move, site: StandIn) -> None:
    move.drop("customers.csv", [*CUSTOMERS, {**CUSTOMERS[0], "E-mail": "none", "Member number": "Q-90009"}])
    move.drop("orders.csv", ORDERS[:4])
    move.limit(20)
    assert move.go("rehearse").stopped == ""
    stopped = move.go("run")
    assert stopped.stopped == "Customers: 1 of 3 are held, 33.3 %. The limit is 20 %."
    assert site.bodies("order") == []
    move.limit(50)
    assert move.go("run").stopped == ""
    assert len(site.bodies("order")) == 2


def test_what_is_not_in_order_is_agreed_to_by_name_or_stops(three: Move, site: StandIn) -> None:
    three.go("rehearse")

    def as_rehearsed(plans: Sequence[int]) -> list[SiteNow]:
        return [SiteNow(0, False)] * len(plans)

    with session() as store:
        points = {one.name: one for one in open_points(store, three.id, as_rehearsed)}
    assert set(points["pilot"].imports) == {"Customers", "Terms", "Orders"}
    # That orders await their customers is in order: these go before.
    assert "linked imports" not in points
    stopped = three.go("run", ())
    assert "no pilot went first" in stopped.stopped
    assert stopped.stopped.startswith("Customers: ")


def test_only_what_was_rehearsed_runs(three: Move) -> None:
    with session() as store, pytest.raises(NotReady, match=r"Customers, Terms, Orders|Orders, Customers, Terms"):
        walk.go(store, "ada", three.id, "run")
    three.go("rehearse")
    with session() as store:
        correct.leave_out(store, "ada", three.card("Orders").import_id, [4])
    with session() as store, pytest.raises(NotReady, match="Orders"):
        walk.go(store, "ada", three.id, "run")


def test_somebody_stops_it_and_two_goals_are_not_followed_at_once(three: Move) -> None:
    with session() as store:
        walk.go(store, "ada", three.id, "check")
    with session() as store, pytest.raises(Conflict, match="check"):
        walk.go(store, "bo", three.id, "rehearse")
    with session() as store, pytest.raises(Conflict):
        migrations.remove_migration(store, "ada", three.id)
    with session() as store:
        walk.halt(store, "bo", three.id)
    assert three.now().stopped == "bo stopped it."
    assert asyncio.run(walk.go_on(three.id)) == []


def test_an_empty_board_goes_nowhere(move: Move) -> None:
    with session() as store, pytest.raises(NotReady, match="no imports yet"):
        walk.go(store, "ada", move.id, "check")


def test_an_import_by_itself_joins_a_board_and_leaves_it_as_it_was(move: Move, start: Begin) -> None:
    alone: Journey = start("customers", CUSTOMERS)
    with session() as store:
        migrations.add_import(store, "ada", move.id, alone.import_id)
    assert move.card("Customers").sheet_id is None
    with session() as store:
        migrations.take_out_import(store, "ada", move.id, alone.import_id)
        with pytest.raises(NotFound):
            migrations.take_out_import(store, "ada", move.id, alone.import_id)
    assert move.now().cards == []
    assert alone.now().name == "Customers"


def test_what_a_migration_leaves_behind_are_its_imports(three: Move) -> None:
    numbers = [one.import_id for one in three.now().cards]
    with session() as store:
        assert [(one.name, one.imports, one.undecided) for one in migrations.list_migrations(store)] == [
            ("A move", 3, 0)
        ]
        migrations.remove_migration(store, "ada", three.id)
    with session() as store:
        assert migrations.list_migrations(store) == []
        assert [open_import(store, number).item.migration_id for number in numbers] == [None, None, None]


def test_what_has_run_is_not_another_kind_any_more(three: Move) -> None:
    three.go("rehearse")
    three.go("run")
    customers = three.card("Customers")
    assert customers.sheet_id is not None
    with session() as store, pytest.raises(Conflict, match="has run"):
        drop.decide(store, "ada", three.id, customers.sheet_id, "users")


def test_what_a_sheet_means_is_told_by_the_sheet_that_has_it_in_whatever_order_they_come(move: Move) -> None:
    people = ["Tone Hasselvik", "Alf Tyrivik", "Marit Vassbotn", "Odd Kornholt", "Eli Mosevik"]
    old = [{"Old no.": str(400 + number), "Name": name, "E-mail": f"{name.lower().replace(' ', '.')}@quillmoss.example",
            "Member number": f"Q-{90_001 + number}"} for number, name in enumerate(people)]  # fmt: skip
    orders = [{**ORDERS[0], "Order no.": str(90_100 + number), "Customer e-mail": str(400 + number), "Sum": "40.00"}
              for number in range(5)]  # fmt: skip
    move.drop("orders.csv", [{("Customer no." if name == "Customer e-mail" else name): value
                              for name, value in row.items()} for row in orders])  # fmt: skip
    move.drop("customers.csv", old)
    with session() as store:
        mapping = open_import(store, move.card("Orders").import_id).mapping
    assert mapping.fields["customer_id"].columns == ("Customer no.",)
    assert mapping.links["customer_id"].column == "Old no."
    shown = move.go("rehearse")
    [line] = [one for one in shown.lines if one.path == "customer_id"]
    assert (line.by, line.awaited, line.missing) == (["Old no."], 5, 0)
    assert move.go("run").stopped == ""
    assert move.card("Orders").stations[5].text == "5 records, 0 fields differ"


def test_sheets_that_need_each_other_are_told_and_put_right_by_a_second_pass(move: Move, site: StandIn) -> None:
    columns = ("Name", "Slug", "Vocabulary", "Parent")
    sheets = {
        "roots.csv": [("Beets", "beets", "category", "garden"), ("Roots", "roots", "category", ""),
                      ("Round", "round", "category", "beets")],
        "garden.csv": [("Garden", "garden", "category", "roots"), ("Field", "field", "category", ""),
                       ("Meadow", "meadow", "category", "field")],
    }  # fmt: skip
    before = site.bodies("term")
    for name, rows in sheets.items():
        move.drop(name, [dict(zip(columns, row, strict=True)) for row in rows])
    for card in move.now().cards:
        with session() as store:
            now = open_import(store, card.import_id)
            fields = {**now.mapping.fields, "parent_id": FieldMapping(columns=("Parent",))}
            changed = now.mapping.model_copy(update={
                "fields": fields, "shape": (), "links": {**now.mapping.links, "parent_id": LinkRule(by=("slug",))},
            })  # fmt: skip
            mapping_station.save_mapping(store, "ada", card.import_id, now.mapping_version, changed)
    assert {one.later for one in move.now().lines if one.path == "parent_id"} == {True, False}
    rehearsed = move.go("rehearse")
    assert (rehearsed.create, rehearsed.held) == (6, 0)
    assert move.go("run", KNOWN).stopped == ""
    kept = {one["slug"]: one for one in site.bodies("term")}
    above = {slug: next((other for other, two in kept.items() if two["id"] == one.get("parent_id")), None)
             for slug, one in kept.items()}  # fmt: skip
    assert above == {"beets": "garden", "roots": None, "round": "beets", "garden": "roots", "field": None,
                     "meadow": "field"}  # fmt: skip
    assert {one.stations[5].text.split(",")[1] for one in move.now().cards} == {" 0 fields differ"}
    # There and back again, the second pass first.
    move.go("rehearse undo")
    assert move.go("undo").stopped == ""
    assert site.bodies("term") == before


def test_what_two_sheets_of_the_same_records_both_name_is_made_once(move: Move, site: StandIn) -> None:
    before = site.count()
    move.drop("shop.csv", CUSTOMERS)
    again = {name: text.upper() if "@" in text else text for name, text in CUSTOMERS[0].items()}
    other = {**CUSTOMERS[0], "E-mail": "tone.b@quillmoss.example", "Member number": "Q-90009"}
    move.drop("letters.csv", [again, other])
    first, second = (card.import_id for card in move.now().cards)
    move.limit(100)
    rehearsed = move.go("rehearse")
    assert (rehearsed.create, rehearsed.held) == (len(CUSTOMERS) + 1, 1)
    with session() as store:
        plan = latest_plan(store, second)
        assert plan is not None
        assert plan_items.rows(store, plan.id, [2])[2].reason == (
            "made by “Customers” from its row 2, which goes before; rehearse again when that has run"
        )
    # The one that goes before is rehearsed for itself again, and what is behind knows no more of it.
    move.rehearsed_anew(first)
    assert move.plan_of(second).stale == "a sheet before it of the same records was rehearsed again"
    move.go("rehearse")
    assert move.go("run", KNOWN).stopped == ""
    assert site.count() == before + len(CUSTOMERS) + 1
    # By now it is there, and is changed like any other.
    move.rehearsed_anew(second)
    assert move.plan_of(second).counts["held"] == 0


def test_what_somebody_has_given_up_is_made_by_the_next_sheet(move: Move) -> None:
    move.drop("shop.csv", CUSTOMERS)
    move.drop("letters.csv", CUSTOMERS)
    first, second = (card.import_id for card in move.now().cards)
    move.limit(100)
    rehearsed = move.go("rehearse")
    assert (rehearsed.create, rehearsed.held) == (len(CUSTOMERS), len(CUSTOMERS))
    with session() as store:
        plan = latest_plan(store, first)
        assert plan is not None
        begun = run.start_run(store, "ada", plan.id).id
        run.pause(store, "ada", begun)
        run.end(store, "ada", begun)
    move.rehearsed_anew(second)
    seen = move.plan_of(second)
    assert (seen.counts["create"], seen.counts["held"]) == (len(CUSTOMERS), 0)


def test_every_kind_goes_from_its_file_to_the_sites_own_page(move: Move, site: StandIn, tmp_path: Path) -> None:
    kinds = {
        "orders": ORDERS[:4], "course-entries": ENTRIES, "comments": COMMENTS, "articles": ARTICLES,
        "offers": OFFERS, "products": PRODUCTS, "customers": CUSTOMERS, "users": USERS, "terms": TERMS,
    }  # fmt: skip
    for name, rows in kinds.items():
        move.drop(f"{name}.csv", rows)
    archive = tmp_path / "files.zip"
    with zipfile.ZipFile(archive, "w") as packed:
        for name in ("bean-1.jpg", "bean-2.jpg", "bean-3.jpg", "pod.jpg"):
            packed.writestr(f"pictures/{name}", b"\xff\xd8\xff\xe0" + name.encode())
        for at in (1, 2):
            packed.writestr(f"courses/entry-{at}.pdf", f"%PDF-1.4 entry {at}")
    assert move.drop_path(archive) == []
    shown = move.now()
    assert (len(shown.cards), shown.undecided) == (9, [])
    assert shown.files is not None
    assert (shown.files.files, shown.files.amiss) == (6, 0)
    assert move.go("rehearse").held == 0
    # What two of them make for their links, the first makes, and the second awaits.
    assert move.go("run").stopped == ""
    assert {one.stations[-1].text.partition(", ")[2] for one in move.now().cards} == {"0 fields differ"}
    _looked_at(site)


def _looked_at(site: StandIn) -> None:
    """The site's own page of a record of each kind."""

    def shows(kind: str, one: dict[str, Any], *texts: object) -> None:
        page = httpx.get(f"{site.url}/{kind}/{one['id']}", timeout=180).text
        assert [text for text in texts if str(text) not in page] == []

    media = {one["filename"]: one for one in site.bodies("medium")}
    terms = {one["slug"]: one for one in site.bodies("term")}
    [customer] = [one for one in site.bodies() if one["email"] == CUSTOMERS[0]["E-mail"]]
    [first] = [one for one in site.bodies("order") if one["number"] == 90001]
    shows("customers", customer, customer["email"])
    shows("orders", first, first["number"], customer["id"])
    product = next(one for one in site.bodies("product") if one["sku"] == "QB-202")
    shows("products", product, "Low bean", terms["beets"]["id"])
    assert product["media_ids"] == [media["bean-2.jpg"]["id"], media["pod.jpg"]["id"]]
    shows("media", media["pod.jpg"], "image/jpeg", "<img")
    shows("terms", terms["round-beets"], "Round", terms["beets"]["id"])
    shows("offers", site.bodies("offer")[0], "HARVEST", "QB-201")
    articles = {one["slug"]: one for one in site.bodies("article")}
    shows("articles", articles["dyrke-1-nb"], "dyrke 1", "Read on.", articles["growing-1-en"]["id"])
    asked, answered, _ = sorted(site.bodies("comment"), key=lambda one: str(one["posted_at"]))
    shows("comments", answered, "Sow later.", asked["id"], articles["growing-1-en"]["id"])
    entries = {one["reference"]: one for one in site.bodies("course_entry")}
    shows("course-entries", entries["C2024-1"], "Saving bean seed", media["entry-1.pdf"]["id"])
    # What a product and an entry both mean was made once.
    assert entries["C2024-3"]["media_ids"] == [media["pod.jpg"]["id"]]
    assert len(site.bodies("medium")) == len(media) == 6
    signed = httpx.post(f"{site.url}/sign-in", data={"username": "siv.rye", "password": "rye-and-moss"}, timeout=180)
    assert "Welcome" in signed.text
