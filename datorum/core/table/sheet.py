"""A sheet: its columns as text, exactly as supplied, and what reading it brought to light."""

from __future__ import annotations

from dataclasses import dataclass, field

import polars as pl
from pydantic import BaseModel

ROW = "\0row"
"""The column that holds, for each row, the line of the file where it begins. No header can contain a NUL."""
FLAG = "\0flag"
"""The column that says what is wrong with a row as a whole (a key of ``FLAGS``), else null."""
BEYOND = "(beyond the header)"
"""The column for cells that stand to the right of the last header."""

FLAGS = {
    "short": "has fewer cells than the header",
    "long": "has more cells than the header",
    "header again": "repeats the header",
    "undecodable": "has bytes that the encoding cannot read",
    "unclosed quote": "opens a quote that is never closed",
}


class Limits(BaseModel, frozen=True):
    """How much of one file is taken in; beyond it, reading says so and stops."""

    columns: int = 2000
    cell: int = 10_000_000
    rows: int = 20_000_000


@dataclass(frozen=True)
class Sheet:
    """A read sheet.

    ``frame`` has one String column a header (null where a row was too short for it), plus ``ROW`` (Int64) and ``FLAG``
    (String). ``notes`` are sentences about the sheet as a whole; ``blank_lines`` counts lines passed over.
    """

    frame: pl.DataFrame
    headers: tuple[str, ...]
    notes: tuple[str, ...] = ()
    blank_lines: int = 0
    flags: dict[str, int] = field(default_factory=dict)

    @property
    def height(self) -> int:
        """How many rows the sheet has, the header not counted."""
        return self.frame.height


def data_columns(frame: pl.DataFrame) -> list[str]:
    """The names of a sheet frame's columns without the reader's own."""
    return [name for name in frame.columns if name not in (ROW, FLAG)]


def distinct_headers(cells: list[str]) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Names for the columns, no two alike and none empty, and sentences about those that had to be changed."""
    names: list[str] = []
    notes: list[str] = []
    taken = set(cells)
    for number, cell in enumerate(cells, 1):
        name = cell.replace("\0", "").strip()
        if not name:
            name = f"Column {number}"
            notes.append(f"Column {number} has no header; it is called “{name}”.")
        if name in names:
            count = 2
            while f"{name} ({count})" in names or f"{name} ({count})" in taken:
                count += 1
            notes.append(f"The header “{name}” stands twice; the one in column {number} is called “{name} ({count})”.")
            name = f"{name} ({count})"
        names.append(name)
    return tuple(names), tuple(notes)
