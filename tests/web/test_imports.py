"""The list of imports, through what people see."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import Page, expect

from tests.web.test_journey import field, read_in, station


def test_an_import_is_renamed_opened_by_its_line_and_its_mapping_used_for_another_file(page: Page, small: Path) -> None:
    expect(page.get_by_role("list", name="How it goes")).to_contain_text("Nothing is sent.")
    read_in(page, small)
    station(page, "Map").click()
    field(page, "Company").click()
    page.get_by_role("button", name="Change").click()
    page.get_by_label("or the same for every row").fill("The old shop")
    page.keyboard.press("Enter")
    expect(page.get_by_text("saved", exact=True)).to_be_visible()
    page.goto("/")
    imports = page.get_by_role("table", name="Imports", exact=True)
    line = imports.get_by_role("row").filter(has_text="customers-small.csv")
    expect(line).to_contain_text("Mapped")
    line.get_by_role("button", name="What can be done with import").click()
    page.get_by_role("menuitem", name="Rename").click()
    page.get_by_label("Name", exact=True).fill("Old shop, November")
    page.keyboard.press("Enter")
    expect(line).to_contain_text("Old shop, November")
    line.get_by_role("cell").nth(3).click()
    expect(field(page, "Company")).to_be_visible()

    page.goto("/")
    line.get_by_role("button", name="What can be done with import").click()
    page.get_by_role("menuitem", name="Use its mapping for another file").click()
    expect(page.get_by_role("region", name="New import")).to_contain_text("mapped as Old shop, November")
    page.get_by_label("File", exact=True).set_input_files(small)
    expect(station(page, "Map")).to_be_visible()
    station(page, "Map").click()
    expect(field(page, "Company")).to_contain_text("The old shop")
