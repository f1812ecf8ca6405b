"""Rows through the API: corrected, left out, accepted, brought back, each with who did it."""

from __future__ import annotations

import csv
import io
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import httpx
import pytest

from tests.api.test_bad_input import upload
from tests.processes import until

SHEET = (
    "E-mail Address;First Name;Surname;Tier;Joined\n"
    "ada@quillmoss.example;Ada;Corfield;Grove;31/08/2014 01:07\n"
    "bo@quillmoss.example;Bo;Ryewick;Bonsai;12/04/2017 10:44\n"
    "jun at quillmoss;=Jun;Dunwick;Grove;06/01/2013 17:55\n"
    "ute@quillmoss.example;Ute;Ackersehren;Sapling;31/02/2013 17:55\n"
)


@pytest.fixture
def path(client: httpx.Client) -> str:
    found = f"/api/imports/{upload(client, SHEET.encode()).json()['id']}"
    client.post(f"{found}/check").raise_for_status()
    return found


def counts(client: httpx.Client, path: str) -> tuple[int, int, int]:
    """Ready, held and left out, after a check."""
    client.post(f"{path}/check").raise_for_status()
    now: dict[str, Any] = client.get(f"{path}/check").json()
    assert now["ready"] + now["held"] + now["left_out"] == now["rows"] == 4
    return now["ready"], now["held"], now["left_out"]


def test_the_findings_are_those_of_the_sheet(client: httpx.Client, path: str) -> None:
    groups = client.get(f"{path}/check").json()["groups"]
    assert {(one["field"], one["rule"], one["count"]) for one in groups if one["blocks"]} == {
        ("plan", "no value set", 1),
        ("email", "format", 1),
        ("joined_at", "step", 1),
    }
    assert counts(client, path) == (1, 3, 0)


def test_a_correction_counts_is_told_with_who_and_is_taken_back(client: httpx.Client, path: str) -> None:
    cell = {"row": 4, "column": "E-mail Address", "value": "jun@quillmoss.example"}
    client.put(f"{path}/cells", json={"cells": [cell]}).raise_for_status()
    [kept] = client.get(f"{path}/corrections").json()
    assert (kept["row"], kept["value"], kept["by"]) == (4, "jun@quillmoss.example", "ada")
    [row] = client.get(f"{path}/rows", params={"number": 4}).json()["rows"]
    assert row[2][0] == "jun@quillmoss.example"
    assert row[3][0]["supplied"] == "jun at quillmoss"
    assert counts(client, path) == (2, 2, 0)
    client.put(f"{path}/cells", json={"cells": [{**cell, "value": None}]}).raise_for_status()
    assert client.get(f"{path}/corrections").json() == []
    assert counts(client, path) == (1, 3, 0)


@pytest.mark.parametrize("cell", [{"row": 99, "column": "Tier"}, {"row": 2, "column": "Rank"}])
def test_a_correction_of_what_is_not_there_is_refused(client: httpx.Client, path: str, cell: dict[str, Any]) -> None:
    refused = client.put(f"{path}/cells", json={"cells": [{**cell, "value": "x"}]})
    assert refused.status_code == 422
    assert str(cell["row"] if cell["row"] == 99 else cell["column"]) in refused.json()["title"]
    assert client.get(f"{path}/corrections").json() == []


def test_rows_are_left_out_by_number_or_by_finding_and_taken_in_again(client: httpx.Client, path: str) -> None:
    client.put(f"{path}/left-out", json={"rows": [2]}).raise_for_status()
    assert counts(client, path) == (0, 3, 1)
    finding = {"field": "plan", "rule": "no value set"}
    client.put(f"{path}/left-out", json=finding).raise_for_status()
    assert counts(client, path) == (0, 2, 2)
    [row] = client.get(f"{path}/rows", params={"number": 3}).json()["rows"]
    assert row[4] == "ada"
    client.put(f"{path}/left-out", json={"rows": [2, 3], "out": False}).raise_for_status()
    assert counts(client, path) == (1, 3, 0)


def test_every_held_row_is_left_out_at_once_and_every_one_left_out_taken_in(client: httpx.Client, path: str) -> None:
    assert counts(client, path) == (1, 3, 0)
    client.put(f"{path}/left-out", json={"every": "held"}).raise_for_status()
    assert counts(client, path) == (1, 0, 3)
    client.put(f"{path}/left-out", json={"every": "left out", "out": False}).raise_for_status()
    assert counts(client, path) == (1, 3, 0)


