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
RUN = """async rules =>
    (await axe.run(document, {runOnly: rules, resultTypes: ["violations"], elementRef: false})).violations"""


def violations(page: Page, where: str) -> list[str]:
    """What axe finds wrong with the page as it stands, and with its colours where they are dark: dark differs from
    light in nothing else."""
    page.wait_for_load_state("networkidle")
    if not page.evaluate("Boolean(window.axe)"):
        page.evaluate(AXE.read_text())
    found = _found(page, where, EVERYTHING)
    page.evaluate("document.documentElement.dataset.bsTheme = 'dark'")
    found += _found(page, f"{where}, dark", CONTRAST)
    page.evaluate("document.documentElement.dataset.bsTheme = 'light'")
    return found


def _found(page: Page, where: str, rules: dict[str, Any]) -> list[str]:
    result: list[dict[str, Any]] = page.evaluate(RUN, rules)
    return [
        f"{where}: {one['id']} ({one['help']}): {node['target']} {node.get('failureSummary', '')[:200]}"
        for one in result
        for node in one["nodes"][:3]
    ]


def test_every_view_is_accessible(page: Page, file: Path) -> None:
    found = violations(page, "imports")
    page.goto("/sites")
    expect(page.get_by_role("heading").first).to_be_visible()
    found += violations(page, "sites")
    page.goto("/")
    read_in(page, file)
    page.get_by_role("gridcell", name="Ragnhild", exact=True).click()
    found += violations(page, "read")
    page.get_by_role("button", name="Tier", exact=True).click()
    expect(page.get_by_role("complementary", name="Column Tier")).to_contain_text("Seedling")
    found += violations(page, "read, a column")
    page.get_by_role("button", name="Rows to import").click()
    page.get_by_role("button", name="Add a condition").click()
    found += violations(page, "read, the filter")
    page.get_by_role("button", name="Remove condition 1").click()
    station(page, "Map").click()
    field(page, "Plan").click()
    expect(page.get_by_text("2 values open")).to_be_visible()
    found += violations(page, "map, a value table")
    field(page, "Name").click()
    page.keyboard.press("f")
    expect(page.get_by_role("list", name="What it makes of the rows shown")).to_be_visible()
    found += violations(page, "map, a formula")
    page.get_by_role("button", name="Undo").click()
    check_rows(page)
    page.get_by_role("button", name=re.compile("Joined could not be read")).click()
    expect(page.get_by_label(re.compile("Joined of row")).first).to_be_visible()
    found += violations(page, "check")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys")).to_be_visible()
    found += violations(page, "the keys")
    page.keyboard.press("Escape")
    station(page, "Rehearse").click()
    page.get_by_role("button", name=re.compile("^Rehearse$")).click()
    expect(page.get_by_role("button", name=re.compile("create"))).to_be_visible()
    found += violations(page, "rehearse")
    if found:
        pytest.fail("\n".join(found), pytrace=False)
