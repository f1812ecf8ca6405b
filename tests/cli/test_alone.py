"""The commands that need neither site nor database."""

from __future__ import annotations

import io
import json
import re
import subprocess
import sys
from pathlib import Path
from typing import Any

import jsonschema_rs
import pytest
import xlsxwriter

from datorum.core.formula import FUNCTIONS
from tests.cli.conftest import Datorum
from tests.sites.documents import manners

SCHEMA = {
    "openapi": "3.1.0",
    "info": {"title": "Shop", "version": "1"},
    "paths": {
        "/customers": {
            "post": {
                "requestBody": {
                    "content": {
                        "application/json": {
                            "schema": {
                                "type": "object",
                                "required": ["email"],
                                "properties": {
                                    "email": {"type": "string", "format": "email"},
                                    "name": {"type": "string", "title": "Name"},
                                },
                            }
                        }
                    }
                },
                "responses": {"201": {"description": "Created"}},
            }
        }
    },
}


@pytest.fixture
def schema(tmp_path: Path) -> Path:
    path = tmp_path / "site.json"
    path.write_text(json.dumps(SCHEMA))
    return path


def written(path: Path, text: str) -> Path:
    path.write_text(text)
    return path


def test_the_program_runs_by_itself(tmp_path: Path) -> None:
    """All other tests call the commands in their own process."""
    done = subprocess.run(
        [sys.executable, "-m", "datorum.cli", "formula", "=1/0"], capture_output=True, text=True, check=False
    )
    assert (done.returncode, done.stdout) == (1, "")
    assert done.stderr.startswith("#DIV/0!")


def test_every_command_says_what_it_does_and_takes(datorum: Datorum) -> None:
    said = datorum("--help").out
    for command in ("read", "suggest", "formula", "import", "check", "rehearse", "run", "verify", "site", "person",
                    "password", "sign-out", "remove-person", "serve", "worker"):  # fmt: skip
        assert command in said
        assert "Usage: " in datorum(command, "--help").out
    assert "No such command" in datorum("reed", status=2).error


def test_a_file_is_shown_as_it_is_read(datorum: Datorum, tmp_path: Path) -> None:
    sheet = written(tmp_path / "growers.csv", "Name;Since\nBirk;2019-03-01\nRagnhild\n\nAud;2020-04-02\n")
    said = datorum("read", sheet).out
    assert "growers.csv  3 rows, 2 columns" in said
    assert "delimiter ;, header at line 1" in said
    assert "■ Row 3 has fewer cells than the header." in said
    [found] = json.loads(datorum("read", sheet, "--json").out)["sheets"]
    assert [column["name"] for column in found["columns"]] == ["Name", "Since"]
    assert (found["rows"], found["blank_lines"]) == (3, 1)
    assert found["problems"] == [{"row": 3, "problem": "has fewer cells than the header"}]
    assert sum(found["problem_counts"].values()) == 1
    rows = [json.loads(line) for line in datorum("read", sheet, "--rows").out.splitlines()]
    assert rows == [
        {"Name": "Birk", "Since": "2019-03-01"},
        {"Name": "Ragnhild", "Since": ""},
        {"Name": "Aud", "Since": "2020-04-02"},
    ]


def test_a_workbook_is_shown_sheet_by_sheet(datorum: Datorum, tmp_path: Path) -> None:
    path = tmp_path / "seeds.xlsx"
    with xlsxwriter.Workbook(str(path)) as book:
        for name, cells in (("Beans", ["Sort", "Grams"]), ("Notes", [])):
            page = book.add_worksheet(name)
            for row in range(3 if cells else 0):
                page.write_row(row, 0, cells if not row else [f"Bean {row}", 10 * row])
    assert "Sheet Beans of: Beans, Notes" in datorum("read", path).out
    beans, notes = json.loads(datorum("read", path, "--json").out)["sheets"]
    assert (beans["name"], beans["rows"]) == ("Beans", 2)
    assert (notes["name"], notes["rows"]) == ("Notes", 0)
    assert notes["notes"], "an empty sheet beside others says why it has no rows"
    assert "Peas" in datorum("read", path, "--sheet", "Peas", status=2).error


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("empty.csv", "", "The file is empty."),
        ("list.json", "{", "JSON"),
        ("book.xlsx", "PK\x03\x04 nothing", "damaged, or protected by a password"),
        ("none.csv", None, "No such file"),
    ],
)
def test_what_cannot_be_read_is_one_line_and_status_2(
    datorum: Datorum, tmp_path: Path, name: str, content: str | None, says: str
) -> None:
    path = tmp_path / name
    if content is not None:
        path.write_text(content)
    said = datorum("read", path, status=2).error
    assert says in said
    assert len(said.splitlines()) == 1


