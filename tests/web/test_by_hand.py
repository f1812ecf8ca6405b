"""What people do by hand at Read, Map and Check, through what they see."""

from __future__ import annotations

import csv
import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from demo.data import CustomersDemo
from tests.web.test_journey import field, read_in, station


def check_rows(page: Page) -> None:
    station(page, "Map").click()
    page.get_by_role("button", name=re.compile("^Check [0-9]")).click()
    expect(page.get_by_role("region", name="Findings")).to_be_visible()


def finding(page: Page, title: str) -> None:
    page.get_by_role("button", name=re.compile(title)).click()


def test_a_cell_is_corrected_by_keyboard_and_taken_back(page: Page, small: Path) -> None:
    read_in(page, small)
    page.get_by_role("gridcell", name="Ragnhild", exact=True).click()
    page.keyboard.press("Enter")
    page.get_by_role("textbox", name="First Name of row 2").fill("Ragna")
    page.keyboard.press("Enter")
    expect(page.get_by_role("gridcell", name="Ragna", exact=True)).to_be_visible()
    page.keyboard.press("ArrowUp")
    note = page.get_by_role("status").filter(has_text="corrected by ada")
    expect(note).to_contain_text("supplied: Ragnhild")
    page.reload()
    page.get_by_role("gridcell", name="Ragna", exact=True).click()
    note.get_by_role("button", name="Take the correction back").click()
    expect(page.get_by_role("gridcell", name="Ragnhild", exact=True)).to_be_visible()


def test_escape_leaves_a_cell_as_it_was(page: Page, small: Path) -> None:
    read_in(page, small)
    page.get_by_role("gridcell", name="Ragnhild", exact=True).dblclick()
    page.get_by_role("textbox", name="First Name of row 2").fill("Nobody")
    page.keyboard.press("Escape")
    expect(page.get_by_role("gridcell", name="Ragnhild", exact=True)).to_be_visible()


def test_rows_left_out_by_hand_and_by_a_filter_are_counted_at_every_station(page: Page, small: Path) -> None:
    read_in(page, small)
    page.get_by_role("gridcell", name="Ragnhild", exact=True).click()
    page.keyboard.press("x")
    expect(page.get_by_role("status").filter(has_text="left out by ada")).to_be_visible()
    page.get_by_role("button", name="Rows to import").click()
    panel = page.get_by_role("complementary", name="Rows to import")
    expect(panel).to_contain_text("1 row left out of")
    panel.get_by_role("button", name="Write a formula").click()
    panel.get_by_label("Formula for rows to import").click()
    page.keyboard.type("=LEN([Comp")
    page.get_by_role("option", name="[Company]").click()
    page.keyboard.type(")=0")
    with small.open(newline="") as sheet:
        left_out = sum(bool(row["Company"]) for row in csv.DictReader(sheet))
    expect(panel).to_contain_text(f"{left_out} rows left out of")
    check_rows(page)
    expect(page.get_by_role("region", name="Findings")).to_contain_text(f"{left_out} left out")
    expect(station(page, "Check")).to_contain_text(f"{left_out} out")
    page.get_by_label("Records shown").select_option("left out")
    expect(page.get_by_role("columnheader", name=re.compile("Row 2 .*left out by ada"))).to_be_visible()


def test_a_column_says_what_it_holds(page: Page, small: Path) -> None:
    read_in(page, small)
    page.get_by_role("button", name="E-mail Address", exact=True).click()
    panel = page.get_by_role("complementary", name="Column E-mail Address")
    expect(panel).to_contain_text("e-mail")
    expect(panel).to_contain_text("Filled")
    page.get_by_role("button", name="Close", exact=True).click()
    expect(panel).to_be_hidden()


def test_a_formula_is_written_with_help_and_shows_what_it_makes(page: Page, small: Path) -> None:
    read_in(page, small)
    station(page, "Map").click()
    field(page, "Company").click()
    page.keyboard.press("f")
    inspector = page.get_by_role("complementary", name="Field Company")
    editor = inspector.get_by_label("formula")
    editor.click()
    page.keyboard.press("Control+a")
    page.keyboard.type("=LEFT([Surname];")
    expect(inspector).to_contain_text("LEFT(text; length)")
    expect(inspector).to_contain_text("at character")
    page.keyboard.type("3)")
    expect(inspector.get_by_role("list", name="What it makes of the rows shown").get_by_role("listitem")).to_have_count(
        3
    )
    expect(inspector).to_contain_text("Work out =LEFT([Surname];3)")
    page.keyboard.press("Escape")
    expect(inspector).to_be_visible()


