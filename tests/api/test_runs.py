"""Rehearsal, run, pause, continuation, end, refused rows and differences, as a program sees them over HTTP."""

from __future__ import annotations

from typing import Any

import httpx
import psycopg
import pytest

from demo.data import CustomersDemo
from tests.api.test_bad_input import upload
from tests.processes import Served, StandIn, until

AGREED = {"agreed": ["mail", "snapshot", "backup", "columns", "pilot", "linked imports", "disk", "site"]}
"""All of preflight that may not be in order where tests run."""


class Import:
    """One import over HTTP."""

    def __init__(self, client: httpx.Client, data: bytes) -> None:
        self._client = client
        self.number = int(upload(client, data).json()["id"])

    def ask(self, method: str, path: str = "", *, status: int = 200, json: Any = None) -> Any:
        answer = self._client.request(method, f"/api/imports/{self.number}{path}", json=json)
        assert answer.status_code == status, answer.text
        return answer.json() if answer.content else None

    def now(self) -> dict[str, Any]:
        found: dict[str, Any] = self.ask("GET")
        return found

    def rehearsed(self) -> dict[str, Any]:
        self.ask("POST", "/rehearsal", status=202)
        until(lambda: self.now()["rehearse"]["state"] != "reading", "the rehearsal")
        found: dict[str, Any] = self.now()["rehearse"]
        return found

    def until_run_is(self, state: str) -> dict[str, Any]:
        until(lambda: self.now()["run"]["state"] == state, f"the run being {state}")
        found: dict[str, Any] = self.now()["run"]
        return found

    def taken_back(self, run_id: int) -> dict[str, Any]:
        """Take a run back, as it is rehearsed to be."""
        self.ask("POST", f"/runs/{run_id}/undo", status=202)
        until(lambda: self.ask("GET", f"/runs/{run_id}/undo")["state"] == "ready", "the plan of the undo")
        self.ask("POST", f"/runs/{run_id}/undo/run", status=202)
        until(lambda: self.ask("GET", f"/runs/{run_id}/undo")["state"] == "done", "the undo")
        found: dict[str, Any] = self.ask("GET", f"/runs/{run_id}/undo")
        return found

    def of_run(self, method: str, path: str, *, status: int = 200, json: Any = None) -> Any:
        """Ask something of the run that was begun last."""
        return self.ask(method, f"/runs/{self.now()['run']['id']}{path}", status=status, json=json)

    def verified(self) -> dict[str, Any]:
        self.of_run("POST", "/verification", status=202)
        until(lambda: self.now()["verify"]["state"] != "reading", "the verification")
        found: dict[str, Any] = self.now()["verify"]
        return found


@pytest.fixture
def small(client: httpx.Client, site: StandIn, demo: CustomersDemo) -> Import:
    return Import(client, b"".join(demo.csv.splitlines(keepends=True)[:120]))


def test_a_plan_is_made_run_and_proven(small: Import, site: StandIn) -> None:
    planned = small.rehearsed()
    assert planned["state"] == "ready"
    assert sum(planned["counts"].values()) == small.now()["sheet"]["rows"]
    changed = small.ask("GET", "/rehearsal")["changed_fields"]
    assert {one["field"] for one in changed}
    assert all(one["records"] <= planned["counts"]["update"] for one in changed)
    started = small.ask("POST", "/runs", json=AGREED, status=202)["run"]
    assert started["total"] == planned["counts"]["create"] + planned["counts"]["update"]
    assert small.ask("POST", "/runs", json=AGREED, status=202)["run"]["id"] == started["id"]
    done = small.until_run_is("done")
    assert (done["done"], done["failed"], done["in_doubt"]) == (done["total"], 0, 0)
    assert small.of_run("GET", "/failed") == []
    verified = small.verified()
    assert (verified["compared"], verified["mismatches"]) == (done["total"], 0)
    assert small.of_run("GET", "/mismatches") == []
    assert site.mails() == 0