def test_formulas_are_answered_line_by_line(datorum: Datorum, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    lines = (
        '{"formula": "=-2^2", "row": {}}\n'
        '{"formula": "=[A]&\\"!\\"", "row": {"A": "x"}}\n'
        '{"formula": "=1/0", "row": {}}\n'
        "no JSON\n"
        "\n"
        '["=1"]\n'
        '{"formula": "=1", "row": {"A": []}}\n'
        '{"formula": "=[B]"}\n'
        '{"formula": "=1=1"}\n'
        '{"formula": "=[A]", "row": {"A": null}}\n'
    )
    answers = _answers(datorum("formula", "--batch", written(tmp_path / "batch.jsonl", lines)).out)
    assert answers[:2] == [{"value": 4}, {"value": "x!"}]
    assert [one.get("error") for one in answers[2:6]] == ["#DIV/0!", "#SYNTAX!", "#SYNTAX!", "#SYNTAX!"]
    assert answers[3]["message"].startswith("Line 4 is no JSON")
    assert answers[6]["error"] == "#REF!"
    assert answers[7:] == [{"value": True}, {"value": ""}]
    monkeypatch.setattr("sys.stdin", io.TextIOWrapper(io.BytesIO(lines.encode())))
    assert _answers(datorum("formula", "--batch", "-").out) == answers
    assert "No such file" in datorum("formula", "--batch", tmp_path / "none", status=2).error


def _answers(out: str) -> list[dict[str, Any]]:
    return [json.loads(line) for line in out.splitlines()]


def test_a_formula_shows_where_it_goes_wrong(datorum: Datorum) -> None:
    assert datorum("formula", "=PROPER(TRIM([Surname]))", "--row", '{"Surname": " berg "}').out == "Berg\n"
    assert datorum("formula", "=1=1").out == "TRUE\n"
    assert datorum("formula", "=0.1+0.2").out == "0.3\n"
    assert json.loads(datorum("formula", "=7/2", "--json").out) == {"value": 3.5}
    wrong = datorum("formula", "=1+FOO(2)", status=1)
    assert wrong.error.splitlines()[1:] == ["  =1+FOO(2)", "     ^"]
    assert json.loads(datorum("formula", "=1+FOO(2)", "--json", status=1).out)["at"] == 3
    assert "There is no formula." in datorum("formula", status=2).error
    assert "The row is no JSON" in datorum("formula", "=1", "--row", "{", status=2).error
    assert "The row is no object" in datorum("formula", "=1", "--row", "[1]", status=2).error


def test_all_functions_are_listed(datorum: Datorum) -> None:
    said = datorum("formula", "--functions").out
    assert [name for name in FUNCTIONS if name not in said] == []
    assert "(Datorum's own)" in said


def test_what_suggest_writes_is_what_check_takes_and_what_is_published(
    datorum: Datorum, tmp_path: Path, schema: Path
) -> None:
    sheet = written(tmp_path / "sheet.csv", "E-post;Shelf\n ada@quillmoss.example ;1\nbo at ryewick;2\n")
    asked = (sheet, "--schema", schema, "--type", "customers")
    told = datorum("suggest", *asked, "--json").out
    suggested = json.loads(told)
    assert suggested["record_type"] == "customers"
    assert list(suggested["fields"]) == ["email"]
    assert {"columns", "score", "reasons", "steps", "sentences"} <= set(suggested["fields"]["email"])
    published = json.loads((Path(__file__).parents[2] / "docs" / "mapping.schema.json").read_text())
    jsonschema_rs.validator_for(published).validate({"$schema": "mapping.schema.json", **suggested})
    mapping, held = written(tmp_path / "mapping.json", told), tmp_path / "held.csv"
    checked = json.loads(datorum("check", *asked, "--mapping", mapping, "--json", "--held", held, status=1).out)
    assert (checked["rows"], checked["ready"], checked["held"]) == (2, 1, 1)
    assert checked["peak_memory_mb"] > 10
    assert "bo at ryewick" in held.read_text("utf-8-sig")
    shown = datorum("check", *asked, "--mapping", mapping, status=1).out
    assert "2 rows: 1 ready, 1 held" in shown
    assert "■ " in shown
    shown = datorum("suggest", *asked).out
    assert "◐ Feeds nothing: Shelf" in shown
    shown = datorum("suggest", *asked, "--explain", "email").out
    assert re.search(r"E-post +0\.9\d .*the same name.*feeds it", shown)
    assert "no field “shelf”" in datorum("suggest", *asked, "--explain", "shelf", status=2).error
    nameless = written(tmp_path / "shelves.csv", "Shelf\n1\n2\n")
    shown = datorum("suggest", nameless, "--schema", schema, "--type", "customers").out
    assert "■ Nothing feeds email, which the site requires." in shown


def test_a_column_that_the_mapping_names_and_the_file_has_not_is_told(
    datorum: Datorum, tmp_path: Path, schema: Path
) -> None:
    sheet = written(tmp_path / "sheet.csv", "E-mail\nada@quillmoss.example\n")
    fields = '{"email": {"columns": ["E-mail"]}, "name": {"columns": ["Surname"]}}'
    mapping = written(tmp_path / "mapping.json", f'{{"fields": {fields}}}')
    asked = (sheet, "--schema", schema, "--type", "customers", "--mapping", mapping)
    assert "◐ The sheet has no column Surname, which the mapping names." in datorum("check", *asked).out


@pytest.mark.parametrize(
    ("mapping", "says"),
    [
        (
            '{"fields": {"email": {"columns": ["E-mail"], "steps": [{"kind": "trim", "sides": "left"}]}}}',
            "mapping.json: fields.email.steps.0.trim.sides is not known here.",
        ),
        ('{"fields": ', "mapping.json: This is no JSON"),
        ('{"fields": {"shoe_size": {"columns": ["E-mail"]}}}', "shoe_size"),
        ("[]", "mapping.json: "),
    ],
)
def test_a_mapping_file_that_cannot_be_meant_is_refused(
    datorum: Datorum, tmp_path: Path, schema: Path, mapping: str, says: str
) -> None:
    sheet = written(tmp_path / "sheet.csv", "E-mail\nada@quillmoss.example\n")
    path = written(tmp_path / "mapping.json", mapping)
    said = datorum("check", sheet, "--schema", schema, "--type", "customers", "--mapping", path, status=2).error
    [line] = said.splitlines()
    assert says in line


def test_a_file_is_checked_against_something(datorum: Datorum, tmp_path: Path, schema: Path) -> None:
    sheet = written(tmp_path / "sheet.csv", "E-mail\nada@quillmoss.example\n")
    assert "Give --schema, --type and --mapping." in datorum("check", sheet, status=2).error
    said = datorum("suggest", sheet, "--schema", schema, "--type", "gardens", status=2).error
    assert "gardens" in said
    assert "customers" in said, "what there is, is named"
    nothing = written(tmp_path / "nothing.json", "{}")
    assert len(datorum("suggest", sheet, "--schema", nothing, "--type", "customers", status=2).error.splitlines()) == 1


def test_the_record_types_of_a_document_are_told(datorum: Datorum, tmp_path: Path) -> None:
    document = tmp_path / "growers.json"
    document.write_text(json.dumps(manners()))
    told = datorum("site", "types", "--schema", str(document)).out
    assert "update PATCH /growers/{grower_id}" in told
    whole = json.loads(datorum("site", "types", "--schema", str(document), "--json").out)
    types = {one["name"]: one for one in whole["record_types"]}
    assert types["growers"]["list"]["items_at"] == "data"
    assert types["growers"]["auth"][0][0] == {"kind": "apiKey", "in": "query", "name": "api_key"}
    assert types["packets"]["links"][0]["to"] == "growers"
    nothing = tmp_path / "nothing.json"
    nothing.write_text("[]")
    assert "no OpenAPI" in datorum("site", "types", "--schema", str(nothing), status=2).error


def test_records_are_printed_with_their_lists_and_a_mapping_file_is_gone_by(
    datorum: Datorum, tmp_path: Path, orders_schema: Path
) -> None:
    rows = "Order no.;E-mail;SKU;Qty\n7;ada@quillmoss.example;QA-1;2\n7;ada@quillmoss.example;QB-2;1\n"
    rows += "8;bo@quillmoss.example;QA-1;5\n8;bo@quillmoss.example;QC-3;4\n9;cy@quillmoss.example;QD-4;1\n"
    sheet = written(tmp_path / "orders.csv", rows)
    asked = (sheet, "--schema", orders_schema, "--type", "orders")
    found = [json.loads(line) for line in datorum("records", *asked).out.splitlines()]
    assert found[0] == {
        "number": 7,
        "email": "ada@quillmoss.example",
        "lines": [{"sku": "QA-1", "quantity": 2}, {"sku": "QB-2", "quantity": 1}],
    }
    assert [len(one["lines"]) for one in found] == [2, 2, 1]
    told = json.loads(datorum("read", sheet, "--json").out)["sheets"][0]["shape"]
    assert (told["kind"], told["key"]) == ("rows together", ["Order no."])
    assert "5 rows make 3 records" in told["reasons"][0]
    shape = {"kind": "rows together", "key": ["E-mail"], "lines": ["SKU"], "into": "lines"}
    mapping = {"shape": [shape], "fields": {"email": {"columns": ["E-mail"]}, "lines.sku": {"columns": ["SKU"]}}}
    file = written(tmp_path / "mapping.json", json.dumps(mapping))
    found = [json.loads(line) for line in datorum("records", *asked, "--mapping", file).out.splitlines()]
    assert found[2] == {"email": "cy@quillmoss.example", "lines": [{"sku": "QD-4"}]}
    assert "3 rows: 3 ready" in datorum("check", *asked, "--mapping", file).out
    heads = written(tmp_path / "heads.csv", "Order no.;E-mail\n7;ada@quillmoss.example\n8;bo@quillmoss.example\n")
    lines = written(tmp_path / "lines.csv", "Order;SKU;Qty\n7;QA-1;2\n8;QB-2;1\n7;QC-3;4\n")
    both = (heads, "--with", lines, *asked[1:])
    found = [json.loads(line) for line in datorum("records", *both).out.splitlines()]
    assert [[item["sku"] for item in one["lines"]] for one in found] == [["QA-1", "QC-3"], ["QB-2"]]


@pytest.fixture
def orders_schema(tmp_path: Path) -> Path:
    line = {"type": "object", "properties": {"sku": {"type": "string"}, "quantity": {"type": "integer"}}}
    order = {
        "type": "object",
        "properties": {
            "number": {"type": "integer"},
            "email": {"type": "string", "format": "email"},
            "lines": {"type": "array", "items": line},
        },
    }
    body = {"content": {"application/json": {"schema": order}}}
    paths = {"/orders": {"post": {"requestBody": body, "responses": {"201": {"description": "made"}}}}}
    document = {"openapi": "3.1.0", "info": {"title": "Shop", "version": "1"}, "paths": paths}
    return written(tmp_path / "orders.json", json.dumps(document))
