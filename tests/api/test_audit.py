"""The audit log over HTTP, for administrators."""

from __future__ import annotations

import csv

import httpx

from tests.api.test_bad_input import upload
from tests.processes import Served

SHEET = b"E-mail Address,First Name\nada@quillmoss.example,Ada\n"


def test_the_log_is_read_searched_downloaded_and_held_against_its_chain(served: Served, client: httpx.Client) -> None:
    number = upload(client, SHEET, "audited.csv").json()["id"]
    with served.signed_in("ada") as admin:
        page = admin.get("/api/audit", params={"search": f"import {number}"}).raise_for_status().json()
        assert page["total"] >= 1
        assert all(one["at"] and one["person"] for one in page["entries"])
        chain = admin.get("/api/audit/chain").raise_for_status().json()
        assert (chain["faults"], len(chain["last"])) == ([], 64)
        text = admin.get("/api/audit/audit.csv", params={"search": f"import {number}"}).raise_for_status().text
        rows = list(csv.DictReader(text.removeprefix("\ufeff").splitlines()))
        assert len(rows) == page["total"]


def test_others_do_not_read_it(served: Served) -> None:
    for name in ("bo", "jun"):
        with served.signed_in(name) as other:
            for path in ("/api/audit", "/api/audit/chain", "/api/audit/audit.csv"):
                assert other.get(path).status_code == 403
