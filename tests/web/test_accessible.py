"""Every view and dialog is free of what axe finds wrong, in light and dark (WCAG 2.2 AA); it is read on a screen of 320
pixels, worked on from 768, and each of its controls is reached by keyboard."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.processes import StandIn
from tests.web.conftest import run_anyway
from tests.web.test_by_hand import check_rows
from tests.web.test_journey import field, read_in, station

AXE = Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"


EVERYTHING = {"type": "tag", "values": ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]}
CONTRAST = {"type": "rule", "values": ["color-contrast"]}
RUN = """async rules =>
    (await axe.run(document, {runOnly: rules, resultTypes: ["violations"], elementRef: false})).violations"""

# What lies to the right of the screen, and is not in something that can be moved sideways, as tables of data may be.
OFF_SCREEN = """() => [...document.querySelectorAll('body *')].filter(one => {
    const {width, right} = one.getBoundingClientRect()
    if (width <= 1 || right <= innerWidth + 1 || !one.checkVisibility()) return false
    for (let at = one.parentElement; at && at !== document.body; at = at.parentElement)
        if (getComputedStyle(at).overflowX !== 'visible') return false
    return true
}).slice(0, 3).map(one => one.outerHTML.slice(0, 120))"""

# Those of the dialog, where one is open: nothing behind it is to be reached.
CONTROLS = """() => {
    const within = [...document.querySelectorAll('[role="dialog"]')].find(one => one.checkVisibility()) ?? document.body
    const all = [...within.querySelectorAll('a[href], button, input, select, textarea, [tabindex="0"]')]
    const meant = all.filter(one =>
        one.checkVisibility() && !one.disabled && one.tabIndex >= 0 && one.getBoundingClientRect().width > 1)
    window.focusedBefore = document.activeElement
    // The head of a column is made anew when it comes into sight again, and known by what it says.
    window.controlOf = one => one?.closest('[role="columnheader"]')?.textContent ?? one?.dataset.reached
    meant.forEach((one, number) => one.dataset.reached = number)
    const asked = within.getAttribute('tabindex')
    within.tabIndex = -1
    within.focus()
    asked === null ? within.removeAttribute('tabindex') : within.setAttribute('tabindex', asked)
    return Object.fromEntries(meant.map(one => [controlOf(one), one.outerHTML.slice(0, 120)]))
}"""
REACHED = "() => controlOf(document.activeElement)"


def violations(page: Page, where: str) -> list[str]:
    """What axe finds wrong with the page as it stands, and with its colours where they are dark: dark differs from
    light in nothing else. And what cannot be seen on a narrow screen."""
    page.wait_for_load_state("networkidle")
    if not page.evaluate("Boolean(window.axe)"):
        page.evaluate(AXE.read_text())
    found = _found(page, where, EVERYTHING)
    page.evaluate("document.documentElement.dataset.bsTheme = 'dark'")
    found += _found(page, f"{where}, dark", CONTRAST)
    page.evaluate("document.documentElement.dataset.bsTheme = 'light'")
    for width, height in ((320, 640), (768, 1024)):
        page.set_viewport_size({"width": width, "height": height})
        found += [f"{where}, {width} pixels: {one} is off the screen" for one in page.evaluate(OFF_SCREEN)]
    page.set_viewport_size({"width": 1280, "height": 800})
    return found


def _found(page: Page, where: str, rules: dict[str, Any]) -> list[str]:
    result: list[dict[str, Any]] = page.evaluate(RUN, rules)
    return [
        f"{where}: {one['id']} ({one['help']}): {node['target']} {node.get('failureSummary', '')[:200]}"
        for one in result
        for node in one["nodes"][:3]
    ]


def unreached(page: Page, where: str) -> list[str]:
    """The controls that Tab does not come to."""
    controls: dict[str, str] = page.evaluate(CONTROLS)
    reached = set()
    for _ in range(3 * len(controls) + 8):
        page.keyboard.press("Tab")
        reached.add(page.evaluate(REACHED))
        if controls.keys() <= reached:
            break
    page.evaluate("document.activeElement.blur(); window.focusedBefore.focus()")
    return [f"{where}: {one} is not reached" for key, one in controls.items() if key not in reached]


def none_of(found: list[str]) -> None:
    if found:
        pytest.fail("\n".join(found), pytrace=False)


def dialog(page: Page, name: str | re.Pattern[str], found: list[str]) -> None:
    """Look at a dialog that was opened, and close it."""
    expect(page.get_by_role("dialog", name=name)).to_be_visible()
    found += violations(page, f"the dialog {name}") + unreached(page, f"the dialog {name}")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog", name=name)).to_be_hidden()


def test_every_view_is_accessible(page: Page, file: Path) -> None:
    found = violations(page, "imports")
    page.goto("/sites")
    expect(page.get_by_role("link", name="Quillmoss new site")).to_be_visible()
    found += violations(page, "sites") + unreached(page, "sites")
    page.get_by_role("link", name="Quillmoss new site").click()
    glance = page.get_by_role("navigation", name="The site at a glance")
    glance.get_by_role("button", name="Sign-in").click()
    expect(page.get_by_role("button", name="Leave it as it is")).to_be_visible()
    page.get_by_label("Keys", exact=True).check()
    page.get_by_role("button", name="Correct: As many at most").click()
    found += violations(page, "a site, its sign-in") + unreached(page, "a site, its sign-in")
    page.get_by_role("button", name="Look whether it works").click()
    expect(page.get_by_text("All lists answer")).to_be_visible()
    found += violations(page, "a site") + unreached(page, "a site")
    glance.get_by_role("button", name="Quiet hours").click()
    page.get_by_role("button", name="Add hours").click()
    found += violations(page, "a site, its limits") + unreached(page, "a site, its limits")
    page.get_by_role("button", name="Take a snapshot").click()
    expect(page.get_by_role("button", name="Is it still so?")).to_be_visible()
    expect(page.get_by_role("button", name="Stop reading")).to_be_hidden()
    found += violations(page, "a site, its snapshot") + unreached(page, "a site, its snapshot")
    page.get_by_role("button", name="Remove", exact=True).click()
    found += violations(page, "a site that is to go") + unreached(page, "a site that is to go")
    page.goto("/help")
    expect(page.get_by_text("PROPER(text)")).to_be_visible()
    found += violations(page, "help") + unreached(page, "help")
    page.goto("/importz")
    expect(page.get_by_role("heading", name="There is no page at this address")).to_be_visible()
    found += violations(page, "an address that leads nowhere") + unreached(page, "an address that leads nowhere")
    page.goto("/")
    read_in(page, file)
    page.get_by_role("gridcell", name="Ragnhild", exact=True).click()
    found += violations(page, "read") + unreached(page, "read")
    page.get_by_role("button", name="Tier", exact=True).click()
    expect(page.get_by_role("complementary", name="Column Tier")).to_contain_text("Seedling")
    found += violations(page, "read, a column") + unreached(page, "read, a column")
    page.get_by_role("button", name="Rows to import").click()
    page.get_by_role("button", name="Add a condition").click()
    found += violations(page, "read, the filter") + unreached(page, "read, the filter")
    page.get_by_role("button", name="Remove condition 1").click()
    none_of(found)


def test_every_view_of_the_mapping_is_accessible(page: Page, file: Path) -> None:
    read_in(page, file)
    station(page, "Map").click()
    field(page, "Plan").click()
    expect(page.get_by_text("2 values open")).to_be_visible()
    found = violations(page, "map, a value table") + unreached(page, "map")
    page.keyboard.press("Enter")
    expect(page.get_by_role("listbox", name="What can feed this field")).to_be_visible()
    found += violations(page, "map, what can feed a field")
    page.keyboard.press("Escape")
    page.keyboard.press("s")
    expect(page.get_by_role("option", name="Trim spaces")).to_be_visible()
    found += violations(page, "map, the menu of steps")
    page.keyboard.press("Escape")
    field(page, "Name").click()
    page.keyboard.press("f")
    expect(page.get_by_role("list", name="What it makes of the rows shown")).to_be_visible()
    found += violations(page, "map, a formula")
    page.get_by_role("button", name="Undo").click()
    page.keyboard.press("Escape")
    page.keyboard.press("Control+k")
    expect(page.get_by_role("dialog", name="Go to")).to_be_visible()
    found += violations(page, "go to") + unreached(page, "go to")
    page.keyboard.type("versions")
    page.get_by_role("option", name="Versions of the mapping").click()
    dialog(page, "Versions of the mapping", found)
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys at Map")).to_be_visible()
    found += violations(page, "the keys") + unreached(page, "the keys")
    none_of(found)


def test_every_view_after_the_mapping_is_accessible(page: Page, small: Path, site: StandIn) -> None:
    read_in(page, small)
    check_rows(page)
    found = violations(page, "check")
    page.get_by_role("region", name="Findings").get_by_role("listitem").get_by_role("button").first.click()
    expect(page.get_by_role("checkbox").first).to_be_visible()
    found += violations(page, "check, a finding") + unreached(page, "check")
    page.get_by_role("button", name="Rules of your own").click()
    dialog(page, "Rules of your own", found)
    station(page, "Rehearse").click()
    page.get_by_label("Mail from the site").select_option("true")
    page.get_by_role("button", name="Rehearse", exact=True).click()
    expect(page.get_by_role("button", name=re.compile("create"))).to_be_visible()
    found += violations(page, "rehearse") + unreached(page, "rehearse")
    page.get_by_role("button", name="all are written").click()
    dialog(page, "What is written to records that are there", found)
    page.get_by_role("button", name="match key only").click()
    dialog(page, "How records are found on the site", found)
    page.get_by_role("button", name=re.compile("^Run ")).click()
    asked = page.get_by_role("dialog", name="Before the run")
    expect(asked).to_contain_text("The site sends its mail")
    found += violations(page, "preflight") + unreached(page, "preflight")
    asked.get_by_role("button", name="Do not run yet").click()
    run_anyway(page, re.compile("^Run "))
    expect(page.get_by_role("heading", name="Done")).to_be_visible(timeout=120_000)
    page.get_by_role("button", name=re.compile("^Details of the run")).click()
    expect(page.get_by_role("region", name="Runs of this import")).to_contain_text("The site refused nothing.")
    found += violations(page, "run") + unreached(page, "run")
    page.get_by_role("button", name="Undo this run …", exact=True).click()
    dialog(page, "Undo this run", found)
    page.get_by_role("button", name="Follow up …").click()
    expect(page.get_by_role("dialog", name="Follow up")).to_contain_text("Datorum knows no mail server")
    dialog(page, "Follow up", found)
    page.get_by_role("button", name="Take a list away …").click()
    dialog(page, "Take a list away", found)
    page.get_by_role("button", name=re.compile("^Verify ")).click()
    expect(page.get_by_role("heading", name=re.compile("on the site as sent"))).to_be_visible(timeout=120_000)
    expect(page.get_by_text("pages of 20 records answer")).to_be_visible()
    found += violations(page, "verify") + unreached(page, "verify")
    page.get_by_title("What happened to this record").first.click()
    dialog(page, re.compile("What happened to"), found)
    page.get_by_role("button", name="Show it field by field").click()
    expect(page.get_by_role("columnheader", name="What the site did with it")).to_be_visible()
    found += violations(page, "verify, field by field") + unreached(page, "verify, field by field")
    page.goto("/sites")
    page.get_by_role("link", name="Quillmoss new site").click()
    page.get_by_role("navigation", name="The site at a glance").get_by_role("button", name="History").click()
    expect(page.get_by_role("region", name="Runs to this site").get_by_role("row").nth(1)).to_be_visible()
    found += violations(page, "a site, its history") + unreached(page, "a site, its history")
    page.goto("/audit")
    expect(page.get_by_role("table")).to_be_visible()
    found += violations(page, "audit") + unreached(page, "audit")
    page.goto("/")
    expect(page.get_by_role("table", name="Imports")).to_be_visible()
    found += violations(page, "imports, a list") + unreached(page, "imports")
    none_of(found)


def test_every_dialog_is_accessible(page: Page, small: Path) -> None:
    found: list[str] = []
    read_in(page, small)
    page.get_by_role("gridcell", name="Ragnhild", exact=True).click()
    page.keyboard.press("x")
    expect(page.get_by_role("status").filter(has_text="left out by ada")).to_be_visible()
    page.get_by_label("Read another file").set_input_files(small)
    dialog(page, "Read another file", found)
    station(page, "Map").click()
    for item, name in (
        ("Parameters", "Parameters of the mapping"),
        ("Save it by name, for other imports", "Save the mapping by name"),
    ):
        page.get_by_role("button", name="Mapping", exact=True).click()
        page.get_by_role("menuitem", name=item).click()
        dialog(page, name, found)
    field(page, "Plan").click()
    expect(page.get_by_role("complementary", name="Field Plan")).to_contain_text("orchard")
    page.wait_for_load_state("networkidle")
    page.get_by_role("button", name="Paste, export, share").click()
    page.get_by_role("menuitem", name="Paste pairs from a spreadsheet").click()
    dialog(page, "Paste pairs", found)
    # Somebody else keeps another mapping meanwhile.
    path = re.sub(r"/imports/(\d+)/.*", r"/api/imports/\1/mapping", page.url)
    kept = page.request.get(path).json()
    token = page.request.get("/api/session").json()["csrf"]
    body = {"base_version": kept["version"], "mapping": {**kept["mapping"], "left_out": ["Last Seen"]}}
    assert page.request.put(path, data=body, headers={"X-CSRF-Token": token}).ok
    field(page, "Company").click()
    page.get_by_role("button", name="Feed it by nothing").click()
    page.get_by_role("button", name="See both").click()
    dialog(page, "Two mappings", found)
    page.get_by_role("button", name="Keep mine").click()
    expect(page.get_by_role("status").filter(has_text="saved")).to_be_visible()
    # What is fed by nothing is learnt; what stands beside the feeds is offered.
    kept = page.request.get(path).json()
    body = {"base_version": kept["version"], "mapping": {**kept["mapping"], "parameters": {"season": "Spring"}}}
    assert page.request.put(path, data=body, headers={"X-CSRF-Token": token}).ok
    page.goto("/")
    read_in(page, small)
    station(page, "Map").click()
    page.get_by_role("button", name=re.compile("difference.* from the suggested one")).click()
    dialog(page, "The mapping of customers-small.csv", found)
    none_of(found)
