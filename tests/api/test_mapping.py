"""The mapping through the API: looked at without being saved, saved in turn, kept by name."""

from __future__ import annotations

from typing import Any

import httpx
import pytest

from tests.api.test_bad_input import upload
from tests.processes import unguessable

SHEET = (
    "E-mail Address;First Name;Surname;Tier;Joined\n"
    "ada@quillmoss.example;Ada;Corfield;Grove;31/08/2014 01:07\n"
    "bo@quillmoss.example;Bo;Ryewick;Sapling;12/04/2017 10:44\n"
    "jun@quillmoss.example;Jun;Dunwick;Bonsai;06/01/2013 17:55\n"
)


@pytest.fixture
def path(client: httpx.Client) -> str:
    return f"/api/imports/{upload(client, SHEET.encode()).json()['id']}"


def mapping_of(client: httpx.Client, path: str) -> dict[str, Any]:
    found: dict[str, Any] = client.get(f"{path}/mapping").raise_for_status().json()
    return found


def test_a_mapping_is_saved_as_the_next_version_and_a_late_one_is_refused(client: httpx.Client, path: str) -> None:
    view = mapping_of(client, path)
    changed = {**view["mapping"], "parameters": {"season": "Spring"}}
    saved = client.put(f"{path}/mapping", json={"base_version": view["version"], "mapping": changed})
    assert saved.json() == {"version": view["version"] + 1}
    late = client.put(f"{path}/mapping", json={"base_version": view["version"], "mapping": view["mapping"]})
    assert late.status_code == 409
    assert "changed meanwhile by ada" in late.json()["title"]
    assert mapping_of(client, path)["mapping"]["parameters"] == {"season": "Spring"}


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"fields": {"nickname": {"columns": ["Surname"]}}}, "no field nickname"),
        ({"fields": {"name": {"columns": ["Surname"], "constant": "x"}}}, "not by both"),
        ({"fields": {"name": {"columns": ["Surname"], "steps": [{"kind": "trimm"}]}}}, "trimm"),
        ({"fields": {"name": {"columns": ["Surname"], "stepz": []}}}, "stepz: is not known here"),
        ({"fields": {"name": {"columns": ["Surname"], "steps": [{"kind": "formula", "text": "=1+"}]}}}, "character"),
        ({"fields": {"name": {"columns": ["Surname"], "steps": [{"kind": "read_date", "pattern": "SSS"}]}}}, "twice"),
        (
            {
                "fields": {
                    "name": {"columns": ["Surname"], "steps": [{"kind": "replace", "find": "(", "pattern": True}]}
                }
            },
            "unclosed group",
        ),
        ({"rows": {"formula": "=FOO([Surname])"}}, "FOO"),
        ({"match_key": "nickname"}, "no field nickname"),
        ({"matchkey": "email"}, "matchkey: is not known here"),
    ],
)
def test_a_mapping_that_cannot_be_is_refused_with_its_place_and_changes_nothing(
    client: httpx.Client, path: str, change: dict[str, Any], says: str
) -> None:
    view = mapping_of(client, path)
    body = {"base_version": view["version"], "mapping": {**view["mapping"], **change}}
    refused = client.put(f"{path}/mapping", json=body)
    assert refused.status_code == 422
    assert says in refused.json()["title"] + refused.json()["detail"]
    if "steps" in str(change) and "kind" in str(change) and "trimm" not in says:
        assert refused.json()["place"] == {"field": "name", "step": 1}
    assert mapping_of(client, path) == view


def test_a_feed_is_proposed_with_its_steps_and_nothing_is_saved(client: httpx.Client, path: str) -> None:
    before = mapping_of(client, path)
    fed = client.post(f"{path}/feed", json={"field": "joined_at", "columns": ["Joined"]}).json()
    assert [(step["kind"], step["pattern"]) for step in fed["steps"]] == [
        ("read_date", "D/M/YYYY H:MM"),
    ]
    table = client.post(f"{path}/feed", json={"field": "plan", "columns": ["Tier"]}).json()["value_table"]
    assert table["pairs"] == {"Grove": "grove", "Sapling": "sapling"}
    assert mapping_of(client, path) == before


