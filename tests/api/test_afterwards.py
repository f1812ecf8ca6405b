"""What is done after a run, as a program asks for it over HTTP: lists, follow-ups, the proof, and the record's past."""

from __future__ import annotations

import csv

import httpx
import pytest

from demo.data import CustomersDemo
from tests.api.test_runs import AGREED, Import
from tests.processes import StandIn, until


@pytest.fixture
def sent(client: httpx.Client, site: StandIn, demo: CustomersDemo) -> Import:
    """An import that was rehearsed and run."""
    made = Import(client, b"".join(demo.csv.splitlines(keepends=True)[:40]))
    made.rehearsed()
    made.ask("POST", "/runs", json=AGREED, status=202)
    made.until_run_is("done")
    return made


def test_the_records_of_a_run_come_as_a_list_with_columns_that_the_sheet_has(
    sent: Import, client: httpx.Client
) -> None:
    run = sent.now()["run"]
    at = f"/api/imports/{sent.number}/runs/{run['id']}"
    rows = list(csv.DictReader(client.get(f"{at}/records.csv?columns=City").text.lstrip("\ufeff").splitlines()))
    assert len(rows) == run["done"]
    assert list(rows[0]) == ["Row", "Key", "City", "Id on the site", "Page", "Done"]
    assert client.get(f"{at}/records.xlsx").content.startswith(b"PK")
    for path in ("records.csv?columns=Moon", "redirects.csv?column=Moon"):
        refused = client.get(f"{at}/{path}")
        assert refused.status_code == 404
        assert "no column “Moon”" in refused.json()["title"]
    assert client.get(f"{at}/redirects.csv").status_code == 422


def test_what_cannot_follow_is_refused_with_the_reason(sent: Import) -> None:
    offered = sent.of_run("GET", "/follow-ups/offered")
    assert (offered["actions"], offered["mail"], "email" in offered["addresses"]) == ([], False, True)
    letter = {"what": {"kind": "mail", "to": "email", "subject": "Hello", "text": "Dear [Name]"}, "of": "all"}
    refused = sent.of_run("POST", "/follow-ups", json=letter, status=409)
    assert refused["title"] == "Datorum knows no mail server."
    call = {"what": {"kind": "action", "action": "invite"}}
    assert "no action “invite”" in sent.of_run("POST", "/follow-ups", json=call, status=422)["title"]
    assert sent.of_run("GET", "/follow-ups") == []
    sent.of_run("POST", "/follow-ups/999999/run", json={"records": 1}, status=404)


def test_a_run_is_proven_and_a_record_has_its_past(sent: Import, client: httpx.Client) -> None:
    assert sent.of_run("GET", "/proof")["fields"] == []
    sent.verified()
    proof = sent.of_run("GET", "/proof")
    assert proof["pages"] == {"asked": 20, "wrong": []}
    assert sum(field["compared"] for field in proof["fields"]) == sent.now()["verify"]["fields_compared"]
    page = client.get(f"/api/imports/{sent.number}/runs/{sent.now()['run']['id']}/summary.pdf")
    assert (page.headers["content-type"], page.content[:5]) == ("application/pdf", b"%PDF-")
    past = sent.ask("GET", "/records/2/history")
    assert past["happened"][0]["text"].startswith("Rehearsed: ")
    sent.ask("GET", "/records/999999/history", status=404)


def test_a_rehearsal_under_way_is_stopped(sent: Import) -> None:
    before = sent.now()["rehearse"]["id"]
    sent.ask("POST", "/rehearsal", status=202)
    sent.ask("POST", "/rehearsal/stop")
    until(lambda: sent.now()["rehearse"]["state"] != "reading", "the end of the rehearsal")
    # It may have been over before anybody could stop it.
    assert sent.now()["rehearse"]["state"] in ("stopped", "ready")
    assert sent.now()["rehearse"]["id"] != before
