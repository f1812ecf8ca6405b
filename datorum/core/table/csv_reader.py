"""Delimited text into a sheet. Text is never altered: ``00120``, ``1E5`` and `` x `` stay as they are."""

from __future__ import annotations

import csv
import io
from collections import Counter
from collections.abc import Iterator
from typing import Literal

import polars as pl

from datorum.core.errors import Place, UnreadableFile
from datorum.core.table.dialect import Dialect
from datorum.core.table.sheet import BEYOND, FLAG, ROW, Limits, Sheet, distinct_headers

_UNDECODED = "\ufffd"


def read_csv(data: bytes, dialect: Dialect, limits: Limits | None = None) -> Sheet:
    """Read a whole file.

    Rows that are too short or too long, repeat the header, or hold undecodable bytes are kept and flagged. Raises
    UnreadableFile where no row can be had or a limit is passed.
    """
    limits = limits or Limits()
    text, undecodable = _decode(data, dialect.encoding)
    rows = _rows(text, dialect, limits)
    header, notes, ahead = _header(rows, dialect, limits)
    width = len(header)

    cells: list[list[str | None]] = [[] for _ in range(width)]
    beyond: list[str | None] = []
    lines: list[int] = []
    flags: list[str | None] = []
    blank_lines = 0
    supplied_header = ahead[0][1] if dialect.header_line else []
    for line, row in _chain(ahead[1:] if dialect.header_line else ahead, rows):
        if not row:
            blank_lines += 1
            continue
        if len(lines) >= limits.rows:
            raise UnreadableFile(
                f"The file has more than {limits.rows:,} rows.",
                remedy="Split it, or raise the limit on rows.",
            )
        lines.append(line)
        flags.append(_flag(row, width, supplied_header, undecodable))
        for index in range(width):
            cells[index].append(row[index] if index < len(row) else None)
        beyond.append(dialect.delimiter.join(row[width:]) if len(row) > width else None)

    if not lines:
        raise UnreadableFile(
            "The file has a header and no rows.",
            remedy="Export it again with its rows, or set “header line” to none if this line is a row.",
            place=Place(row=dialect.header_line or None),
        )
    if _quote_open_at_end(text, dialect):
        flags[-1] = "unclosed quote"
        notes = (
            *notes,
            f"A quote opened in row {lines[-1]:,} is never closed; all that follows is in its last cell.",
        )

    columns: dict[str, pl.Series] = {
        ROW: pl.Series(lines, dtype=pl.Int64),
        FLAG: pl.Series(flags, dtype=pl.String),
    }
    for name, values in zip(header, cells, strict=True):
        columns[name] = pl.Series(values, dtype=pl.String)
    headers = header
    if any(value is not None for value in beyond):
        name = distinct_headers([*header, BEYOND])[0][-1]
        columns[name] = pl.Series(beyond, dtype=pl.String)
        headers = (*header, name)
    counted = Counter(flag for flag in flags if flag)
    return Sheet(pl.DataFrame(columns), headers, notes, blank_lines, dict(counted))


def _decode(data: bytes, encoding: str) -> tuple[str, bool]:
    try:
        return data.decode(encoding), False
    except UnicodeDecodeError:
        return data.decode(encoding, errors="replace"), True


def _rows(text: str, dialect: Dialect, limits: Limits) -> Iterator[tuple[int, list[str]]]:
    """Each record with the line where it begins; a blank line is an empty record."""
    csv.field_size_limit(limits.cell)
    quoting: Literal[0, 3] = csv.QUOTE_MINIMAL if dialect.quote else csv.QUOTE_NONE
    reader = csv.reader(
        io.StringIO(text, newline=""),
        delimiter=dialect.delimiter,
        quotechar=dialect.quote or None,
        quoting=quoting,
    )
    line = 1
    try:
        for row in reader:
            yield line, row
            line = reader.line_num + 1
    except csv.Error as error:
        raise UnreadableFile(
            f"Reading stops at line {line:,}: {_in_words(str(error), limits)}.",
            remedy="Look whether the right quote character is set.",
            place=Place(row=line),
        ) from error


def _in_words(error: str, limits: Limits) -> str:
    return f"a cell is longer than {limits.cell:,} characters" if "field limit" in error else error


def _header(
    rows: Iterator[tuple[int, list[str]]], dialect: Dialect, limits: Limits
) -> tuple[tuple[str, ...], tuple[str, ...], list[tuple[int, list[str]]]]:
    """The column names, notes about them, and the records taken from ``rows`` on the way, the header first."""
    above = 0
    for line, row in rows:
        if not row or (dialect.header_line and line < dialect.header_line):
            above += bool(row)
            continue
        if len(row) > limits.columns:
            raise UnreadableFile(
                f"The file has {len(row):,} columns; {limits.columns:,} is the limit.",
                remedy="Look whether the right delimiter is set, or export fewer columns.",
                place=Place(row=line),
            )
        if not dialect.header_line:
            return tuple(f"Column {number}" for number in range(1, len(row) + 1)), (), [(line, row)]
        names, notes = distinct_headers(row)
        if above:
            told = "1 line stands" if above == 1 else f"{above:,} lines stand"
            notes = (f"{told} above the header and is no row.", *notes)
        return names, notes, [(line, row)]
    raise UnreadableFile(
        f"There is no header at line {dialect.header_line:,}.",
        remedy="Set the header line to one that exists.",
    )


def _chain(
    ahead: list[tuple[int, list[str]]], rows: Iterator[tuple[int, list[str]]]
) -> Iterator[tuple[int, list[str]]]:
    yield from ahead
    yield from rows


def _flag(row: list[str], width: int, header: list[str], undecodable: bool) -> str | None:
    if row == header:
        return "header again"
    if len(row) != width:
        return "short" if len(row) < width else "long"
    if undecodable and any(_UNDECODED in cell for cell in row):
        return "undecodable"
    return None


def _quote_open_at_end(text: str, dialect: Dialect) -> bool:
    """Whether the file ends inside quotes, told by the strict reading of RFC 4180 of its last record."""
    if not dialect.quote:
        return False
    try:
        strict = csv.reader(
            io.StringIO(text, newline=""), delimiter=dialect.delimiter, quotechar=dialect.quote, strict=True
        )
        for _ in strict:
            pass
    except csv.Error as error:
        return "unexpected end of data" in str(error)
    return False
