"""What feeds a field, chosen by keyboard: nothing is taken that was not seen highlighted."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.web.test_journey import field, read_in, station


def at_map(page: Page, file: Path) -> None:
    read_in(page, file)
    station(page, "Map").click()
    expect(field(page, "E-mail")).to_be_visible()


def focused(page: Page) -> str:
    return str(page.evaluate("document.activeElement.tagName"))


def test_arrows_walk_on_through_fields_that_nothing_feeds(page: Page, small: Path) -> None:
    at_map(page, small)
    page.keyboard.press("ArrowDown")
    seen = []
    for _ in range(8):
        page.keyboard.press("ArrowDown")
        seen.append(page.get_by_role("row", selected=True).locator("[role=rowheader] .clip").first.inner_text())
        assert focused(page) not in ("INPUT", "SELECT", "TEXTAREA")
    assert len(set(seen)) == 8


def test_enter_takes_only_what_is_highlighted_and_escape_goes_back_to_the_ledger(page: Page, small: Path) -> None:
    at_map(page, small)
    field(page, "Member number").click()
    find = page.get_by_role("combobox", name="Column", exact=True)
    expect(find).not_to_be_focused()
    page.keyboard.press("Enter")
    expect(find).to_be_focused()
    picker = page.get_by_role("listbox", name="What can feed this field")
    expect(picker.get_by_role("option").first).to_be_visible()
    if picker.get_by_role("option", selected=True).count() == 0:
        page.keyboard.press("Enter")
        expect(field(page, "Member number")).to_contain_text("nothing yet")
    find.fill("no column is called so")
    page.keyboard.press("Enter")
    expect(field(page, "Member number")).to_contain_text("nothing yet")
    page.keyboard.press("Escape")
    expect(find).not_to_be_focused()
    page.keyboard.press("ArrowDown")
    expect(page.get_by_role("complementary", name="Field Company")).to_be_visible()


def test_a_constant_is_a_choice_of_its_own(page: Page, small: Path) -> None:
    at_map(page, small)
    field(page, "Company").click()
    page.get_by_role("button", name=re.compile("^Change")).click()
    page.get_by_label("or the same for every row").fill("de")
    page.keyboard.press("Enter")
    expect(field(page, "Company")).to_contain_text("same for every row")
    # A field that takes few values offers them.
    field(page, "Newsletter").click()
    page.get_by_role("button", name=re.compile("^Change")).click()
    page.get_by_role("combobox", name="or the same for every row").select_option("true")
    page.get_by_role("button", name="Take it").click()
    expect(field(page, "Newsletter")).to_contain_text("same for every row")


def test_what_is_typed_after_f_goes_into_the_formula_and_escape_leaves_it(page: Page, small: Path) -> None:
    at_map(page, small)
    field(page, "Name").click()
    page.keyboard.press("f")
    expect(page.get_by_role("textbox", name="formula")).to_be_focused()
    page.keyboard.press("Control+a")
    page.keyboard.type("=UPPER([Surname])")
    expect(field(page, "Name")).to_contain_text(re.compile("[A-ZÆØÅ]{5,}"))
    page.keyboard.press("Escape")
    expect(page.get_by_role("textbox", name="formula")).not_to_be_focused()
    page.keyboard.press("Escape")
    expect(page.get_by_role("complementary", name="Field Name")).to_be_hidden()


def test_a_second_column_is_joined_where_the_join_is(page: Page, small: Path) -> None:
    at_map(page, small)
    field(page, "Company").click()
    page.get_by_role("button", name="Add a step").click()
    page.get_by_role("option", name="Join columns").click()
    page.get_by_label("and the column").select_option("City")
    expect(field(page, "Company")).to_contain_text("Company + City")
    page.get_by_role("button", name="Leave City out of the join").click()
    expect(field(page, "Company")).not_to_contain_text("Company + City")


def test_a_pattern_that_can_read_nothing_says_so_at_the_step_and_is_not_kept(page: Page, small: Path) -> None:
    at_map(page, small)
    field(page, "Joined").click()
    page.get_by_role("button", name=re.compile("^Read as a date")).click()
    page.get_by_label("written as").fill("SSS")
    step = page.get_by_role("complementary", name="Field Joined").get_by_role("listitem").first
    expect(step.get_by_role("alert")).to_contain_text("the second twice")
    expect(page.get_by_text("not saved", exact=True)).to_be_visible()
    page.reload()
    expect(field(page, "Joined")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Read as a date")).click()
    expect(page.get_by_label("written as")).not_to_have_value("SSS")
    page.get_by_label("written as").fill("seconds since 1970")
    expect(step).to_contain_text("Read as a date: seconds since 1970")


def test_of_two_mappings_one_chooses_which_is_to_stand(page: Page, small: Path) -> None:
    at_map(page, small)
    other = page.context.new_page()
    other.goto(page.url)
    expect(field(other, "Company")).to_be_visible()
    for where, constant in ((page, "first"), (other, "second")):
        field(where, "Company").click()
        where.get_by_role("button", name=re.compile("^Change")).click()
        where.get_by_label("or the same for every row").fill(constant)
        where.keyboard.press("Enter")
        if where is page:
            expect(page.get_by_text("saved", exact=True)).to_be_visible()
    note = other.get_by_role("alert").filter(has_text="changed meanwhile by you, in another tab")
    note.get_by_role("button", name="See both").click()
    both = other.get_by_role("dialog", name="Two mappings")
    expect(both).to_contain_text("“second” for every row")
    both.get_by_role("button", name="Keep mine").click()
    expect(other.get_by_text("saved", exact=True)).to_be_visible()
    other.close()
    page.reload()
    field(page, "Company").click()
    expect(page.get_by_role("complementary", name="Field Company")).to_contain_text("“second” for every row")