def test_a_run_is_paused_goes_on_and_is_ended(small: Import, site: StandIn) -> None:
    small.rehearsed()
    site.behave(delay_ms=400)
    small.ask("POST", "/runs", json=AGREED, status=202)
    until(lambda: small.now()["run"]["state"] == "running", "the run")
    paused = small.of_run("POST", "/pause")["run"]
    assert paused["state"] == "paused"
    site.behave()
    refused = small.ask("POST", "/rehearsal", status=409)
    assert "is paused" in refused["title"]
    assert small.of_run("POST", "/pause", status=409)["title"]
    small.of_run("POST", "/continue", status=202)
    done = small.until_run_is("done")
    assert done["done"] == done["total"]
    assert small.of_run("POST", "/end", status=409)["title"] == "Only a paused run can be ended."


def test_what_the_site_refused_is_given_with_its_words(small: Import, site: StandIn) -> None:
    planned = small.rehearsed()
    ledger = small.ask("POST", "/ledger", json={"station": "rehearse", "records": "action", "action": "create"})
    key = ledger["records"][0]["label"]
    with psycopg.connect(site.database_url) as connection:
        connection.execute("INSERT INTO customer (body) VALUES (%s)", [psycopg.types.json.Jsonb({"email": key})])
    small.ask("POST", "/runs", json=AGREED, status=202)
    done = small.until_run_is("done")
    assert (done["failed"], done["done"]) == (1, done["total"] - 1)
    [failed] = small.of_run("GET", "/failed")
    assert (failed["key"], failed["action"], failed["status"], failed["attempts"]) == (key, "create", 409, 1)
    assert "exists already" in failed["message"]
    assert small.of_run("GET", f"/failed?like={failed['item']}") == [failed]
    assert small.of_run("GET", f"/failed?like={failed['item'] + 1}") == []
    [past] = small.ask("GET", "/runs")
    assert (past["failed"], past["counts"]) == (1, planned["counts"])
    assert small.ask("GET", f"/runs/{past['id']}")["failed"] == [failed]
    small.ask("GET", f"/runs/{past['id'] + 1}", status=404)
    assert planned["counts"]["create"] > 1


def test_what_the_site_keeps_otherwise_is_told_field_by_field(small: Import, site: StandIn) -> None:
    small.rehearsed()
    site.behave(alter_city=True)
    small.ask("POST", "/runs", json=AGREED, status=202)
    small.until_run_is("done")
    verified = small.verified()
    mismatches = small.of_run("GET", "/mismatches")
    assert verified["mismatches"] == len(mismatches) > 0
    assert {one["field"] for one in mismatches} == {"address.city"}
    assert all(one["found"] == one["sent"].upper() and one["page"] for one in mismatches)
    shown = small.ask("POST", "/ledger", json={"station": "verify", "records": "mismatched", "count": 1})
    [city] = [line for line in shown["lines"] if line["path"] == "address.city"]
    assert (city["cells"][0]["mark"], city["cells"][0]["note"]) == ("held", "differs")


def test_a_pilot_goes_first_then_the_rest_and_either_is_taken_back(small: Import, site: StandIn) -> None:
    before = {one["email"]: one for one in site.bodies()}
    planned = small.rehearsed()
    to_send = planned["counts"]["create"] + planned["counts"]["update"]
    pilot = small.ask("GET", "/rehearsal/pilot")
    assert 0 < len(pilot["items"]) < to_send
    assert sum(pilot["counts"].values()) == len(pilot["items"])
    begun = small.ask("POST", "/runs", json={"kind": "pilot", **AGREED}, status=202)["run"]
    assert (begun["kind"], begun["total"]) == ("pilot", len(pilot["items"]))
    done = small.until_run_is("done")
    assert (done["done"], done["left"]) == (len(pilot["items"]), to_send - len(pilot["items"]))
    assert small.verified()["compared"] == len(pilot["items"])
    shown = small.ask("POST", "/ledger", json={"station": "verify", "records": "first"})
    assert shown["total"] == len(pilot["items"])

    small.ask("POST", "/runs", json=AGREED, status=202)
    until(lambda: (now := small.now()["run"])["kind"] == "main" and now["state"] == "done", "the rest")
    rest = small.now()["run"]
    assert (rest["total"], rest["done"]) == (done["left"], done["left"])
    assert len(site.bodies()) == len(before) + planned["counts"]["create"]

    for run_id in (rest["id"], done["id"]):
        taken = small.taken_back(run_id)
        assert (taken["failed"], taken["left"], taken["done"]) == (0, [], taken["total"])
    kinds = [(one["kind"], one["taken_back"]) for one in small.ask("GET", "/runs")]
    assert kinds == [("undo", 0), ("undo", 0), ("main", rest["total"]), ("pilot", done["total"])]
    own = {"id", "created_at", "updated_at", "version"}

    def kept(bodies: dict[str, Any]) -> dict[str, Any]:
        return {key: {name: one for name, one in body.items() if name not in own} for key, body in bodies.items()}

    assert kept({one["email"]: one for one in site.bodies()}) == kept(before)
    assert "taken back" in small.ask("POST", "/runs", json=AGREED, status=409)["title"]


