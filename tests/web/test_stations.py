"""What the stations say when things are not as one would wish."""

from __future__ import annotations

import re
from pathlib import Path

import xlsxwriter
from playwright.sync_api import Browser, Page, Route, expect

from tests.processes import PASSWORD, Served, StandIn
from tests.web.conftest import run_anyway
from tests.web.test_journey import field, read_in, station


def rehearse(page: Page) -> None:
    station(page, "Rehearse").click()
    page.get_by_role("button", name=re.compile("^Rehearse( again)?$")).click()
    expect(page.get_by_role("button", name=re.compile("create"))).to_be_visible()


def test_a_messy_file_is_shown_with_what_is_wrong_with_it(page: Page, tmp_path: Path) -> None:
    messy = tmp_path / "messy.csv"
    messy.write_bytes("Old shop;;\nE-mail;Name;Name\na@example.org;Ada\nb@example.org;Bo;C;d\n".encode("cp1252"))
    read_in(page, messy)
    expect(page.get_by_text("1 line stands above the header and is no row.")).to_be_visible()
    expect(page.get_by_text("The header “Name” stands twice")).to_be_visible()
    expect(page.get_by_text("1 row with fewer cells than the header")).to_be_visible()
    expect(page.get_by_text("1 row with more cells than the header")).to_be_visible()
    expect(page.get_by_label("Header line")).to_have_value("2")


def test_a_workbook_offers_its_sheets(page: Page, tmp_path: Path) -> None:
    path = tmp_path / "shop.xlsx"
    book = xlsxwriter.Workbook(str(path))
    sheets = {"Customers": [["E-mail"], ["ada@example.org"]], "Old": [["Name", "Mail"], ["Bo", "bo@example.org"]]}
    for name, rows in sheets.items():
        sheet = book.add_worksheet(name)
        for number, row in enumerate(rows):
            sheet.write_row(number, 0, row)
    book.close()
    read_in(page, path)
    expect(page.get_by_text("read as a workbook")).to_be_visible()
    page.get_by_role("combobox", name="Sheet").select_option("Old")
    expect(page.get_by_role("gridcell", name="bo@example.org")).to_be_visible()
    expect(page.get_by_label("Delimiter")).to_have_count(0)


def test_cells_are_pasted_from_a_spreadsheet(page: Page) -> None:
    page.goto("/")
    expect(page.get_by_text("Drop a file here")).to_be_visible()
    page.evaluate(
        """() => {
            const data = new DataTransfer()
            data.setData('text/plain', 'E-mail\\tName\\nada@example.org\\tAda\\n')
            document.body.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true }))
        }"""
    )
    expect(page.get_by_role("gridcell", name="ada@example.org")).to_be_visible()
    expect(station(page, "Read")).to_contain_text("1 row, 2 columns")


def test_stations_that_are_not_reached_say_what_comes_first(page: Page, small: Path) -> None:
    read_in(page, small)
    for name, says in (
        ("Check", "The rows are not checked yet"),
        ("Rehearse", "Nothing is rehearsed yet"),
        ("Run", "Nothing has run"),
        ("Verify", "There is nothing to verify"),
    ):
        station(page, name).click()
        expect(page.get_by_role("heading", name=says)).to_be_visible()


def test_a_changed_mapping_makes_check_and_plan_stale_and_says_so(page: Page, small: Path, site: StandIn) -> None:
    read_in(page, small)
    station(page, "Map").click()
    page.get_by_role("button", name=re.compile("^Check ")).click()
    expect(station(page, "Check")).to_contain_text("ready")
    rehearse(page)
    station(page, "Map").click()
    field(page, "Company").click()
    page.get_by_role("button", name="Feed it by nothing").click()
    expect(station(page, "Check")).to_contain_text("stale: the mapping changed")
    expect(station(page, "Rehearse")).to_contain_text("stale: the mapping changed")
    station(page, "Rehearse").click()
    expect(page.get_by_text("Stale: the mapping changed.")).to_be_visible()
    expect(page.get_by_role("button", name=re.compile("^Run "))).to_be_hidden()


