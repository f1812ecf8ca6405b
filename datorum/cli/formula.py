"""``datorum formula``: work out formulas over rows, without any site."""

from __future__ import annotations

import datetime as dt
import json
import sys
from pathlib import Path
from typing import Annotated, Any

import orjson
import typer
from rich.console import Console
from rich.table import Table

from datorum.core.errors import InvalidMapping, Place, UnreadableFile
from datorum.core.formula import FUNCTIONS, SYNTAX, FormulaFault, Scope, Value, interpret, number_to_text


def formula(
    text: Annotated[
        str | None, typer.Argument(help="A formula, such as =PROPER([Surname]).", metavar="FORMULA")
    ] = None,
    row: Annotated[str, typer.Option(help="The row as a JSON object: column → cell.")] = "{}",
    batch: Annotated[Path | None, typer.Option(help="A file of lines {formula, row}; - for standard input.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print the value as JSON.")] = False,
    functions: Annotated[bool, typer.Option("--functions", help="List the functions.")] = False,
) -> None:
    """Work out a formula over a row. Exit status 1 where it comes to an error."""
    now = dt.datetime.now().astimezone().replace(tzinfo=None)
    if functions:
        _list_functions()
    elif batch is not None:
        _batch(batch, now)
    elif text is None:
        raise InvalidMapping("There is no formula.", remedy="Give one, or a file of them with --batch.")
    else:
        _one(text, _cells(row, Place()), now, as_json)


def _one(text: str, cells: dict[str, Value], now: dt.datetime, as_json: bool) -> None:
    answer = _answer(text, cells, 1, now)
    if as_json:
        print(json.dumps(answer, ensure_ascii=False))
    elif "error" in answer:
        print(f"{answer['error']} {answer['message']}", file=sys.stderr)
        if answer["at"] is not None:
            print(f"  {text}\n  {' ' * answer['at']}^", file=sys.stderr)
    else:
        value = answer["value"]
        shown = "TRUE" if value is True else "FALSE" if value is False else value
        print(shown if isinstance(shown, str) else number_to_text(shown))
    if "error" in answer:
        sys.exit(1)


def _batch(path: Path, now: dt.datetime) -> None:
    """One answer a line, in order; a line that is no question is answered by an error too."""
    try:
        source = sys.stdin.buffer if str(path) == "-" else path.open("rb")
    except OSError as error:
        raise UnreadableFile(f"{path}: {error.strerror}.", remedy="Look whether the path is right.") from error
    with source:
        for number, line in enumerate(source, 1):
            if not line.strip():
                continue
            try:
                text, cells = _question(line, number)
            except InvalidMapping as error:
                answer = {"error": SYNTAX, "message": error.sentence(), "at": None}
            else:
                answer = _answer(text, cells, number, now)
            sys.stdout.write(json.dumps(answer, ensure_ascii=False) + "\n")


def _question(line: bytes, number: int) -> tuple[str, dict[str, Value]]:
    """One line of a batch. Raises InvalidMapping where it is no object with a formula."""
    place = Place(row=number)
    try:
        question = orjson.loads(line)
    except orjson.JSONDecodeError as error:
        raise InvalidMapping(f"Line {number} is no JSON: {error}.", place=place) from error
    if not isinstance(question, dict) or not isinstance(question.get("formula"), str):
        raise InvalidMapping(f"Line {number} is no object with a formula.", place=place)
    return question["formula"], _cells(question.get("row", {}), place)


def _answer(text: str, cells: dict[str, Value], number: int, now: dt.datetime) -> dict[str, Any]:
    try:
        value = interpret(text, Scope(cells=cells, row=number, now=now))
    except FormulaFault as fault:
        return {"error": fault.code, "message": fault.message, "at": fault.at}
    if value is None:
        return {"value": ""}
    if isinstance(value, float) and value.is_integer() and abs(value) < 1e15:
        return {"value": int(value)}
    return {"value": value}


def _cells(row: Any, place: Place) -> dict[str, Value]:
    """The cells of a row given as JSON. Raises InvalidMapping where it is no object of plain values."""
    try:
        cells = orjson.loads(row) if isinstance(row, str) else row
    except orjson.JSONDecodeError as error:
        raise InvalidMapping(f"The row is no JSON: {error}.", place=place) from error
    if not isinstance(cells, dict) or any(isinstance(cell, dict | list) for cell in cells.values()):
        raise InvalidMapping("The row is no object of texts, numbers and truth values.", place=place)
    return {name: float(c) if isinstance(c, int) and not isinstance(c, bool) else c for name, c in cells.items()}


def _list_functions() -> None:
    table = Table("Function", "What it gives", box=None)
    for known in sorted(FUNCTIONS.values(), key=lambda one: (one.extension, one.name)):
        table.add_row(known.signature, known.summary + (" (Datorum's own)" if known.extension else ""))
    Console().print(table, highlight=False)