def test_the_rows_of_a_finding_are_given_some_at_a_time(client: httpx.Client, path: str) -> None:
    finding = {"field": "plan", "rule": "no value set"}
    asked = client.get(f"{path}/findings/rows", params=finding).json()
    assert asked["total"] == len(asked["rows"]) > 0
    rest = client.get(f"{path}/findings/rows", params={**finding, "first": 1, "count": 5}).json()
    assert (rest["total"], rest["rows"]) == (asked["total"], asked["rows"][1:])


def test_a_finding_is_accepted_with_who_and_taken_back(client: httpx.Client, path: str) -> None:
    finding = {"field": "plan", "rule": "no value set", "rows": [3]}
    client.put(f"{path}/acceptances", json=finding).raise_for_status()
    [kept] = client.get(f"{path}/acceptances").json()
    assert (kept["field"], kept["rule"], kept["row"], kept["by"]) == ("plan", "no value set", 3, "ada")
    assert counts(client, path) == (2, 2, 0)
    client.delete(f"{path}/acceptances", params={"field": "plan", "rule": "no value set"}).raise_for_status()
    assert counts(client, path) == (1, 3, 0)


def test_held_rows_leave_with_their_reasons_and_come_back_corrected(client: httpx.Client, path: str) -> None:
    held = client.get(f"{path}/held.csv").text
    rows = list(csv.DictReader(io.StringIO(held.removeprefix("\ufeff"))))
    assert len(rows) == 3
    assert rows[1]["First Name"] == "'=Jun", "no spreadsheet runs it"
    assert [(row["Row"], bool(row["Why held"])) for row in rows] == [("3", True), ("4", True), ("5", True)]
    for row in rows:
        row["Tier"] = "Grove" if row["Tier"] == "Bonsai" else row["Tier"]
        row["E-mail Address"] = row["E-mail Address"].replace(" at quillmoss", "@quillmoss.example")
    out = io.StringIO()
    writer = csv.DictWriter(out, fieldnames=list(rows[0]))
    writer.writeheader()
    writer.writerows(rows)
    patched = client.post(f"{path}/held", files={"file": ("held.csv", out.getvalue().encode())}).json()
    assert (patched["cells"], patched["rows"]) == (2, 2), "what was made inert is as it was"
    assert counts(client, path) == (3, 1, 0)


def test_a_rule_of_ones_own_holds_rows_until_it_is_removed(client: httpx.Client, path: str) -> None:
    site = 1
    rule = {
        "record_type": "customers",
        "formula": '=[email]<>"ada@quillmoss.example"',
        "sentence": "is ada",
        "blocks": True,
    }
    made = client.post(f"/api/sites/{site}/rules", json=rule)
    assert made.status_code == 201, made.text
    try:
        assert counts(client, path)[1] == 4
    finally:
        client.delete(f"/api/sites/{site}/rules/{made.json()['id']}").raise_for_status()
    assert counts(client, path) == (1, 3, 0)


def test_a_reading_is_told_of_by_its_name_and_only_while_it_lasts(client: httpx.Client) -> None:
    form = {"site_id": "1", "record_type": "customers"}
    rows = b"".join(b"person%d@quillmoss.example;Person;Number\n" % number for number in range(400_000))
    files = {"file": ("customers.csv", b"E-mail Address;First Name;Surname\n" + rows)}

    def read() -> httpx.Response:
        return client.post("/api/imports", files=files, data=form, headers={"X-Reading": "a-name-of-my-own"})

    def progress() -> dict[str, Any] | None:
        found: dict[str, Any] | None = client.get("/api/readings/a-name-of-my-own").json()
        return found

    with ThreadPoolExecutor(1) as pool:
        reading = pool.submit(read)
        seen = until(lambda: reading.done() or ((now := progress()) and now["rows_done"] and now), "progress")
        assert seen is not True, "the reading was over before its progress was told"
        assert 0 < seen["rows_done"] < 400_000
        assert 0 < seen["share"] <= 1
        assert reading.result().status_code == 201
    assert progress() is None
    assert client.delete("/api/readings/never-begun").status_code == 204
