"""The same path from a terminal, with exit status 0, 1 and 2."""

from __future__ import annotations

import json
from pathlib import Path

import httpx
import pytest

from datorum.core.profile import profile
from datorum.core.suggest import suggest
from datorum.core.table import Sheet
from demo.data import CustomersDemo
from tests.processes import Served, StandIn


@pytest.fixture
def file(demo: CustomersDemo, tmp_path: Path) -> Path:
    path = tmp_path / "customers.csv"
    path.write_bytes(demo.csv)
    return path


def test_read_prints_rows_as_supplied(served: Served, file: Path, demo: CustomersDemo) -> None:
    lines = served.command("read", str(file), "--rows").stdout.splitlines()
    assert len(lines) == demo.manifest.rows
    first = json.loads(lines[0])
    assert len(first) == demo.manifest.columns
    assert first["Customer ID"] == "1001"


def test_read_prints_what_it_found(served: Served, file: Path, demo: CustomersDemo) -> None:
    [sheet] = json.loads(served.command("read", str(file), "--json").stdout)["sheets"]
    assert (sheet["rows"], len(sheet["columns"])) == (demo.manifest.rows, demo.manifest.columns)
    assert sheet["dialect"]["delimiter"] == ","
    assert "2,412 rows, 21 columns" in served.command("read", str(file)).stdout


def test_what_cannot_be_read_is_one_line_and_status_2(served: Served, tmp_path: Path) -> None:
    empty = tmp_path / "empty.csv"
    empty.touch()
    for path, says in ((empty, "The file is empty."), (tmp_path / "none.csv", "No such file")):
        said = served.command("read", str(path), status=2).stderr
        assert says in said
        assert len(said.splitlines()) == 1


def test_a_file_is_checked_against_a_schema_without_a_database(
    served: Served, file: Path, tmp_path: Path, stand_in: StandIn, sheet: Sheet, customers: object, demo: CustomersDemo
) -> None:
    schema, mapping, held = tmp_path / "openapi.json", tmp_path / "mapping.json", tmp_path / "held.csv"
    schema.write_bytes(httpx.get(stand_in.description_url).content)
    mapping.write_text(suggest(customers, sheet.frame, profile(sheet.frame)).model_dump_json())  # type: ignore[arg-type]
    options = ("--schema", str(schema), "--type", "customers", "--mapping", str(mapping))
    done = served.command("check", str(file), *options, "--json", "--held", str(held), status=1)
    result = json.loads(done.stdout)
    assert (result["rows"], result["held"]) == (demo.manifest.rows, len(demo.manifest.held))
    assert len(held.read_text("utf-8-sig").splitlines()) > len(demo.manifest.held)
    served.command("check", str(file), status=2)


def test_the_whole_path(served: Served, file: Path, site: StandIn, demo: CustomersDemo) -> None:
    manifest = demo.manifest
    lines = demo.csv.decode().splitlines(keepends=True)
    file.write_text("".join(lines[:400]))
    made = served.command("import", str(file), "--site", "Quillmoss new site", "--type", "customers")
    number = made.stdout.strip()
    held = len([row for row in manifest.held if row <= 400])
    assert f"{held:,} held" in served.command("check", number, status=1).stdout
    plan = json.loads(served.command("rehearse", number, "--json", status=1).stdout)
    assert plan["counts"]["held"] == held
    ran = served.command("run", number).stdout
    assert "0 failed, mail silenced" in ran
    assert "0 differ" in served.command("verify", number).stdout
    assert len(site.bodies()) == manifest.already_on_site + plan["counts"]["create"]
    assert site.mails() == 0


def test_commands_out_of_order_say_what_comes_first(served: Served, file: Path) -> None:
    made = served.command("import", str(file), "--site", "Quillmoss new site", "--type", "customers").stdout.strip()
    assert "datorum rehearse" in served.command("run", made, status=2).stderr
    assert "no import 999999" in served.command("check", "999999", status=2).stderr
    wrong = served.command("import", str(file), "--site", "nowhere", "--type", "customers", status=2)
    assert "no site called nowhere" in wrong.stderr


def test_a_port_in_use_is_said(served: Served) -> None:
    said = served.command("serve", status=2).stderr
    assert "cannot be used" in said
    assert "DATORUM_PORT" in said
