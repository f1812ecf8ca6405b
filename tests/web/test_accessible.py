"""Every view is free of what axe finds wrong, in light and dark (WCAG 2.2 AA)."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.web.test_by_hand import check_rows
from tests.web.test_journey import field, read_in, station

AXE = Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"


EVERYTHING = {"type": "tag", "values": ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]}
CONTRAST = {"type": "rule", "values": ["color-contrast"]}


def violations(page: Page, where: str, rules: dict[str, Any]) -> list[str]:
    """What axe finds wrong with the page as it stands."""
    page.wait_for_load_state("networkidle")
    page.evaluate(AXE.read_text())
    result: dict[str, Any] = page.evaluate("rules => axe.run(document, {runOnly: rules})", rules)
    return [
        f"{where}: {one['id']} ({one['help']}): {node['target']} {node.get('failureSummary', '')[:200]}"
        for one in result["violations"]
        for node in one["nodes"][:3]
    ]


@pytest.mark.parametrize("colours", ["light", "dark"])
def test_every_view_is_accessible(page: Page, file: Path, colours: str) -> None:
    found: list[str] = []
    # Dark differs from light in its colours alone.
    rules = CONTRAST if colours == "dark" else EVERYTHING
    if colours == "dark":
        page.get_by_role("button", name="Dark colours").click()
    found += violations(page, "imports", rules)
    page.goto("/sites")
    expect(page.get_by_role("heading").first).to_be_visible()
    found += violations(page, "sites", rules)
    page.goto("/")
    read_in(page, file)
    page.get_by_role("gridcell", name="Ragnhild", exact=True).click()
    found += violations(page, "read", rules)
    page.get_by_role("button", name="Tier", exact=True).click()
    expect(page.get_by_role("complementary", name="Column Tier")).to_contain_text("Seedling")
    found += violations(page, "read, a column", rules)
    page.get_by_role("button", name="Which rows go on").click()
    page.get_by_role("button", name="Add a condition").click()
    found += violations(page, "read, the filter", rules)
    page.get_by_role("button", name="Remove condition 1").click()
    station(page, "Map").click()
    field(page, "Plan").click()
    expect(page.get_by_text("2 values open")).to_be_visible()
    found += violations(page, "map, a value table", rules)
    field(page, "Name").click()
    page.keyboard.press("f")
    expect(page.get_by_role("list", name="What it makes of the rows shown")).to_be_visible()
    found += violations(page, "map, a formula", rules)
    page.get_by_role("button", name="Undo").click()
    check_rows(page)
    page.get_by_role("button", name=re.compile("Joined could not be read")).click()
    expect(page.get_by_label(re.compile("Joined of row")).first).to_be_visible()
    found += violations(page, "check", rules)
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys")).to_be_visible()
    found += violations(page, "the keys", rules)
    page.keyboard.press("Escape")
    station(page, "Rehearse").click()
    page.get_by_role("button", name=re.compile("^Rehearse$")).click()
    expect(page.get_by_role("button", name=re.compile("create"))).to_be_visible()
    found += violations(page, "rehearse", rules)
    if found:
        pytest.fail("\n".join(found), pytrace=False)
