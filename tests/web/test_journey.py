"""The whole path as a person would walk it, in a real browser."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Locator, Page, expect

from demo.data import CustomersDemo
from tests.processes import Served, StandIn, until
from tests.web.conftest import run_anyway


def read_in(page: Page, file: Path) -> None:
    page.goto("/")
    page.get_by_label("File", exact=True).set_input_files(file)
    expect(page.get_by_role("grid", name="Sheet")).to_be_visible()


def station(page: Page, name: str) -> Locator:
    return page.get_by_role("navigation", name="Stations").get_by_role("link", name=re.compile(f"^{name}"))


def fed_fields(page: Page) -> int:
    """How many fields the ribbon says are fed; what earlier imports chose is suggested to later ones."""
    expect(station(page, "Map")).to_contain_text("fields fed")
    return int(re.findall(r"(\d+) of 18", station(page, "Map").inner_text())[0])


def planned(page: Page, action: str) -> int:
    """How many records the rehearsal says are to be created, or updated."""
    found = page.get_by_role("button", name=re.compile(f"[0-9] {action}"))
    return int(found.inner_text().split(action)[0].replace(",", ""))


def field(page: Page, title: str) -> Locator:
    """One line of the ledger, found by the field's title."""
    return page.get_by_role("row").filter(has=page.get_by_role("rowheader", name=re.compile(f"^{title}")))


def test_from_the_file_to_the_proof(page: Page, file: Path, site: StandIn, demo: CustomersDemo) -> None:
    manifest = demo.manifest
    creates = manifest.rows - len(manifest.held) - manifest.already_on_site
    sent = creates + len(manifest.changed)

    read_in(page, file)
    expect(station(page, "Read")).to_contain_text("2,412 rows, 21 columns")
    expect(page.get_by_role("columnheader", name="E-mail Address")).to_be_visible()
    page.get_by_label("Delimiter").select_option(";")
    expect(station(page, "Read")).to_contain_text(", 2 columns")
    page.get_by_label("Delimiter").select_option(",")
    expect(station(page, "Read")).to_contain_text(", 21 columns")

    page.get_by_role("link", name="Map 21 columns").click()
    expect(station(page, "Map")).to_contain_text(re.compile("1[78] of 18 fields fed"))
    for column in ("Last Seen", "Old Theme"):
        page.get_by_role("button", name=re.compile(f"^{column}")).click()
        page.get_by_role("menuitem", name=f"Leave {column} out").click()
    field(page, "Member number").click()
    page.get_by_role("combobox", name="Column", exact=True).fill("customer id")
    page.keyboard.press("Enter")
    expect(field(page, "Member number")).to_contain_text("Customer ID")
    expect(page.get_by_text("Every column is placed or left out.")).to_be_visible()
    expect(station(page, "Map")).to_contain_text("18 of 18 fields fed")

    page.get_by_role("button", name="Check 2,412 rows").click()
    expect(station(page, "Check")).to_contain_text(f"{len(manifest.held)} held")
    page.get_by_role("button", name=re.compile("Plan has no value set")).click()
    expect(page.get_by_text("Bonsai").first).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("link", name="Download the 31 held rows").click()
    assert download.value.suggested_filename.endswith(".xlsx")

    page.get_by_role("button", name=re.compile("Rehearse 2,381 rows")).click()
    expect(page.get_by_role("button", name=re.compile(f"{creates:,} create"))).to_be_visible()
    expect(page.get_by_role("button", name=re.compile(f"{len(manifest.changed)} update"))).to_be_visible()
    expect(page.get_by_role("complementary", name="Preflight")).to_contain_text("The site is asked to send no mail")

    run_anyway(page, f"Run {sent:,} records")
    expect(page.get_by_role("progressbar", name="Run")).to_be_visible()
    expect(page.get_by_role("heading", name="Done")).to_be_visible(timeout=240_000)
    expect(station(page, "Run")).to_contain_text(f"{sent:,} done")

    page.get_by_role("button", name=f"Verify {sent:,} records").click()
    expect(page.get_by_role("heading", name=f"{sent:,} records on the site as sent")).to_be_visible(timeout=120_000)
    with page.expect_popup() as opened:
        page.get_by_role("link", name="Row 2 on the site").click()
    expect(opened.value.get_by_role("heading", name="Ragnhild Bjørkeholten")).to_be_visible()

    page.goto(f"{site.url}/customers")
    expect(page.get_by_text(f"{manifest.already_on_site + creates:,} customers")).to_be_visible()
    page.goto(site.outbox)
    expect(page.get_by_text("0 mails")).to_be_visible()


def test_an_edited_step_shows_at_once_in_both_lines_and_can_be_undone(page: Page, file: Path) -> None:
    read_in(page, file)
    station(page, "Map").click()
    page.get_by_label("Records shown").select_option("first")
    field(page, "Name").click()
    expect(field(page, "Name")).to_contain_text("Ragnhild Bjørkeholten")
    page.get_by_role("button", name="Add a step").click()
    page.get_by_role("option", name="Change case").click()
    page.get_by_label("to", exact=True).select_option("upper")
    expect(field(page, "Name")).to_contain_text("RAGNHILD BJØRKEHOLTEN")
    expect(page.get_by_role("complementary", name="Field Name")).to_contain_text("Change to UPPER CASE")
    page.get_by_role("button", name="Undo").click()
    page.get_by_role("button", name="Undo").click()
    expect(field(page, "Name")).not_to_contain_text("RAGNHILD")
    page.get_by_role("link", name="Datorum").click()
    expect(page.get_by_text("Drop a file here")).to_be_visible()
    page.go_back()
    expect(field(page, "Name")).to_contain_text("Ragnhild Bjørkeholten")


