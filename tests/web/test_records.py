"""Whole records in the interface: how rows make them, their lines, and the links that they have."""

from __future__ import annotations

import csv
import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.processes import StandIn
from tests.stations.whole import ORDERS, SITE
from tests.web.conftest import run_anyway
from tests.web.test_journey import field, station


def read_orders(page: Page, folder: Path, email: str) -> None:
    path = folder / "orders.csv"
    with path.open("w", newline="") as file:
        writer = csv.DictWriter(file, list(ORDERS[0]))
        writer.writeheader()
        writer.writerows([row | {"Customer e-mail": email} for row in ORDERS[:4]] + ORDERS[4:])
    begin_orders(page, path)
    page.get_by_text("7 rows are 4 orders").wait_for()


def begin_orders(page: Page, file: Path) -> None:
    page.goto("/")
    chooser = page.get_by_label("It becomes")
    orders = chooser.locator("option", has_text=re.compile("^Orders on "))
    orders.first.wait_for(state="attached")
    chooser.select_option(label=orders.first.inner_text())
    page.get_by_label("File", exact=True).set_input_files(file)


def test_rows_make_orders_that_are_mapped_linked_checked_and_sent(page: Page, site: StandIn, tmp_path: Path) -> None:
    known = site.bodies()[0]
    site.have(SITE)
    read_orders(page, tmp_path, known["email"])
    page.get_by_role("button", name="Show orders").click()
    records = page.get_by_role("region", name="Records")
    expect(records).to_contain_text("XX-902")
    page.get_by_role("button", name="Change", exact=True).click()
    panel = page.get_by_role("complementary", name="How rows make records")
    expect(panel).to_contain_text("7 rows make 4 records")
    panel.get_by_label("Each row is one record").check()
    expect(page.get_by_text("Each of 7 rows is an order")).to_be_visible()
    panel.get_by_label(re.compile("Rows with the same Order no.")).check()
    expect(page.get_by_text("7 rows are 4 orders")).to_be_visible()

    station(page, "Map").click()
    field(page, "Customer id").click()
    link = page.get_by_role("region", name="Link")
    link.get_by_role("button", name="Read the site’s customers").click()
    expect(link).to_contain_text("on the site")
    expect(field(page, "Customer id")).to_contain_text(f"→ {known['name']}")
    page.keyboard.press("Escape")
    page.get_by_label("Records shown").select_option("first")
    expect(page.get_by_role("button", name="2 lines of 90001").first).to_be_visible()
    expect(field(page, "Quantity")).to_contain_text("2")
    page.keyboard.press("]")
    expect(page.get_by_text("line 2 of 2")).to_be_visible()
    page.get_by_role("button", name="all lines of 90001").click()
    lines = page.get_by_role("dialog", name="Lines of 90001")
    expect(lines.get_by_role("row")).to_have_count(3)
    lines.get_by_role("button", name="Close").click()

    page.get_by_role("button", name="Check 4 records").click()
    expect(page.get_by_role("region", name="Findings")).to_contain_text("Total is not the sum of its parts")
    page.get_by_role("button", name=re.compile("^Rehearse [0-9]")).click()
    expect(page.get_by_text("2 create").first).to_be_visible()
    run_anyway(page, "Run 2 records")
    expect(page.get_by_text("2 done").first).to_be_visible()
    kept = {one["number"]: one for one in site.bodies("order")}
    assert [one["product_sku"] for one in kept[90001]["lines"]] == ["XX-900", "XX-902"]
    assert kept[90001]["customer_id"] == known["id"]