def test_what_the_site_lacks_of_the_sheet_is_deleted_only_where_the_number_is_said(
    client: httpx.Client, small: Import, site: StandIn
) -> None:
    there = len(site.bodies())
    small.ask("PUT", "/policy", json={"unnamed": "list"})
    listed = small.rehearsed()["counts"]["unnamed"]
    assert 0 < listed < there
    small.ask("PUT", "/policy", json={"unnamed": "delete", "on_match": "skip", "on_no_match": "skip"})
    planned = small.rehearsed()
    assert (planned["counts"]["delete"], planned["to_send"]) == (listed, listed)
    assert (
        "nobody has downloaded" in small.ask("POST", "/runs", json={"deletes": listed, **AGREED}, status=409)["title"]
    )
    backup = client.get("/api/sites/1/backup", params={"types": "customers"})
    assert len(backup.raise_for_status().content) > 1_000
    refused = small.ask("POST", "/runs", json=AGREED, status=409)
    assert (refused["title"], refused["current"]) == (f"The plan deletes {listed:,} records.", {"deletes": listed})
    small.ask("POST", "/runs", json={"deletes": listed + 1, **AGREED}, status=409)
    small.ask("POST", "/runs", json={"deletes": listed, **AGREED}, status=202)
    done = small.until_run_is("done")
    assert (done["done"], done["failed"], len(site.bodies())) == (listed, 0, there - listed)
    assert small.verified()["mismatches"] == 0


def test_what_is_not_in_order_before_a_run_is_agreed_to_by_name(client: httpx.Client, small: Import) -> None:
    small.rehearsed()
    points = {one["name"]: one for one in small.ask("GET", "/rehearsal/preflight")}
    assert points["mail"]["state"] == points["plan"]["state"] == points["worker"]["state"] == "good"
    amiss = {name for name, one in points.items() if one["state"] != "good"}
    assert {"backup", "pilot"} <= amiss
    refused = small.ask("POST", "/runs", json={"agreed": sorted(amiss - {"backup"})}, status=409)
    assert [one["name"] for one in refused["current"]["points"]] == ["backup"]
    assert "nobody has downloaded" in refused["title"]
    client.get("/api/sites/1/backup").raise_for_status()
    begun = small.ask("POST", "/runs", json={"agreed": sorted(amiss - {"backup"})}, status=202)["run"]
    happened = small.ask("GET", f"/runs/{begun['id']}/progress")["happened"]
    assert any("agreed that no pilot went first" in one["text"] for one in happened)
    # A second start is the same run, and asks for nothing.
    assert small.ask("POST", "/runs", status=202)["run"]["id"] == begun["id"]
    small.until_run_is("done")
    shown = small.ask("GET", f"/runs/{begun['id']}/progress")
    assert sum(part["done"] for part in shown["parts"]) == begun["total"]
    assert shown["latest"]
    assert shown["refusals"] == []


def test_how_far_a_run_is_is_told_of_its_own_import_alone_and_at_once_when_it_pauses(
    client: httpx.Client, small: Import, site: StandIn
) -> None:
    small.rehearsed()
    site.behave(delay_ms=300)
    run = small.ask("POST", "/runs", json=AGREED, status=202)["run"]["id"]
    until(lambda: small.now()["run"]["state"] == "running", "the run")
    told = small.ask("GET", "/told")
    assert sum(part["total"] for part in told["progress"]["parts"]) == told["run"]["total"]
    small.of_run("POST", "/pause")
    until(lambda: small.now()["run"]["workers"] == 0, "the end of what was on its way")
    before, shown = small.now()["run"], small.ask("GET", f"/runs/{run}/progress")
    assert sum(part["done"] for part in shown["parts"]) == before["done"]
    # Of one that has come to a stop it is asked for.
    assert small.ask("GET", "/told")["progress"] is None
    other = Import(client, b"E-mail Address;First Name;Surname\nada@quillmoss.example;Ada;Corfield\n")
    assert "has no run" in other.ask("GET", f"/runs/{run}/progress", status=404)["title"]
    site.behave()
    small.of_run("POST", "/end")