def test_a_change_is_saved_by_itself_and_survives_a_reload(page: Page, file: Path) -> None:
    read_in(page, file)
    station(page, "Map").click()
    before = fed_fields(page)
    field(page, "Company").click()
    page.get_by_role("button", name="Feed it by nothing").click()
    expect(page.get_by_role("status").filter(has_text="saved")).to_be_visible()
    expect(station(page, "Map")).to_contain_text(f"{before - 1} of 18 fields fed")
    page.reload()
    expect(field(page, "Company")).to_contain_text("nothing yet")


@pytest.mark.parametrize("on_its_way", [False, True])
def test_a_change_made_just_before_the_tab_is_closed_is_not_lost(
    page: Page, file: Path, served: Served, on_its_way: bool
) -> None:
    read_in(page, file)
    station(page, "Map").click()
    address, before = page.url, fed_fields(page)
    field(page, "Company").click()
    nothing = page.get_by_role("button", name="Feed it by nothing")
    if on_its_way:
        with page.expect_request(lambda asked: asked.method == "PUT" and asked.url.endswith("/mapping")):
            nothing.click()
    else:
        nothing.click()
    page.goto("about:blank")
    with served.signed_in("ada") as client:
        number = address.split("/")[4]
        until(lambda: client.get(f"/api/imports/{number}").json()["map"]["fed"] == before - 1, "the change")


def test_a_value_set_in_the_table_frees_the_rows_it_held(page: Page, file: Path, demo: CustomersDemo) -> None:
    read_in(page, file)
    station(page, "Map").click()
    field(page, "Plan").click()
    expect(page.get_by_text("2 values open")).to_be_visible()
    page.get_by_label("Site value for Bonsai").select_option("seedling")
    expect(page.get_by_text("1 value open")).to_be_visible()
    page.get_by_role("button", name="Check 2,412 rows").click()
    expect(station(page, "Check")).to_contain_text(f"{len(demo.manifest.held) - 3} held")


def test_the_ledger_is_walked_by_keyboard(page: Page, file: Path) -> None:
    read_in(page, file)
    station(page, "Map").click()
    expect(field(page, "E-mail")).to_contain_text("E-mail Address")
    page.get_by_label("Records shown").select_option("first")
    page.get_by_label("Records shown").blur()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowDown")
    expect(page.get_by_role("complementary", name="Field Name")).to_be_visible()
    expect(page.get_by_role("columnheader", name=re.compile("^Row 2 "))).to_be_visible()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("columnheader", name=re.compile("^Row 6 "))).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("complementary", name="Field Name")).to_be_hidden()
    page.keyboard.press("/")
    expect(page.get_by_role("searchbox", name="Find records")).to_be_focused()
    page.keyboard.press("Escape")
    expect(page.get_by_role("searchbox", name="Find records")).not_to_be_focused()
    page.keyboard.press("Control+k")
    # Typed, as it has the focus by itself.
    expect(page.get_by_role("combobox", name="Where to")).to_be_focused()
    page.keyboard.type("newsl")
    page.keyboard.press("Enter")
    expect(page.get_by_role("complementary", name="Field Newsletter")).to_be_visible()


def test_what_cannot_be_read_is_said_where_the_file_was_dropped(page: Page, tmp_path: Path) -> None:
    empty = tmp_path / "empty.csv"
    empty.write_bytes(b"name,email\n")
    page.get_by_label("File", exact=True).set_input_files(empty)
    expect(page.get_by_role("alert")).to_contain_text("The file has a header and no rows.")


def test_a_worker_killed_in_the_middle_leaves_no_duplicate_and_no_gap(
    page: Page, file: Path, site: StandIn, served: Served, demo: CustomersDemo
) -> None:
    manifest = demo.manifest
    site.take_duplicates()
    site.behave(delay_ms=20)
    file.write_text("".join(demo.csv.decode().splitlines(keepends=True)[:1000]))
    read_in(page, file)
    station(page, "Rehearse").click()
    page.get_by_role("button", name="Rehearse", exact=True).click()
    creates = planned(page, "create")
    updates = planned(page, "update")
    run_anyway(page, re.compile(r"^Run [\d,]+ records"))
    until(lambda: site.count() > manifest.already_on_site + 30, "the run's first rows")
    served.kill_worker()
    before = site.count()
    # Closing the tab does not matter either.
    page.goto("about:blank")
    assert before < manifest.already_on_site + creates
    site.behave()
    until(lambda: site.count() == manifest.already_on_site + creates, "the end of the run")

    page.goto(served.url)
    page.get_by_role("link", name="Customers").first.click()
    station(page, "Run").click()
    expect(page.get_by_role("heading", name="Done")).to_be_visible(timeout=120_000)
    expect(station(page, "Run")).to_contain_text(f"{creates + updates:,} done")
    expect(station(page, "Run")).not_to_contain_text("failed")
    assert site.twice() == []
    assert site.mails() == 0
