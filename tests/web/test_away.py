"""When Datorum does not answer for a while, a page says so and goes on by itself."""

from __future__ import annotations

import json
from pathlib import Path

from playwright.sync_api import Page, Route, expect

AWAY = {"type": "urn:datorum:database-unavailable", "title": "The database does not answer just now.", "status": 503}


def refuse(route: Route) -> None:
    route.fulfill(status=503, body=json.dumps(AWAY), content_type="application/problem+json")


def test_a_page_goes_on_when_the_database_is_back(page: Page) -> None:
    page.route("**/api/**", refuse)
    page.goto("/sites")
    expect(page.get_by_text("Datorum does not answer just now.")).to_be_visible()
    page.unroute("**/api/**")
    expect(page.get_by_text("Quillmoss new site")).to_be_visible()
    expect(page.get_by_text("Datorum does not answer just now.")).to_be_hidden()


def test_a_page_goes_on_when_the_server_is_back(page: Page) -> None:
    page.route("**/api/**", lambda route: route.abort())
    page.goto("/sites")
    expect(page.get_by_text("Datorum does not answer just now.")).to_be_visible()
    page.unroute("**/api/**")
    expect(page.get_by_text("Quillmoss new site")).to_be_visible()


def test_a_file_is_sent_again_by_itself(page: Page, small: Path) -> None:
    page.route("**/api/imports", refuse)
    page.get_by_label("File", exact=True).set_input_files(small)
    expect(page.get_by_text("Datorum does not answer just now.")).to_be_visible()
    page.unroute("**/api/imports")
    expect(page.get_by_role("gridcell").first).to_be_visible()