def test_one_decision_is_for_many_values_and_pairs_are_pasted(page: Page, small: Path) -> None:
    read_in(page, small)
    station(page, "Map").click()
    field(page, "Company").click()
    page.get_by_role("button", name="Use a value table").click()
    table = page.get_by_role("complementary", name="Field Company")
    expect(table.get_by_text(re.compile("values? open"))).to_be_visible()
    table.get_by_label("Choose all").check()
    table.get_by_label("Site value for all that are chosen").fill("A company")
    page.keyboard.press("Tab")
    expect(table.get_by_text("settled")).to_be_visible()
    table.get_by_role("button", name="Paste, export, share").click()
    page.get_by_role("menuitem", name="Paste pairs from a spreadsheet").click()
    page.get_by_role("textbox", name="Pairs").fill("Bjørkeholten Gartneri\tThe first\nalone")
    expect(page.get_by_text("1 pair; 1 line without two cells")).to_be_visible()
    page.get_by_role("button", name="Add the pairs").click()
    expect(table.get_by_label("Site value for Bjørkeholten Gartneri")).to_have_value("The first")
    table.get_by_label("Anything else").select_option("keep")
    page.get_by_label("Records shown").select_option("first")
    expect(field(page, "Company")).to_contain_text("The first")


def test_a_mapping_goes_back_to_an_earlier_version(page: Page, small: Path) -> None:
    read_in(page, small)
    station(page, "Map").click()
    field(page, "Phone").click()
    page.get_by_role("button", name="Feed it by nothing").click()
    expect(page.get_by_role("status").filter(has_text="saved")).to_be_visible()
    page.get_by_role("button", name="Mapping", exact=True).click()
    page.get_by_role("menuitem", name="Versions and their differences").click()
    dialog = page.get_by_role("dialog", name="Versions of the mapping")
    expect(dialog.get_by_role("row", name=re.compile("Phone fed by Telephone nothing"))).to_be_visible()
    dialog.get_by_role("button", name="Go back to this version").first.click()
    expect(field(page, "Phone")).not_to_contain_text("nothing yet")


def test_a_file_whose_columns_are_named_otherwise_comes_under_the_same_mapping(
    page: Page, small: Path, tmp_path: Path
) -> None:
    read_in(page, small)
    following = tmp_path / "next.csv"
    following.write_text(small.read_text().replace("Surname", "Family name", 1))
    page.get_by_label("Read another file").set_input_files(following)
    expect(page.get_by_text("next.csv")).to_be_visible()
    station(page, "Map").click()
    note = page.get_by_role("status").filter(has_text="1 renamed?")
    expect(note).to_contain_text("Surname → Family name")
    note.get_by_role("button", name="it is the same").click()
    expect(field(page, "Name")).to_contain_text("First Name + Family name")
    expect(note).to_be_hidden()


def test_a_finding_is_accepted_with_who_and_when_and_taken_back(page: Page, file: Path, demo: CustomersDemo) -> None:
    read_in(page, file)
    check_rows(page)
    held = len(demo.manifest.held)
    findings = page.get_by_role("region", name="Findings")
    expect(findings).to_contain_text(f"{held} held")
    finding(page, "Plan has no value set")
    page.get_by_role("button", name="Accept it in every row, now and later").click()
    expect(findings).to_contain_text(f"{held - len(demo.manifest.unknown_tier)} held")
    expect(findings).to_contain_text("Accepted by ada")
    page.get_by_role("button", name="Take it back", exact=True).click()
    expect(findings).to_contain_text(f"{held} held")


def test_a_held_row_is_corrected_on_the_spot(page: Page, file: Path, demo: CustomersDemo) -> None:
    read_in(page, file)
    check_rows(page)
    finding(page, "Joined could not be read")
    row = demo.manifest.impossible_date[0]
    page.get_by_label(f"Joined of row {row}").fill("28/02/2020 10:00")
    page.get_by_role("button", name="Correct 1 cell and check again").click()
    findings = page.get_by_role("region", name="Findings")
    expect(findings).to_contain_text(f"{len(demo.manifest.held) - 1} held")


