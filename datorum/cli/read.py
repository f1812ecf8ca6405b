"""``datorum read``: a file as Datorum reads it, without keeping anything."""

from __future__ import annotations

import json
import sys
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any

import orjson
import polars as pl
import typer
from rich.console import Console
from rich.table import Table

from datorum.core.errors import UnreadableFile
from datorum.core.profile import ColumnProfile, Profiler
from datorum.core.shape.shape import Found
from datorum.core.suggest.shapes import likeliest_shape
from datorum.core.table import FLAG, FLAGS, ROW, Dialect, FileOfSheets, Reading, data_columns
from datorum.stations.files import opened

_MOST_PROBLEMS = 1000
_TELLING_ROWS = 10_000


def read(
    file: Annotated[Path, typer.Argument(help="A file: CSV, XLSX, XLS, ODS, JSON, NDJSON, XML, feed, ZIP or gzip.")],
    as_json: Annotated[
        bool, typer.Option("--json", help="Print sheets, dialect, columns with profile, and problems.")
    ] = False,
    rows: Annotated[bool, typer.Option("--rows", help="Print each row as one JSON object, text as supplied.")] = False,
    sheet: Annotated[str, typer.Option(help="Which of the file's sheets, where it has several.")] = "",
) -> None:
    """Show how a file is read: its sheets, its dialect, its columns, and what is wrong with it."""
    with opened(file, file.name) as found:
        if rows:
            _print_rows(found.read(found.guess(sheet)))
        elif as_json:
            print(json.dumps(_as_json(file, found, sheet), ensure_ascii=False, indent=2))
        else:
            _print_table(file, found, sheet)


def load(file: Path) -> bytes:
    """A small file's bytes. Raises UnreadableFile where there is none."""
    try:
        return file.read_bytes()
    except OSError as error:
        raise UnreadableFile(f"{file}: {error.strerror}.", remedy="Look whether the path is right.") from error


def _print_rows(reading: Reading) -> None:
    for frame in reading:
        columns = data_columns(frame)
        out = bytearray()
        for cells in frame.select(pl.col(columns).fill_null("")).iter_rows():
            out += orjson.dumps(dict(zip(columns, cells, strict=True))) + b"\n"
        sys.stdout.buffer.write(out)


@dataclass(frozen=True)
class _Sheet:
    """One sheet gone through once."""

    dialect: Dialect
    confidence: float
    reading: Reading
    profiles: dict[str, ColumnProfile]
    problems: list[dict[str, Any]]
    shape: Found | None
    """How its rows make records, as far as the first of them tell."""


def _gone_through(file: FileOfSheets, name: str) -> _Sheet:
    dialect = file.guess(name)
    confidence = file.confidence(dialect)
    reading = file.read(dialect)
    profiler = Profiler()
    problems: list[dict[str, Any]] = []
    first: list[pl.DataFrame] = []
    for frame in reading:
        profiler.add(frame)
        if sum(one.height for one in first) < _TELLING_ROWS:
            first.append(frame)
        flagged = frame.filter(pl.col(FLAG).is_not_null()).select(ROW, FLAG)
        room = _MOST_PROBLEMS - len(problems)
        problems += [{"row": row, "problem": FLAGS[flag]} for row, flag in flagged.head(room).iter_rows()]
    shape = likeliest_shape(pl.concat(map(reading.aligned, first))) if first else None
    return _Sheet(dialect, confidence, reading, profiler.finish(reading.headers), problems, shape)


def _as_json(path: Path, file: FileOfSheets, only: str) -> dict[str, Any]:
    names = [only] if only else [ref.name for ref in file.sheets]
    return {
        "file": path.name,
        "attachments": list(file.attachments),
        "sheets": [_sheet_as_json(path, file, name) for name in names],
    }


def _sheet_as_json(path: Path, file: FileOfSheets, name: str) -> dict[str, Any]:
    shown = {"name": name or path.stem, "note": next((ref.note for ref in file.sheets if ref.name == name), "")}
    try:
        sheet = _gone_through(file, name)
    except UnreadableFile as error:
        if len(file.sheets) == 1:
            raise
        # An empty sheet beside others is no reason to show none of them.
        return shown | {"rows": 0, "columns": [], "notes": [error.message], "problems": []}
    return shown | {
        "dialect": sheet.dialect.model_dump(),
        "confidence": sheet.confidence,
        "rows": sheet.reading.rows,
        "blank_lines": sheet.reading.blank_lines,
        "columns": [_column_as_json(column) for column in sheet.profiles.values()],
        "shape": _shape_as_json(sheet.shape) if sheet.shape else None,
        "notes": list(sheet.reading.notes),
        "problems": sheet.problems,
        "problem_counts": {FLAGS[flag]: count for flag, count in sheet.reading.flags.items()},
    }


def _shape_as_json(found: Found) -> dict[str, Any]:
    told = {"sentence": found.shape.sentence(), "reasons": list(found.reasons), "weight": found.weight}
    return found.shape.model_dump(mode="json") | told


def _column_as_json(column: ColumnProfile) -> dict[str, Any]:
    return column.model_dump() | {"fill": column.fill}


def _print_table(path: Path, file: FileOfSheets, name: str) -> None:
    out = Console()
    sheet = _gone_through(file, name)
    dialect = sheet.dialect
    out.print(f"[bold]{path.name}[/]  {sheet.reading.rows:,} rows, {len(sheet.reading.headers):,} columns")
    if len(file.sheets) > 1:
        names = ", ".join(ref.name for ref in file.sheets)
        out.print(f"Sheet {dialect.sheet} of: {names}", style="dim", highlight=False)
    if dialect.format == "delimited":
        delimiter = {"\t": "tab"}.get(dialect.delimiter, dialect.delimiter)
        line = f"{dialect.encoding}, delimiter {delimiter}, header at line {dialect.header_line}"
        out.print(f"{line} (fits {sheet.confidence:.0%})", style="dim")
    table = Table("Column", "Filled", "Distinct", "Holds", "Samples", box=None)
    for column in sheet.profiles.values():
        samples = "  ".join(sample.replace("\n", "⏎")[:24] for sample in column.samples[:3])
        holds = column.kinds[0].name if column.kinds else "text"
        about = "" if column.distinct_exact else "about "
        table.add_row(column.name, f"{column.fill:.0%}", f"{about}{column.distinct:,}", holds, samples)
    out.print(table)
    if sheet.shape:
        out.print(f"▦ {sheet.shape.shape.sentence()} ({'; '.join(sheet.shape.reasons)})", highlight=False)
    for note in sheet.reading.notes:
        out.print(f"◐ {note}", style="yellow")
    for problem in sheet.problems[:20]:
        out.print(f"■ Row {problem['row']:,} {problem['problem']}.", style="red")
