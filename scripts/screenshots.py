"""Takes the pictures in docs/screenshots/ from the demo data, at 1280 × 800: `make screenshots`."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from demo.launch import CUSTOMERS, PASSWORD, PERSON, Demo, Ports

ROOT = Path(__file__).parents[1]
PICTURES = ROOT / "docs" / "screenshots"
HOME = ROOT / ".datorum" / "screenshots"
CHROMIUM = "/usr/bin/chromium-headless-shell"
QUIET = ("--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking", "--disable-sync")


def main() -> None:
    PICTURES.mkdir(parents=True, exist_ok=True)
    demo = Demo(HOME, Ports(8570, 8571, 8572, 8573, 8574))
    demo.reset()
    demo.start()
    try:
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=CHROMIUM, args=list(QUIET))
            page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url="http://127.0.0.1:8570")
            _walk(page, demo.home / "demo" / CUSTOMERS)
            _orders(page, demo.home / "demo" / "exports" / "orders-rows.csv")
            _board(page, demo.home / "demo")
            browser.close()
    finally:
        demo.stop()
        demo.reset()


_MOVE = ("terms-paths", "users", "media", "products-rows", "orders-rows", "offers", "articles-rows", "comments")


def _board(page: Page, folder: Path) -> None:
    """All that the old shop gave, dropped at once and rehearsed."""
    page.goto("/")
    page.get_by_label("It becomes").locator("option", has_text="Quillmoss new site").first.wait_for(state="attached")
    exports = folder / "exports"
    files = [*(exports / f"{name}.csv" for name in _MOVE), folder / CUSTOMERS, exports / "files.zip"]
    page.get_by_label("File", exact=True).set_input_files(files)
    page.get_by_role("article", name="Pictures and files").wait_for(timeout=240_000)
    page.get_by_role("button", name="Rehearse all").click()
    page.get_by_role("button", name="Run all …").wait_for(timeout=240_000)
    page.get_by_role("article", name="Orders").hover()
    _take(page, "board")


def _walk(page: Page, file: Path) -> None:
    page.goto("/sign-in")
    page.get_by_label("Name").fill(PERSON)
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    page.get_by_text("Drop a file here").wait_for()
    _take(page, "imports")
    page.goto("/sites")
    page.get_by_role("link", name="Quillmoss new site").click()
    page.get_by_role("button", name="Look whether it works").click()
    page.get_by_text("All lists answer").wait_for()
    page.get_by_role("button", name="Orders 47").click()
    _take(page, "site")
    page.goto("/help")
    page.get_by_text("ABS(number)").wait_for()
    _take(page, "help")
    page.goto("/")
    page.get_by_label("File", exact=True).set_input_files(file)
    page.get_by_role("gridcell", name="1001").wait_for()
    _take(page, "read")
    page.get_by_role("gridcell", name="Ragnhild", exact=True).click()
    page.keyboard.press("Enter")
    page.get_by_role("textbox", name="First Name of row 2").fill("Ragna")
    page.keyboard.press("Enter")
    page.get_by_role("gridcell", name="Ragna", exact=True).click()
    page.get_by_role("button", name="Tier", exact=True).click()
    _take(page, "read-column")
    page.get_by_role("button", name="Take the correction back").click()
    page.get_by_role("gridcell", name="Ragnhild", exact=True).wait_for()

    page.get_by_role("link", name="Map 21 columns").click()
    page.get_by_role("row").filter(has_text="date and time").click()
    page.get_by_text("What landed").wait_for()
    _take(page, "map")
    page.get_by_role("row").filter(has_text="one of 4").click()
    page.get_by_text("2 values open").wait_for()
    _take(page, "value-table")
    page.get_by_role("row").filter(has_text="120 at most").first.click()
    page.keyboard.press("f")
    page.get_by_label("formula", exact=True).click()
    page.keyboard.press("Control+a")
    page.keyboard.type('=PROPER([First Name])&" "&LEFT([Surname];')
    page.get_by_text("LEFT(text; length)").wait_for()
    _take(page, "formula")
    page.get_by_role("button", name="Undo").click()

    page.get_by_role("button", name=re.compile("^Check ")).click()
    page.get_by_role("button", name=re.compile("Joined could not be read")).click()
    page.get_by_text("of 5", exact=False).wait_for()
    _take(page, "check")

    page.get_by_role("button", name=re.compile("^Rehearse [0-9]")).click()
    page.get_by_role("button", name=re.compile("update")).click()
    page.get_by_role("columnheader", name=re.compile("update")).first.wait_for()
    _take(page, "rehearse")

    page.get_by_role("button", name=re.compile("^Run ")).click()
    asked = page.get_by_role("dialog", name="Before the run")
    asked.get_by_role("checkbox").first.wait_for()
    for box in asked.get_by_role("checkbox").all():
        box.check()
    _take(page, "preflight")
    asked.get_by_role("button", name=re.compile("all the same$")).click()
    page.get_by_role("img", name=re.compile("records a second")).wait_for()
    _take(page, "run")
    page.get_by_role("heading", name="Done").wait_for(timeout=120_000)
    page.get_by_role("button", name=re.compile("^Details of the run")).click()
    page.get_by_text("The site refused nothing.").wait_for()
    _take(page, "run-done")
    page.get_by_role("button", name="Follow up …").click()
    page.get_by_label("Subject").fill("Your account at Quillmoss")
    page.get_by_label("Text", exact=True).fill("Dear [Name],\n\nyour account has moved with us: [page]\n")
    page.get_by_role("button", name="Show what would be done").click()
    page.get_by_text("The first of them").wait_for()
    _take(page, "follow-up")
    page.get_by_role("dialog").get_by_role("button", name="Close", exact=True).last.click()
    page.get_by_role("button", name=re.compile("^Verify ")).click()
    page.get_by_role("heading", name=re.compile("on the site as sent")).wait_for(timeout=60_000)
    page.get_by_role("link", name="Row 2 on the site").wait_for()
    page.get_by_text("pages of 20 records answer").wait_for()
    _take(page, "verify")
    page.goto("/audit")
    page.get_by_role("table").wait_for()
    _take(page, "audit")


def _orders(page: Page, file: Path) -> None:
    page.goto("/")
    chooser = page.get_by_label("It becomes")
    chooser.select_option(label="Orders on Quillmoss new site")
    page.get_by_label("File", exact=True).set_input_files(file)
    page.get_by_role("button", name="Show orders").click()
    page.get_by_role("region", name="Records").get_by_text("10400").wait_for()
    page.get_by_role("button", name="Change", exact=True).click()
    _take(page, "records")
    page.get_by_role("link", name="Map 13 columns").click()
    # In its middle stand the customers themselves, each with its page.
    page.get_by_role("row").filter(has_text="a customer, found by").click(position={"x": 60, "y": 14})
    link = page.get_by_role("region", name="Link")
    read = link.get_by_role("button", name="Read the site’s customers")
    link.get_by_text("Looked for").wait_for()
    if read.is_visible():
        read.click()
        read.wait_for(state="hidden", timeout=60_000)
    _take(page, "orders")


def _take(page: Page, name: str) -> None:
    # A panel that has just opened leaves less room, and the ledger asks anew for as many records as fit.
    page.wait_for_timeout(400)
    page.wait_for_load_state("networkidle")
    page.screenshot(path=PICTURES / f"{name}.png")


if __name__ == "__main__":
    main()
