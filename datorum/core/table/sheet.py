"""A sheet: its columns as text, exactly as supplied, and what reading it brought to light."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Iterator
from dataclasses import dataclass, field
from typing import NamedTuple

import polars as pl
from pydantic import BaseModel

from datorum.core.errors import UnreadableFile

ROW = "\0row"
"""The column that holds, for each row, the line of the file where it begins. No header can contain a NUL."""
FLAG = "\0flag"
"""The column that says what is wrong with a row as a whole (a key of ``FLAGS``), else null."""
BEYOND = "(beyond the header)"
"""The column for cells that stand to the right of the last header."""
CHUNK_ROWS = 65_536
"""About how many rows are worked on at a time."""

FLAGS = {
    "short": "has fewer cells than the header",
    "long": "has more cells than the header",
    "header again": "repeats the header",
    "undecodable": "has bytes that the encoding cannot read",
    "unclosed quote": "opens a quote that is never closed",
    "unreadable": "is no record of this format; its text stands in the first column",
}


class Limits(BaseModel, frozen=True):
    """How much of one file is taken in; beyond it, reading says so and stops.

    ``cell`` in characters; ``unpacked`` in bytes, of all that an archive holds, and ``ratio`` (unpacked to packed) for
    archives and workbooks, which are unpacked in the folder ``scratch``, where one is named; ``members``: so many files
    that may be sheets in one archive.
    """

    columns: int = 2000
    cell: int = 10_000_000
    rows: int = 20_000_000
    unpacked: int = 8_000_000_000
    ratio: int = 400
    members: int = 200
    scratch: str | None = None


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


class Part(NamedTuple):
    """Some rows as a reader gives them: a frame as in ``Sheet``, the blank lines among them, sentences on them, and the
    frame ``packed`` where it came so."""

    frame: pl.DataFrame
    blank_lines: int = 0
    notes: tuple[str, ...] = ()
    packed: bytes | None = None


class PackedFrame(NamedTuple):
    """Rows of a sheet, and the same as bytes where it came so."""

    frame: pl.DataFrame
    packed: bytes | None = None


class Reading:
    """A sheet while it is read, some rows at a time. Going over it once gives its frames and completes the rest.

    A frame may lack the last headers' columns, or have the column of cells beyond the header, as its rows need;
    ``aligned`` brings it to the sheet's columns.
    """

    def __init__(
        self,
        headers: tuple[str, ...],
        notes: tuple[str, ...],
        parts: Iterator[Part],
        limits: Limits,
        done: Callable[[], float | None] | None = None,
    ) -> None:
        self.headers = headers
        self.notes = notes
        self.blank_lines = 0
        self.rows = 0
        self.flags: Counter[str] = Counter()
        self._parts = parts
        self._limits = limits
        self._done = done

    @property
    def share(self) -> float | None:
        """How much of the file was gone through, 0 to 1; None where that cannot be told."""
        return self._done() if self._done else None

    def __iter__(self) -> Iterator[pl.DataFrame]:
        """The frames in order. Raises UnreadableFile where no row can be had or a limit is passed."""
        return (part.frame for part in self.packed())

    def packed(self) -> Iterator[PackedFrame]:
        """The same with the bytes of the frames that came packed."""
        for part in self._parts:
            self.blank_lines += part.blank_lines
            self.notes += part.notes
            for first in range(0, part.frame.height, CHUNK_ROWS):
                frame = part.frame.slice(first, CHUNK_ROWS)
                self._count(frame)
                yield PackedFrame(frame, part.packed if frame.height == part.frame.height else None)
        if not self.rows:
            raise UnreadableFile(
                "The file has a header and no rows.",
                remedy="Export it again with its rows, or set “header line” to none if this line is a row.",
            )

    def _count(self, frame: pl.DataFrame) -> None:
        self.rows += frame.height
        if self.rows > self._limits.rows:
            raise UnreadableFile(
                f"The file has more than {self._limits.rows:,} rows.", remedy="Split it, or raise the limit on rows."
            )
        if frame[FLAG].null_count() < frame.height:
            self.flags.update(flag for flag in frame[FLAG] if flag)
        beyond = [name for name in data_columns(frame) if name not in self.headers]
        if beyond:
            self.headers = (*self.headers, *beyond)

    def collect(self) -> Sheet:
        """The whole sheet at once."""
        frames = list(self)
        return Sheet(
            pl.concat([self.aligned(frame) for frame in frames]),
            self.headers,
            self.notes,
            self.blank_lines,
            dict(self.flags),
        )

    def aligned(self, frame: pl.DataFrame) -> pl.DataFrame:
        """A frame with all columns of the sheet, in order."""
        return aligned(frame, self.headers)


def aligned(frame: pl.DataFrame, headers: tuple[str, ...] | list[str]) -> pl.DataFrame:
    """A sheet frame with these columns in this order; those that it lacks are null."""
    missing = [pl.lit(None, dtype=pl.String).alias(name) for name in headers if name not in frame.columns]
    return frame.with_columns(missing).select(ROW, FLAG, *headers)


def data_columns(frame: pl.DataFrame) -> list[str]:
    """The names of a sheet frame's columns without the reader's own."""
    return [name for name in frame.columns if name not in (ROW, FLAG)]


def distinct_headers(cells: list[str]) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Names for the columns, no two alike and none empty, and sentences about those that had to be changed."""
    names = ColumnNames(reserved=set(cells))
    notes: list[str] = []
    for number, cell in enumerate(cells, 1):
        supplied = cell.strip()
        name = names.add(supplied or f"Column {number}")
        if not supplied:
            notes.append(f"Column {number} has no header; it is called “{name}”.")
        elif name.startswith(f"{supplied} ("):
            notes.append(f"The header “{supplied}” stands twice; the one in column {number} is called “{name}”.")
        elif name != supplied:
            notes.append(f"The header “{supplied}” of column {number} cannot be a name; it is called “{name}”.")
    return tuple(names), tuple(notes)


class ColumnNames:
    """Names of columns, no two alike, none that a query engine would take for a pattern."""

    def __init__(self, reserved: Collection[str] = ()) -> None:
        self._names: dict[str, None] = {}
        self._reserved = reserved

    def __iter__(self) -> Iterator[str]:
        return iter(self._names)

    def __len__(self) -> int:
        return len(self._names)

    def add(self, supplied: str) -> str:
        """A name for one more column."""
        name = supplied.replace("\0", "") or "Column"
        # Polars takes * for all columns, and ^…$ for those that match.
        if name == "*" or (name.startswith("^") and name.endswith("$")):
            name = f"({name})"
        if name in self._names:
            count = 2
            while f"{name} ({count})" in self._names or f"{name} ({count})" in self._reserved:
                count += 1
            name = f"{name} ({count})"
        self._names[name] = None
        return name


def footer_note(lines: int) -> str:
    """What is said of the last lines where they are left off."""
    if lines == 1:
        return "The last line is a total or remark and is no row."
    return f"The last {lines} lines are totals or remarks and are no rows."


def too_many_columns(count: int, limits: Limits) -> UnreadableFile:
    """The error for a sheet wider than the limit."""
    return UnreadableFile(
        f"The file has {count:,} columns; {limits.columns:,} is the limit.",
        remedy="Look whether the right delimiter is set, or export fewer columns.",
    )
