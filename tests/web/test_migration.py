"""A move in the interface: files dropped together, the board, and all of them taken to the site."""

from __future__ import annotations

import csv
import re
from pathlib import Path

from playwright.sync_api import Locator, Page, expect

from tests.processes import StandIn
from tests.stations.test_migration import NOISE
from tests.stations.whole import CUSTOMERS, ORDERS, SITE, TERMS, Rows
from tests.web.test_accessible import none_of, unreached, violations


def _written(folder: Path, name: str, rows: Rows) -> Path:
    path = folder / name
    with path.open("w", newline="") as file:
        writer = csv.DictWriter(file, list(rows[0]))
        writer.writeheader()
        writer.writerows(rows)
    return path


def _card(page: Page, name: str) -> Locator:
    return page.get_by_role("article", name=name, exact=True)


def test_files_dropped_together_go_to_the_site_in_their_order(page: Page, site: StandIn, tmp_path: Path) -> None:
    site.have(SITE)
    sheets = {"orders.csv": ORDERS[:4], "customers.csv": CUSTOMERS, "terms.csv": TERMS, "weather.csv": NOISE}
    files = [_written(tmp_path, name, rows) for name, rows in sheets.items()]
    page.get_by_label("It becomes").locator("option", has_text="on").first.wait_for(state="attached")
    page.get_by_label("File", exact=True).set_input_files(files)
    page.wait_for_url(re.compile("/migrations/"))
    undecided = page.get_by_role("article", name="weather.csv")
    # Each file is read by itself, one after the other.
    expect(undecided).to_contain_text("What is weather.csv?", timeout=600_000)
    for name in ("Orders", "Customers", "Terms"):
        expect(_card(page, name)).to_be_visible()
    # What names others stands to the right of them.
    places = {name: _card(page, name).bounding_box() for name in ("Orders", "Customers")}
    assert places["Orders"]["x"] > places["Customers"]["x"] + places["Customers"]["width"]  # type: ignore[index]
    found = violations(page, "the board") + unreached(page, "the board")
    undecided.get_by_role("button", name="Leave out").click()
    expect(undecided).to_have_count(0)

    page.get_by_role("button", name="Rehearse all").click()
    run_all = page.get_by_role("button", name="Run all …")
    run_all.click()
    asked = page.get_by_role("dialog", name="Run all, in this order")
    expect(asked.get_by_role("listitem")).to_have_count(3)
    boxes = asked.get_by_role("checkbox")
    boxes.first.wait_for()
    found += violations(page, "what is agreed to before all run")
    for box in boxes.all():
        box.check()
    asked.get_by_role("button", name="Run 3 imports").click()
    expect(page.get_by_role("button", name="Take all back …")).to_be_visible()
    verified = _card(page, "Orders").get_by_role("link", name="Orders, verify: 2 records, 0 fields differ")
    expect(verified).to_be_visible(timeout=600_000)
    page.get_by_role("button", name=re.compile("^Links")).click()
    expect(page.get_by_role("table", name="Links")).to_contain_text("E-mail")
    found += violations(page, "the links of a board")

    # The site itself shows the order with the name of its customer.
    [first, _] = site.bodies("order")
    customer = next(one for one in site.bodies() if one["id"] == first["customer_id"])
    page.goto(f"{site.url}/orders/{first['id']}")
    expect(page.locator("body")).to_contain_text(str(first["number"]))
    page.goto(f"{site.url}/customers/{customer['id']}")
    expect(page.locator("body")).to_contain_text(customer["email"])
    assert customer["email"] in {one["E-mail"] for one in CUSTOMERS}
    none_of(found)


def test_a_move_is_begun_empty_called_otherwise_and_taken_away(page: Page, tmp_path: Path) -> None:
    files = [_written(tmp_path, "terms.csv", TERMS), _written(tmp_path, "weather.csv", NOISE)]
    page.get_by_label("It becomes").locator("option", has_text="on").first.wait_for(state="attached")
    page.get_by_label("File", exact=True).set_input_files(files)
    undecided = page.get_by_role("article", name="weather.csv")
    undecided.get_by_label("What weather.csv is").select_option("media")
    undecided.get_by_role("button", name="Take it so").click()
    expect(_card(page, "Media")).to_be_visible()
    _card(page, "Media").get_by_role("button", name="What can be done with Media").click()
    page.get_by_role("menuitem", name="These are comments").click()
    expect(_card(page, "Comments")).to_be_visible()
    page.get_by_label("Per cent of a sheet").fill("7.5")
    with page.expect_response(lambda answer: answer.request.method == "PATCH"):
        page.keyboard.press("Tab")
    page.reload()
    expect(page.get_by_label("Per cent of a sheet")).to_have_value("7.5")
    page.goto("/")
    page.get_by_role("button", name=re.compile("^Take the board of Move to")).first.click()
    page.get_by_role("button", name="Take the board away").click()
    expect(page.get_by_role("list", name="Migrations").get_by_text("2 imports")).to_have_count(0)
    expect(page.get_by_role("table", name="Imports")).to_contain_text("terms.csv")