def test_customers_that_are_found_nowhere_are_made_as_chosen_at_map(page: Page, site: StandIn, tmp_path: Path) -> None:
    site.have(SITE)
    read_orders(page, tmp_path, "siv.lundemo@quillmoss.example")
    station(page, "Map").click()
    field(page, "Customer id").click()
    link = page.get_by_role("region", name="Link")
    link.get_by_role("button", name="Read the site’s customers").click()
    expect(link).to_contain_text("nowhere: hold the record")
    link.get_by_label("When it is found nowhere").select_option("make the customer, once")
    made = page.get_by_role("group", name="What a customer has that is made")
    made.get_by_label("What feeds Name").select_option("its e-mail")
    expect(field(page, "Customer id")).to_contain_text("→ siv.lundemo@quillmoss.example")
    expect(page.get_by_text("saved", exact=True)).to_be_visible()

    station(page, "Rehearse").click()
    page.get_by_role("button", name="Rehearse", exact=True).click()
    preflight = page.get_by_role("complementary", name="Preflight")
    expect(preflight).to_contain_text("customers that records need and the site lacks2")
    expect(field(page, "Customer id")).to_contain_text("→ siv.lundemo@quillmoss.example")
    preflight.get_by_role("button", name="Look at them").click()
    dialog = page.get_by_role("dialog", name="Made first")
    expect(dialog).to_contain_text("Name siv.lundemo@quillmoss.example")
    dialog.get_by_role("button", name="Close").click()
    run_anyway(page, "Run 5 records")
    expect(page.get_by_text("5 done").first).to_be_visible()
    ids = {one["email"]: one["id"] for one in site.bodies()}
    assert {one["number"]: one["customer_id"] for one in site.bodies("order")} == {
        90001: ids["siv.lundemo@quillmoss.example"], 90002: ids["siv.lundemo@quillmoss.example"],
        90003: ids["nobody@quillmoss.example"],
    }  # fmt: skip


def test_a_second_sheet_is_looked_at_corrected_and_joined_by_hand(page: Page, site: StandIn, tmp_path: Path) -> None:
    site.have(SITE)
    heads = tmp_path / "orders.csv"
    lines = tmp_path / "lines.csv"
    with heads.open("w", newline="") as file:
        writer = csv.DictWriter(file, ["Order no.", "Customer e-mail", "Ordered", "Sum"], extrasaction="ignore")
        writer.writeheader()
        writer.writerows([ORDERS[0], ORDERS[1], ORDERS[4]])
    with lines.open("w", newline="") as file:
        writer = csv.DictWriter(file, ["Of order", "SKU", "Qty", "Price each"], extrasaction="ignore")
        writer.writeheader()
        writer.writerows({**row, "Of order": row["Order no."]} for row in ORDERS[:5])
    begin_orders(page, heads)
    page.get_by_text("Each of 3 rows is an order").wait_for()
    page.get_by_role("button", name="Change", exact=True).click()
    panel = page.get_by_role("complementary", name="How rows make records")
    panel.get_by_label("Add a file").set_input_files(lines)
    expect(panel).to_contain_text("5 rows, 4 columns")

    # The join is seen; somebody makes it up by hand all the same.
    panel.get_by_role("combobox", name="Choose by hand").select_option(label="Rows of another sheet")
    panel.get_by_label("the sheet", exact=True).select_option("lines.csv")
    panel.get_by_label("this sheet’s key 1").select_option("Order no.")
    panel.get_by_label("that sheet’s key 1").select_option("Of order")
    panel.get_by_role("button", name="Make records so").click()
    expect(page.get_by_role("button", name="Show orders")).to_be_visible()

    # Its cells are corrected where they stand.
    sheets = page.get_by_role("navigation", name="Sheets")
    sheets.get_by_role("button", name=re.compile("lines.csv")).click()
    page.get_by_role("grid").get_by_role("gridcell", name="2", exact=True).first.dblclick()
    page.get_by_label("Qty of row 2").fill("two")
    page.keyboard.press("Enter")
    expect(page.get_by_role("gridcell", name="two", exact=True)).to_be_visible()

    station(page, "Map").click()
    page.get_by_role("button", name=re.compile("^Check 3")).click()
    findings = page.get_by_role("region", name="Findings")
    findings.get_by_role("button", name=re.compile("^Lines, quantity")).click()
    cell = findings.get_by_label("Qty of row 2 of lines.csv")
    expect(cell).to_have_value("two")
    cell.fill("2")
    findings.get_by_role("button", name=re.compile("^Correct 1 cell")).click()
    expect(findings).not_to_contain_text("Lines, quantity")

    # What links mean is not known before it has been read.
    findings.get_by_role("button", name=re.compile("^Read the site’s")).click()
    expect(findings.get_by_role("button", name=re.compile("^Read the site’s"))).to_have_count(0, timeout=30_000)
    expect(findings).to_contain_text("3 held")