def test_nobody_is_taken_from_where_they_went_while_the_rows_were_checked(page: Page, small: Path) -> None:
    read_in(page, small)
    station(page, "Map").click()
    waiting: list[Route] = []
    page.route(
        "**/api/imports/*/check",
        lambda route: waiting.append(route) if route.request.method == "POST" else route.continue_(),
    )
    with page.expect_request("**/api/imports/*/check"):
        page.get_by_role("button", name=re.compile("^Check ")).click()
    station(page, "Rehearse").click()
    waiting[0].continue_()
    expect(station(page, "Check")).to_contain_text("ready")
    page.wait_for_load_state("networkidle")
    expect(page).to_have_url(re.compile("/rehearse$"))


def test_what_the_site_holds_otherwise_is_listed(page: Page, small: Path, site: StandIn) -> None:
    read_in(page, small)
    rehearse(page)
    site.behave(alter_city=True)
    run_anyway(page, re.compile("^Run "))
    page.get_by_role("button", name=re.compile("^Verify ")).click(timeout=120_000)
    expect(page.get_by_role("heading", name=re.compile("fields differ"))).to_be_visible()
    expect(page.get_by_role("region", name="Proof", exact=True)).to_contain_text(
        re.compile("Address, city: sent [A-Z][a-z]+")
    )
    page.get_by_label("Records shown").select_option("mismatched")
    expect(page.get_by_role("columnheader", name=re.compile("^Row ")).first).to_be_visible()


def test_a_site_that_is_down_is_said_at_rehearse(page: Page, small: Path, site: StandIn) -> None:
    read_in(page, small)
    site.behave(unavailable_every=1, retry_after=0)
    station(page, "Rehearse").click()
    page.get_by_role("button", name="Rehearse", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("The site answers 503", timeout=120_000)
    expect(page.get_by_role("button", name="Rehearse again")).to_be_visible()


def test_a_viewer_sees_all_and_can_change_nothing(page: Page, browser: Browser, served: Served, small: Path) -> None:
    read_in(page, small)
    address = page.url.replace("/read", "/map")
    other = browser.new_page(viewport={"width": 1280, "height": 800})
    other.goto(address)
    other.get_by_label("Name").fill("jun")
    other.get_by_label("Password").fill(PASSWORD)
    other.get_by_role("button", name="Sign in").click()
    field(other, "Name").click()
    expect(other.get_by_role("complementary", name="Field Name")).to_contain_text("First Name + Surname")
    for name in ("Add a step", "Change", "Undo"):
        expect(other.get_by_role("button", name=name)).to_have_count(0)
    expect(other.get_by_role("button", name=re.compile("^Check "))).to_have_count(0)
    other.close()


def test_a_wrong_password_is_said(browser: Browser, served: Served) -> None:
    page = browser.new_page()
    page.goto(served.url)
    page.get_by_label("Name").fill("ada")
    page.get_by_label("Password").fill("wrong")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_contain_text("The name and the password do not match.")
    page.close()


def test_what_is_shown_is_in_the_address(page: Page, small: Path) -> None:
    read_in(page, small)
    station(page, "Map").click()
    page.get_by_label("Records shown").select_option("first")
    field(page, "Plan").click()
    page.get_by_role("button", name="Later records").click()
    expect(page.get_by_role("columnheader", name=re.compile("^Row 6 "))).to_be_visible()
    page.goto(page.url)
    expect(page.get_by_role("columnheader", name=re.compile("^Row 6 "))).to_be_visible()
    expect(page.get_by_role("complementary", name="Field Plan")).to_be_visible()


def test_dark_colours_stay_after_a_reload(page: Page) -> None:
    page.get_by_role("button", name="Dark colours").click()
    page.reload()
    expect(page.get_by_role("button", name="Light colours")).to_be_visible()
    assert page.evaluate("document.documentElement.dataset.bsTheme") == "dark"
