"""The same path from a terminal, with exit status 0, 1 and 2."""

from __future__ import annotations

import csv
import json
import socket
from pathlib import Path

import polars as pl
import pytest

from datorum.settings import settings
from datorum.store import people
from datorum.store.database import session
from demo.data import CustomersDemo
from tests.cli.conftest import Datorum
from tests.processes import TOKEN, StandIn


def test_the_whole_path(datorum: Datorum, number: str, site: StandIn, demo: CustomersDemo) -> None:
    manifest = demo.manifest
    held = len([row for row in manifest.held if row <= 400])
    assert f"{held:,} held" in datorum("check", number, status=1).out
    plan = json.loads(datorum("rehearse", number, "--json", status=1).out)
    assert plan["counts"]["held"] == held
    ran = datorum("run", number, "--agree", "all").out
    assert f"{plan['counts']['create'] + plan['counts']['update']:,} done, 0 failed, mail silenced" in ran
    assert "0 differ" in datorum("verify", number).out
    assert len(site.bodies()) == manifest.already_on_site + plan["counts"]["create"]
    assert site.mails() == 0
    # What is done is done: the same plan is not carried out again.
    datorum("run", number, "--agree", "all")
    assert len(site.bodies()) == manifest.already_on_site + plan["counts"]["create"]


def test_a_pilot_and_an_undo(datorum: Datorum, number: str, site: StandIn) -> None:
    before = len(site.bodies())
    datorum("rehearse", number, status=1)
    refused = datorum("run", number, "--pilot", status=2).error
    assert "nobody has downloaded" in refused
    piloted = json.loads(datorum("run", number, "--pilot", "--agree", "all", "--json").out)
    assert (piloted["kind"], piloted["done"]) == ("pilot", piloted["total"])
    assert 0 < len(site.bodies()) - before < piloted["left"]
    planned = json.loads(datorum("undo", number, str(piloted["id"]), "--json").out)
    assert planned["counts"]["delete"] + planned["counts"]["update"] == piloted["total"]
    assert len(site.bodies()) > before
    undone = datorum("undo", number, str(piloted["id"]), "--carry-out").out
    assert f"{piloted['total']} of {piloted['total']} taken back" in undone
    assert len(site.bodies()) == before
    datorum("undo", number, str(piloted["id"] + 7), status=2)


def test_what_the_site_refuses_and_alters_ends_with_status_1(datorum: Datorum, number: str, site: StandIn) -> None:
    datorum("rehearse", number, status=1)
    site.behave(alter_city=True)
    datorum("run", number, "--agree", "all")
    verified = json.loads(datorum("verify", number, "--json", status=1).out)
    assert verified["mismatches"] > 0
    assert f"{verified['mismatches']:,} differ" in datorum("verify", number, status=1).out


def test_a_run_that_the_site_paused_goes_on_when_it_is_asked_for_again(
    datorum: Datorum, number: str, site: StandIn
) -> None:
    planned = json.loads(datorum("rehearse", number, "--json", status=1).out)["counts"]
    site.behave(unavailable_every=1, retry_after=700)
    assert "It asks to be left alone for 12 minutes" in datorum("run", number, "--agree", "all", status=1).out
    site.behave()
    assert f"{planned['create'] + planned['update']:,} done, 0 failed" in datorum("run", number, "--agree", "all").out
    assert site.twice() == []


@pytest.mark.parametrize("name", ["held.csv", "held.xlsx"])
def test_held_rows_of_an_import_are_written_to_a_file(
    datorum: Datorum, number: str, tmp_path: Path, demo: CustomersDemo, name: str
) -> None:
    path = tmp_path / name
    result = json.loads(datorum("check", number, "--held", path, "--json", status=1).out)
    if name.endswith(".csv"):
        rows = list(csv.DictReader(path.read_text("utf-8-sig").splitlines()))
    else:
        rows = pl.read_excel(path, engine="calamine").to_dicts()
    assert len(rows) == result["held"] == len([row for row in demo.manifest.held if row <= 400])


def test_an_import_may_begin_with_a_mapping_of_ones_own(
    datorum: Datorum, connected: str, file: Path, tmp_path: Path
) -> None:
    mapping = tmp_path / "mapping.json"
    mapping.write_text('{"match_key": "email", "fields": {"email": {"columns": ["E-mail Address"]}}}')
    number = datorum("import", file, "--site", connected, "--type", "customers", "--mapping", mapping).out.strip()
    result = json.loads(datorum("check", number, "--json", status=1).out)
    assert "name" in {group["field"] for group in result["findings"]}, "only the e-mail is fed"
    mapping.write_text('{"fields": {"email": {"columns": "E-mail Address"}}}')
    said = datorum("import", file, "--site", connected, "--type", "customers", "--mapping", mapping, status=2)
    assert "mapping.json: fields.email.columns" in said.error


def test_commands_out_of_order_say_what_comes_first(datorum: Datorum, number: str, file: Path) -> None:
    assert f"Run `datorum rehearse {number}` first" in datorum("run", number, status=2).error
    assert f"Run `datorum run {number}` first" in datorum("verify", number, status=2).error
    assert "no import 999999" in datorum("check", "999999", status=2).error
    assert "no import 999999" in datorum("rehearse", "999999", status=2).error
    wrong = datorum("import", file, "--site", "nowhere", "--type", "customers", status=2)
    assert "There is no site called nowhere. Connect it with `datorum site connect`." in wrong.error
    wrong = datorum("import", file, "--site", "Quillmoss", "--type", "gardens", status=2)
    assert "gardens" in wrong.error


def test_a_site_that_cannot_be_connected_says_why(datorum: Datorum, database: None, site: StandIn) -> None:
    said = datorum("site", "connect", "Nobody", "http://127.0.0.1:1/openapi.json", "--token", TOKEN, status=2).error
    assert len(said.splitlines()) == 1
    assert "does not answer" in said
    assert "openapi" in datorum("site", "connect", "Pages", f"{site.url}/", "--token", TOKEN, status=2).error.lower()


def test_who_may_sign_in_is_set_from_the_terminal(
    datorum: Datorum, database: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("DATORUM_PASSWORD", "barley under snow 9")
    assert "Ada may sign in as viewer." in datorum("person", "Ada", "--role", "viewer").out
    assert "administrator, editor, viewer" in datorum("person", "Bo", "--role", "gardener", status=2).error
    assert "Ada" in datorum("person", "Ada", status=2).error
    with session() as store:
        people.open_sign_in(store, people.sign_in(store, "Ada", "barley under snow 9"))
    assert "Ada is signed out of 1 browser." in datorum("sign-out", "Ada").out
    assert "Ada is signed out of 0 browsers." in datorum("sign-out", "Ada").out
    monkeypatch.setenv("DATORUM_PASSWORD", "oats")
    assert "fewer than 12" in datorum("password", "Ada", status=2).error
    monkeypatch.setenv("DATORUM_PASSWORD", "oats under the old lime")
    assert "Ada has another password" in datorum("password", "Ada").out
    assert "Ada may not sign in any more." in datorum("remove-person", "Ada").out
    assert "nobody called Ada" in datorum("remove-person", "Ada", status=2).error


def test_a_port_in_use_is_said(datorum: Datorum, database: None, monkeypatch: pytest.MonkeyPatch) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        monkeypatch.setenv("DATORUM_PORT", str(taken.getsockname()[1]))
        settings.cache_clear()
        said = datorum("serve", status=2).error
    settings.cache_clear()
    assert "cannot be used" in said
    assert "DATORUM_PORT" in said
    assert TOKEN not in said