def test_held_rows_come_back_corrected(page: Page, file: Path, demo: CustomersDemo, tmp_path: Path) -> None:
    read_in(page, file)
    check_rows(page)
    import_id = re.search(r"/imports/(\d+)/", page.url)
    assert import_id
    got = page.request.get(f"/api/imports/{import_id[1]}/held.csv")
    back = tmp_path / "held.csv"
    back.write_text(got.body().decode("utf-8-sig").replace("Bonsai", "Sapling"))
    page.get_by_label("Bring them back corrected").set_input_files(back)
    expect(page.get_by_text("3 cells in 3 rows corrected")).to_be_visible()
    expect(page.get_by_role("region", name="Findings")).to_contain_text(f"{len(demo.manifest.held) - 3} held")


def test_a_rule_of_ones_own_is_added_and_removed(page: Page, small: Path) -> None:
    read_in(page, small)
    check_rows(page)
    page.get_by_role("button", name="Rules of your own").click()
    dialog = page.get_by_role("dialog", name="Rules of your own")
    dialog.get_by_label("Formula").fill("=[nothing]>1")
    dialog.get_by_label("What is wrong where it is not TRUE").fill("has a name that starts with R")
    dialog.get_by_role("button", name="Add the rule").click()
    expect(dialog.get_by_role("alert")).to_contain_text("nothing")
    dialog.get_by_label("Formula").fill('=NOT(LEFT([name];1)="R")')
    dialog.get_by_role("button", name="Add the rule").click()
    expect(page.get_by_role("button", name=re.compile("Name has a name that starts with R"))).to_be_visible()
    dialog.get_by_role("button", name="Remove").click()
    expect(page.get_by_role("button", name=re.compile("starts with R"))).to_be_hidden()


@pytest.mark.parametrize("key", ["s", "v", "f"])
def test_keys_of_the_inspector_wait_for_a_field(page: Page, small: Path, key: str) -> None:
    read_in(page, small)
    station(page, "Map").click()
    expect(field(page, "E-mail")).to_be_visible()
    before = page.get_by_role("main").aria_snapshot()
    page.keyboard.press(key)
    expect(page.get_by_role("dialog")).to_have_count(0)
    assert page.get_by_role("main").aria_snapshot() == before
    assert page.evaluate("document.activeElement.tagName") not in ("INPUT", "SELECT", "TEXTAREA")


def test_a_large_sheet_is_checked_by_a_worker(page: Page, tmp_path: Path) -> None:
    large = tmp_path / "large.csv"
    rows = (f"person.{number}@example.org,Name {number % 900}" for number in range(70_000))
    large.write_text("\n".join(["E-mail,Name", *rows, "nobody,Nobody"]))
    read_in(page, large)
    expect(station(page, "Read")).to_contain_text("70,001 rows")
    station(page, "Map").click()
    page.get_by_role("button", name=re.compile("^Check [0-9]")).click()
    expect(page.get_by_role("region", name="Findings")).to_contain_text("70,001 rows")
    expect(page.get_by_role("region", name="Findings")).to_contain_text("1 held")
    station(page, "Read").click()
    grid = page.get_by_role("grid", name="Sheet")
    grid.focus()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Control+End")
    expect(page.get_by_role("gridcell", name="Nobody", exact=True)).to_be_visible()


def test_a_parameter_of_the_mapping_reaches_a_formula(page: Page, small: Path) -> None:
    read_in(page, small)
    station(page, "Map").click()
    page.get_by_role("button", name="Mapping", exact=True).click()
    page.get_by_role("menuitem", name="Parameters").click()
    dialog = page.get_by_role("dialog", name="Parameters of the mapping")
    dialog.get_by_label("Name of a new parameter").fill("season")
    dialog.get_by_label("Value of the new parameter").fill("Spring")
    dialog.get_by_role("button", name="Add").click()
    expect(dialog.get_by_label("Value of season")).to_have_value("Spring")
    dialog.get_by_label("Close").click()
    field(page, "Company").click()
    page.keyboard.press("f")
    page.get_by_role("complementary", name="Field Company").get_by_label("formula").click()
    page.keyboard.press("Control+A")
    page.keyboard.type('=PARAMETER("season") & " of " & [First Name]')
    expect(field(page, "Company")).to_contain_text("Spring of ")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Mapping", exact=True).click()
    page.get_by_role("menuitem", name="Parameters").click()
    dialog.get_by_role("button", name="Remove").click()
    expect(dialog.get_by_text("None yet.")).to_be_visible()


def test_a_mapping_without_a_match_key_says_so_and_offers_the_fields_that_can_be_it(page: Page, small: Path) -> None:
    read_in(page, small)
    station(page, "Map").click()
    field(page, "E-mail").click()
    page.get_by_role("button", name="Feed it by nothing").click()
    note = page.get_by_role("status").filter(has_text="No match key")
    expect(note).to_be_visible()
    note.get_by_label("Match key").select_option(label="Name")
    expect(note).to_have_count(0)
    expect(field(page, "Name")).to_contain_text("match key")
    page.get_by_role("button", name="Undo").click()
    expect(note).to_be_visible()


