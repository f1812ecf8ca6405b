"""The commands that need neither site nor database."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import jsonschema_rs

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
                                "properties": {"email": {"type": "string", "format": "email"}},
                            }
                        }
                    }
                },
                "responses": {"201": {"description": "Created"}},
            }
        }
    },
}


def datorum(*arguments: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "datorum.cli", *arguments], capture_output=True, text=True, check=False
    )


def test_formulas_are_answered_line_by_line(tmp_path: Path) -> None:
    batch = tmp_path / "batch.jsonl"
    batch.write_text(
        '{"formula": "=-2^2", "row": {}}\n'
        '{"formula": "=[A]&\\"!\\"", "row": {"A": "x"}}\n'
        '{"formula": "=1/0", "row": {}}\n'
        "no JSON\n"
        '{"formula": "=1=1"}\n'
    )
    answered = datorum("formula", "--batch", str(batch))
    assert answered.returncode == 0, answered.stderr
    answers = [json.loads(line) for line in answered.stdout.splitlines()]
    assert answers[0] == {"value": 4}
    assert answers[1] == {"value": "x!"}
    assert answers[2]["error"] == "#DIV/0!"
    assert answers[3]["error"] == "#SYNTAX!"
    assert answers[4] == {"value": True}


def test_what_suggest_writes_is_what_check_takes_and_what_is_published(tmp_path: Path) -> None:
    sheet, mapping, schema = tmp_path / "sheet.csv", tmp_path / "mapping.json", tmp_path / "site.json"
    sheet.write_text("E-post;Shelf\n ada@quillmoss.example ;1\nbo at ryewick;2\n")
    schema.write_text(json.dumps(SCHEMA))
    told = datorum("suggest", str(sheet), "--schema", str(schema), "--type", "customers", "--json")
    assert told.returncode == 0, told.stderr
    mapping.write_text(told.stdout)
    written = json.loads(told.stdout)
    assert written["record_type"] == "customers"
    assert list(written["fields"]) == ["email"]
    assert {"columns", "score", "reasons", "steps", "sentences"} <= set(written["fields"]["email"])
    published = json.loads((Path(__file__).parents[2] / "docs" / "mapping.schema.json").read_text())
    jsonschema_rs.validator_for(published).validate({"$schema": "mapping.schema.json", **written})
    options = ("--schema", str(schema), "--type", "customers", "--mapping", str(mapping), "--json")
    checked = datorum("check", str(sheet), *options)
    assert checked.returncode == 1, checked.stderr
    result = json.loads(checked.stdout)
    assert (result["rows"], result["ready"], result["held"]) == (2, 1, 1)


def test_a_mapping_file_with_a_word_that_is_not_known_is_refused(tmp_path: Path) -> None:
    sheet, mapping, schema = tmp_path / "sheet.csv", tmp_path / "mapping.json", tmp_path / "site.json"
    sheet.write_text("E-mail\nada@quillmoss.example\n")
    schema.write_text(json.dumps(SCHEMA))
    mapping.write_text('{"fields": {"email": {"columns": ["E-mail"], "steps": [{"kind": "trim", "sides": "left"}]}}}')
    found = datorum("check", str(sheet), "--schema", str(schema), "--type", "customers", "--mapping", str(mapping))
    assert found.returncode == 2
    [line] = found.stderr.splitlines()
    assert "mapping.json: fields.email.steps.0.trim.sides is not known here." in line


def test_a_formula_shows_where_it_goes_wrong() -> None:
    found = datorum("formula", "=PROPER(TRIM([Surname]))", "--row", '{"Surname": " berg "}')
    assert (found.returncode, found.stdout) == (0, "Berg\n")
    wrong = datorum("formula", "=1+FOO(2)")
    assert wrong.returncode == 1
    assert wrong.stderr.splitlines()[1:] == ["  =1+FOO(2)", "     ^"]