def test_a_field_is_looked_into_with_a_mapping_that_is_not_saved(client: httpx.Client, path: str) -> None:
    mapping = {"columns": ["Surname"], "steps": [{"kind": "case", "to": "upper"}, {"kind": "affix", "before": "Fam. "}]}
    seen = client.post(f"{path}/inspect", json={"field": "name", "mapping": mapping, "row": 3}).json()
    assert [step["after"] for step in seen["steps"]] == ["RYEWICK", "Fam. RYEWICK"]
    assert all(step["sentence"] for step in seen["steps"])
    assert seen["formula"].startswith("=")
    assert seen["candidates"][0]["columns"] == ["First Name", "Surname"]
    assert (seen["landed"], seen["blank"], seen["held"]) == (3, 0, 0)


def test_a_formula_is_tried_on_rows_and_its_error_has_a_place(client: httpx.Client, path: str) -> None:
    good = client.post(f"{path}/formula", json={"text": "=UPPER([Surname])", "rows": [2, 4]}).json()
    assert [one["value"] for one in good["results"]] == ["CORFIELD", "DUNWICK"]
    bad = client.post(f"{path}/formula", json={"text": "=UPPER([Surname]", "rows": [2]}).json()
    assert (bad["at"], bad["problem"]) == (1, "“UPPER” is opened here and never closed")


def test_versions_say_what_differs(client: httpx.Client, path: str) -> None:
    view = mapping_of(client, path)
    name = {"columns": ["Surname"], "steps": []}
    changed = {**view["mapping"], "fields": {**view["mapping"]["fields"], "name": name}}
    client.put(f"{path}/mapping", json={"base_version": 1, "mapping": changed}).raise_for_status()
    versions = client.get(f"{path}/mapping/versions").json()
    assert [one["version"] for one in versions] == [2, 1]
    assert {change["field"] for change in versions[0]["changes"]} == {"name"}
    assert client.get(f"{path}/mapping/versions/1").json() == view["mapping"]
    assert client.get(f"{path}/mapping/versions/1/difference").json() == versions[0]["changes"]
    assert client.get(f"{path}/mapping/versions/9").status_code == 404


def test_a_mapping_and_a_table_are_kept_by_name_replaced_and_removed(client: httpx.Client, path: str) -> None:
    name = unguessable()
    first = client.post(f"{path}/mapping/kept", json={"name": name}).json()
    again = client.post(f"{path}/mapping/kept", json={"name": name}).json()
    listed = client.get("/api/kept/mappings", params={"record_type": "customers"}).json()
    assert [one["name"] for one in listed].count(name) == 1
    assert client.get(f"/api/kept/mappings/{again['id']}").json() == mapping_of(client, path)["mapping"]
    assert not client.get("/api/kept/mappings", params={"record_type": "orders"}).json()
    table = {"pairs": {"Grove": "grove"}, "otherwise": "keep", "other": ""}
    kept = client.post("/api/kept/tables", json={"name": name, "table": table}).json()
    assert client.get(f"/api/kept/tables/{kept['id']}").json() == table
    for number in {first["id"], again["id"], kept["id"]}:
        client.delete(f"/api/kept/{number}")
    assert name not in {one["name"] for one in client.get("/api/kept/mappings").json()}
    assert client.get(f"/api/kept/tables/{kept['id']}").status_code == 404


def test_a_name_that_is_no_name_is_refused(client: httpx.Client, path: str) -> None:
    for name in ("", " ", "x" * 500):
        assert client.post(f"{path}/mapping/kept", json={"name": name}).status_code == 422


def test_a_column_that_is_not_there_is_said(client: httpx.Client, path: str) -> None:
    assert client.get(f"{path}/profile", params={"column": "Tier"}).json()["distinct"] == 3
    refused = client.get(f"{path}/profile", params={"column": "Rank"})
    assert refused.status_code == 422
    assert "Rank" in refused.json()["title"]


def test_every_function_has_a_signature_and_a_sentence(client: httpx.Client) -> None:
    functions = client.get("/api/formulas/functions").json()
    assert len(functions) > 90
    assert all(one["signature"].startswith(one["name"]) and one["summary"] for one in functions)


def test_the_ledger_refuses_what_it_cannot_show(client: httpx.Client, path: str) -> None:
    for question in ({"count": 0}, {"count": 99}, {"offset": -1}, {"station": "read"}, {"records": "all"}):
        assert client.post(f"{path}/ledger", json=question).status_code == 422
    unknown = {"mapping": {"fields": {"nickname": {"columns": ["Surname"]}}}}
    assert "nickname" in client.post(f"{path}/ledger", json=unknown).json()["title"]
