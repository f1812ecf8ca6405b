"""``datorum read``: a file as Datorum reads it, without keeping anything."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console
from rich.table import Table

from datorum.core.errors import UnreadableFile
from datorum.core.profile import profile
from datorum.core.table import FLAG, FLAGS, ROW, Dialect, Sheet, data_columns
from datorum.stations.files import read_file


def read(
    file: Annotated[Path, typer.Argument(help="A CSV file.")],
    as_json: Annotated[bool, typer.Option("--json", help="Print dialect, columns with profile, and problems.")] = False,
    rows: Annotated[bool, typer.Option("--rows", help="Print each row as one JSON object, text as supplied.")] = False,
) -> None:
    """Show how a file is read: its dialect, its columns, and what is wrong with it."""
    dialect, sheet = read_file(file.name, load(file))
    if rows:
        _print_rows(sheet)
    elif as_json:
        print(json.dumps(_as_json(file, dialect, sheet), ensure_ascii=False, indent=2))
    else:
        _print_table(file, dialect, sheet)


def load(file: Path) -> bytes:
    """A file's bytes. Raises UnreadableFile where there is none."""
    try:
        return file.read_bytes()
    except OSError as error:
        raise UnreadableFile(f"{file}: {error.strerror}.", remedy="Look whether the path is right.") from error


def _print_rows(sheet: Sheet) -> None:
    columns = data_columns(sheet.frame)
    for cells in sheet.frame.select(columns).iter_rows():
        row = {name: cell or "" for name, cell in zip(columns, cells, strict=True)}
        sys.stdout.write(json.dumps(row, ensure_ascii=False) + "\n")


def _problems(sheet: Sheet) -> list[dict[str, Any]]:
    flagged = sheet.frame.filter(sheet.frame[FLAG].is_not_null())
    return [{"row": row, "problem": FLAGS[flag]} for row, flag in flagged.select(ROW, FLAG).iter_rows()]


def _as_json(file: Path, dialect: Dialect, sheet: Sheet) -> dict[str, Any]:
    return {
        "file": file.name,
        "sheets": [
            {
                "name": file.stem,
                "dialect": dialect.model_dump(),
                "rows": sheet.height,
                "blank_lines": sheet.blank_lines,
                "columns": [column.model_dump() | {"fill": column.fill} for column in profile(sheet.frame).values()],
                "notes": list(sheet.notes),
                "problems": _problems(sheet),
            }
        ],
    }


def _print_table(file: Path, dialect: Dialect, sheet: Sheet) -> None:
    out = Console()
    delimiter = {"\t": "tab"}.get(dialect.delimiter, dialect.delimiter)
    out.print(f"[bold]{file.name}[/]  {sheet.height:,} rows, {len(sheet.headers):,} columns")
    out.print(f"{dialect.encoding}, delimiter {delimiter}, header at line {dialect.header_line}", style="dim")
    table = Table("Column", "Filled", "Distinct", "Samples", box=None)
    for column in profile(sheet.frame).values():
        samples = "  ".join(sample.replace("\n", "⏎")[:24] for sample in column.samples[:3])
        table.add_row(column.name, f"{column.fill:.0%}", f"{column.distinct:,}", samples)
    out.print(table)
    for note in sheet.notes:
        out.print(f"◐ {note}", style="yellow")
    for problem in _problems(sheet)[:20]:
        out.print(f"■ Row {problem['row']:,} {problem['problem']}.", style="red")
