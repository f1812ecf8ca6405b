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

    page.get_by_role("button", name="Undo this run …", exact=True).click()
    asked = page.get_by_role("dialog", name="Undo this run")
    asked.get_by_role("button", name="Show what would be undone").click()
    expect(asked).to_contain_text("deleted, because the import created them", timeout=60_000)
    asked.get_by_role("button", name=re.compile("^Undo ")).click()
    expect(page.get_by_role("heading", name="Taking it back: done")).to_be_visible(timeout=60_000)
    assert len(site.bodies()) == before + sent
    expect(history).to_contain_text("taken back")
    expect(station(page, "Run")).to_contain_text("taken back")


def test_who_was_imported_is_invited_and_signs_in_with_the_password_of_before(
    page: Page, tmp_path: Path, site: StandIn
) -> None:
    users = tmp_path / "users.csv"
    rows = [f"grower{at},grower{at}@quillmoss.example,Grower,moss-and-rye-{at}\n" for at in range(3)]
    users.write_text("Username,E-mail,Display name,Password\n" + "".join(rows))
    page.goto("/")
    page.get_by_label("It becomes").select_option(label="Users on Quillmoss new site")
    page.get_by_label("File", exact=True).set_input_files(users)
    expect(page.get_by_role("grid", name="Sheet")).to_be_visible()
    rehearse(page)
    run_anyway(page, re.compile("^Run "))
    expect(page.get_by_role("heading", name="Done", exact=True)).to_be_visible(timeout=60_000)
    page.get_by_role("button", name="Follow up …").click()
    asked = page.get_by_role("dialog", name="Follow up")
    asked.get_by_role("button", name="Show what would be done").click()
    expect(asked).to_contain_text("3 records: call “invite” of the site", timeout=60_000)
    assert site.mails() == 0
    asked.get_by_role("button", name="Call “invite” for 3 records").click()
    expect(asked).to_contain_text("3 of 3 done", timeout=60_000)
    assert site.mails() == 3
    asked.get_by_role("button", name="Close", exact=True).last.click()

    page.get_by_role("button", name=re.compile("^Verify ")).click()
    expect(page.get_by_role("heading", name="3 records on the site as sent")).to_be_visible(timeout=60_000)
    page.get_by_role("button", name="Sign somebody in …").click()
    page.get_by_label("Name", exact=True).fill("grower1")
    page.get_by_label("Password", exact=True).fill("moss-and-rye-1")
    page.get_by_role("button", name="Try it").click()
    expect(page.get_by_text("grower1 signs in")).to_be_visible()
    # The site's own page says so as well.
    page.goto(f"{site.url}/sign-in")
    page.get_by_label("Name").fill("grower2")
    page.get_by_label("Password").fill("moss-and-rye-2")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("heading", name="Welcome, Grower")).to_be_visible()