def test_the_delimiter_and_the_quoting_are_set_by_hand(page: Page, tmp_path: Path) -> None:
    path = tmp_path / "odd.csv"
    path.write_text('E-mail!Name!Note\nada@quillmoss.example!Ada!"say \\"hi\\""\nbo@quillmoss.example!Bo!x\n')
    page.get_by_label("File", exact=True).set_input_files(path)
    expect(page.get_by_role("gridcell").first).to_be_visible()
    page.get_by_label("Delimiter").select_option("other")
    page.get_by_label("Character between the cells").fill("!")
    expect(page.get_by_role("columnheader", name="Note")).to_be_visible()
    page.get_by_label("Quote").select_option(label='double, \\" inside')
    expect(page.get_by_role("gridcell", name='say "hi"', exact=True)).to_be_visible()
    expect(page.get_by_label("Delimiter")).to_have_value("!")


def test_the_sheet_is_searched_and_a_notice_leads_to_its_rows(page: Page, tmp_path: Path) -> None:
    odd = tmp_path / "odd.csv"
    lines = [f"a{number}@quillmoss.example;Ada {number};Rugnes" for number in range(400)]
    lines[300] = "a300@quillmoss.example;Ada 300"
    odd.write_text("E-mail;Name;City\n" + "\n".join(lines) + "\n")
    read_in(page, odd)
    page.keyboard.press("/")
    page.keyboard.type("ada 39")
    search = page.get_by_role("search")
    expect(search).to_contain_text("1 of 11")
    expect(page.get_by_role("gridcell", name="Ada 39", exact=True)).to_have_attribute("aria-selected", "true")
    page.keyboard.press("Enter")
    expect(page.get_by_role("gridcell", name="Ada 390", exact=True)).to_have_attribute("aria-selected", "true")
    page.get_by_role("button", name="1 row with fewer cells than the header").click()
    expect(search).to_contain_text("1 of 1")
    expect(page.get_by_role("row", name=re.compile("^302 ")).get_by_role("gridcell").first).to_have_attribute(
        "aria-selected", "true"
    )


def test_what_was_done_by_hand_is_named_before_another_file_takes_its_place(
    page: Page, small: Path, tmp_path: Path
) -> None:
    read_in(page, small)
    page.get_by_role("gridcell", name="Ragnhild", exact=True).click()
    page.keyboard.press("x")
    expect(page.get_by_role("status").filter(has_text="left out by ada")).to_be_visible()
    next_file = tmp_path / "next.csv"
    next_file.write_text(small.read_text())
    page.get_by_label("Read another file").set_input_files(next_file)
    dialog = page.get_by_role("dialog", name="Read another file")
    expect(dialog).to_contain_text("1 row left out by hand")
    dialog.get_by_role("button", name="Keep this file").click()
    expect(dialog).to_be_hidden()
    expect(page.get_by_role("heading", name=re.compile("customers-small.csv"))).to_be_visible()
    page.get_by_label("Read another file").set_input_files(next_file)
    page.get_by_role("button", name="Read next.csv").click()
    expect(page.get_by_role("heading", name=re.compile("next.csv"))).to_be_visible()


def test_what_was_changed_can_still_be_undone_after_a_reload(page: Page, small: Path) -> None:
    read_in(page, small)
    station(page, "Map").click()
    field(page, "Company").click()
    page.get_by_role("button", name="Feed it by nothing").click()
    expect(page.get_by_role("status").filter(has_text="saved")).to_be_visible()
    page.reload()
    expect(field(page, "Company")).to_contain_text("nothing yet")
    page.get_by_role("button", name="Undo").click()
    expect(field(page, "Company")).not_to_contain_text("nothing yet")


def test_all_held_rows_are_left_out_at_once_and_taken_in_again(page: Page, file: Path, demo: CustomersDemo) -> None:
    read_in(page, file)
    check_rows(page)
    findings = page.get_by_role("region", name="Findings")
    held = len(demo.manifest.held)
    page.get_by_role("button", name=f"Leave out all {held} held rows").click()
    expect(findings).to_contain_text("0 held")
    expect(findings).to_contain_text(f"{held} left out")
    page.get_by_role("button", name=f"Take in again the {held} rows left out by hand").click()
    expect(findings).to_contain_text(f"{held} held")
