"""A pilot goes first, the rest follows, and all of it is taken back, in the interface."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.processes import StandIn
from tests.web.conftest import run_anyway
from tests.web.test_journey import read_in, station
from tests.web.test_stations import rehearse


def test_a_pilot_the_rest_and_back(page: Page, small: Path, site: StandIn) -> None:
    before = len(site.bodies())
    read_in(page, small)
    rehearse(page)
    run_anyway(page, re.compile("^Pilot: "))
    expect(page.get_by_role("heading", name="Pilot: done")).to_be_visible(timeout=60_000)
    sent = len(site.bodies()) - before
    assert sent > 0
    page.get_by_role("button", name=re.compile("^Verify ")).click()
    expect(page.get_by_role("heading", name=re.compile("on the site as sent"))).to_be_visible(timeout=60_000)
    station(page, "Run").click()
    # The pilot is in order by now; the snapshot was not taken away.
    run_anyway(page, re.compile("^Go on with the other "))
    expect(page.get_by_role("heading", name="Done", exact=True)).to_be_visible(timeout=120_000)
    assert len(site.bodies()) > before + sent
    history = page.get_by_role("region", name="Runs of this import")
    expect(history).to_contain_text(re.compile("pilot of"))

    page.get_by_role("button", name="Take it back …").click()
    asked = page.get_by_role("dialog", name="Take the run back")
    asked.get_by_role("button", name="Show what would be taken back").click()
    expect(asked).to_contain_text("deleted, since the run created them", timeout=60_000)
    asked.get_by_role("button", name=re.compile("^Take back ")).click()
    expect(page.get_by_role("heading", name="Taking it back: done")).to_be_visible(timeout=60_000)
    assert len(site.bodies()) == before + sent
    expect(history).to_contain_text("taken back")
    expect(station(page, "Run")).to_contain_text("taken back")
