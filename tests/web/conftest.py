"""A real browser on a served Datorum."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect, sync_playwright

from demo.data import CustomersDemo
from tests.processes import Served

QUIET = (
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
)  # fmt: skip


# A busy machine is no defect of what is tested.
expect.set_options(timeout=180_000)


# Of this package alone: while it is open, an event loop runs that other tests would meet.
@pytest.fixture(scope="package")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        found = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=list(QUIET))
        yield found
        found.close()


@pytest.fixture(scope="package")
def _signed_in(browser: Browser, served: Served) -> Iterator[BrowserContext]:
    """An administrator's browser. It is one for all tests, as it then loads the application once."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=served.url)
    with served.signed_in("ada") as client:
        context.add_cookies([{"name": "datorum", "value": client.cookies["datorum"], "url": served.url}])
    yield context
    context.close()


@pytest.fixture
def page(served: Served, _signed_in: BrowserContext) -> Iterator[Page]:
    """A page of a person who has signed in as administrator, where nobody has read a file yet; any error in the page
    fails the test."""
    served.forget()
    found = _signed_in.new_page()
    kept = {"origin": served.url, "storageTypes": "local_storage,session_storage"}
    _signed_in.new_cdp_session(found).send("Storage.clearDataForOrigin", kept)
    found.set_default_timeout(180_000)
    errors: list[str] = []
    found.on("pageerror", lambda error: errors.append(str(error)))
    found.goto("/")
    expect(found.get_by_text("Drop a file here")).to_be_visible()
    yield found
    for one in _signed_in.pages:
        one.close()
    assert errors == []


@pytest.fixture
def file(demo: CustomersDemo, tmp_path: Path) -> Path:
    """The demo sheet."""
    path = tmp_path / "customers-2026-11.csv"
    path.write_bytes(demo.csv)
    return path


@pytest.fixture
def small(demo: CustomersDemo, tmp_path: Path) -> Path:
    """The first hundred lines of the demo sheet."""
    path = tmp_path / "customers-small.csv"
    path.write_text("".join(demo.csv.decode().splitlines(keepends=True)[:100]))
    return path


def run_anyway(page: Page, named: str | re.Pattern[str]) -> None:
    """Press the button that begins a run, and agree by name to all that is not in order."""
    page.get_by_role("button", name=named).click()
    dialog = page.get_by_role("dialog", name=re.compile("^Before the "))
    dialog.get_by_role("checkbox").first.wait_for()
    for box in dialog.get_by_role("checkbox").all():
        box.check()
    dialog.get_by_role("button", name=re.compile("all the same$")).click()