def test_what_has_run_is_archived_and_can_be_taken_out(client: httpx.Client, small: Import) -> None:
    small.rehearsed()
    small.ask("POST", "/runs", json=AGREED, status=202)
    small.until_run_is("done")
    small.ask("DELETE", status=204)
    assert [one["id"] for one in client.get("/api/imports").json()] == []
    [kept] = client.get("/api/imports?archived=true").json()
    assert (kept["id"], kept["has_run"]) == (small.number, True)
    assert small.now()["archived_at"]
    assert "archived" in small.ask("POST", "/rehearsal", status=409)["title"]
    assert small.ask("DELETE", "/archived")["archived_at"] is None


def test_what_has_not_run_is_deleted(client: httpx.Client, small: Import) -> None:
    small.rehearsed()
    small.ask("DELETE", status=204)
    small.ask("GET", status=404)
    assert client.get("/api/imports?archived=true").json() == []


def test_an_import_goes_on_after_its_site_was_connected_anew(
    client: httpx.Client, served: Served, small: Import, site: StandIn
) -> None:
    small.rehearsed()
    again = {"name": "Quillmoss new site", "address": site.description_url, "sign_in": {"token": "another-token"}}
    assert client.post("/api/sites", json={**again, "sign_in": {"token": "stand-in-token"}}).status_code == 201
    # The same site at the same address: what was rehearsed still holds.
    assert small.now()["rehearse"]["stale"] == ""
    small.ask("POST", "/runs", json=AGREED, status=202)
    done = small.until_run_is("done")
    assert done["done"] == done["total"]


def test_a_site_cannot_be_connected_anew_under_a_run(client: httpx.Client, small: Import, site: StandIn) -> None:
    small.rehearsed()
    site.behave(delay_ms=500)
    small.ask("POST", "/runs", json=AGREED, status=202)
    again = {"name": "Quillmoss new site", "address": site.description_url, "sign_in": {"token": "stand-in-token"}}
    refused = client.post("/api/sites", json=again)
    assert refused.status_code == 409
    assert "under way" in refused.json()["title"]
    site.behave()
    small.until_run_is("done")


@pytest.mark.parametrize(
    ("method", "path", "status", "says"),
    [
        ("POST", "/runs", 409, "no rehearsal"),
        ("GET", "/rehearsal/pilot", 409, "no rehearsal"),
        ("POST", "/runs/1234567/pause", 404, "no run 1234567"),
        ("GET", "/runs/1234567/undo", 404, "no run 1234567"),
        ("POST", "/runs/1234567/verification", 404, "no run 1234567"),
    ],
)
def test_what_comes_too_early_says_what_comes_first(
    small: Import, method: str, path: str, status: int, says: str
) -> None:
    refused = small.ask(method, path, status=status)
    assert says in refused["title"].lower()
    assert refused["detail"]


@pytest.mark.parametrize(
    ("policy", "says"),
    [
        ({"fields": {"shoe": {"write": "never"}}}, "have no field “shoe”"),
        ({"fields": {"name": {"items": "add"}}}, "is no list"),
        ({"keys": [["address.city", "shoe"]]}, "cannot be told apart by shoe"),
        ({"keys": [["address.country"]]}, "cannot be told apart by address.country"),
        ({"keys": [[]]}, "has no field"),
        ({"keys": "email"}, "keys"),
        ({"unnamed": "burn"}, "unnamed"),
    ],
)
def test_a_policy_that_does_not_fit_says_what_is_wrong(small: Import, policy: dict[str, Any], says: str) -> None:
    before = small.now()["policy"]
    assert says in small.ask("PUT", "/policy", json=policy, status=422)["title"]
    assert small.now()["policy"] == before
