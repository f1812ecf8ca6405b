"""Delimited text (RFC 4180 and its relatives) into a sheet. Text is never altered: ``00120`` and `` x `` stay.

Two ways read the same: regular records, found by the positions of quotes, delimiters and line ends, are parsed by
Polars a block at a time; any other record goes through the standard library's reader, cell by cell.
"""

from __future__ import annotations

import csv
import io
import os
import re
from collections.abc import Callable, Iterator
from typing import BinaryIO, NamedTuple

import numpy as np
import numpy.typing as npt
import polars as pl

from datorum.core.errors import Place, UnreadableFile
from datorum.core.table.dialect import Dialect
from datorum.core.table.sheet import (
    BEYOND,
    FLAG,
    ROW,
    Limits,
    Part,
    Reading,
    Sheet,
    distinct_headers,
    footer_note,
    too_many_columns,
)  # fmt: skip
from datorum.core.table.text_blocks import BLOCK, Block, text_blocks

_UNDECODED = "\ufffd"
_MARK = b"\x01"
_LINE_END = re.compile(rb"\r\n|\n|\r")
_Places = npt.NDArray[np.int64]
_Mask = npt.NDArray[np.bool_]


def read_csv(data: bytes, dialect: Dialect, limits: Limits | None = None) -> Sheet:
    """Read a whole file that is in memory. Raises UnreadableFile as ``read_delimited`` does."""
    return read_delimited(io.BytesIO(data), dialect, limits).collect()


def read_delimited(file: BinaryIO, dialect: Dialect, limits: Limits | None = None, block: int = BLOCK) -> Reading:
    """Read a file from where it stands, some rows at a time, each time about ``block`` bytes.

    Rows that are too short or too long, repeat the header, or hold undecodable bytes are kept and flagged. Raises
    UnreadableFile where there is no header or a limit is passed.
    """
    limits = limits or Limits()
    here = file.tell()
    size = max(file.seek(0, os.SEEK_END), 1)
    file.seek(here)
    return _Reader(text_blocks(file, dialect.encoding, block), dialect, limits, lambda: file.tell() / size).reading()


class _Reader:
    def __init__(
        self, blocks: Iterator[Block], dialect: Dialect, limits: Limits, done: Callable[[], float] | None = None
    ) -> None:
        self._done = done
        self._dialect = dialect
        self._limits = limits
        self._blocks = blocks
        self._header: list[str] = []
        self._names: tuple[str, ...] = ()
        self._line = 1

    def reading(self) -> Reading:
        first = next(self._blocks)
        notes, offset = self._find_header(first.text)
        parts = self._parts(first.text[offset:], first.undecodable, first.last)
        if self._dialect.footer_lines:
            parts = _without_footer(parts, self._dialect.footer_lines)
        return Reading(self._names, notes, parts, self._limits, self._done)

    def _find_header(self, block: bytes) -> tuple[tuple[str, ...], int]:
        """Set the names of the columns; notes about them, and where the first row begins in the block."""
        above = 0
        for line, row, end in self._records(block):
            if not row or (self._dialect.header_line and line < self._dialect.header_line):
                above += bool(row)
                continue
            if len(row) > self._limits.columns:
                raise too_many_columns(len(row), self._limits)
            if not self._dialect.header_line:
                self._names = tuple(f"Column {number}" for number in range(1, len(row) + 1))
                self._line = line
                return (), _offset_of_line(block, line)
            self._header = row
            self._names, notes = distinct_headers(row)
            self._line = end + 1
            if above:
                stands = "1 line stands" if above == 1 else f"{above:,} lines stand"
                notes = (f"{stands} above the header and is no row.", *notes)
            return notes, _offset_of_line(block, self._line)
        raise UnreadableFile(
            f"There is no header at line {self._dialect.header_line:,}.",
            remedy="Set the header line to one that exists.",
        )

    def _parts(self, block: bytes, undecodable: bool, last: bool) -> Iterator[Part]:
        """The rows of every block; what a block leaves unfinished goes before the next."""
        while True:
            if self._dialect.escape:
                block = _doubled(block, self._dialect)
            part, done = self._regular(block, last) if self._fits(block) else (None, 0)
            if part is None:
                part, done = self._irregular(block, last)
            frame = self._flagged(part.frame, undecodable)
            if frame.height or part.blank_lines or part.notes:
                yield part._replace(frame=frame)
            rest = block[done:]
            if last:
                return
            following = next(self._blocks)
            block, last = rest + following.text, following.last
            undecodable = following.undecodable or (undecodable and bool(rest))

    def _fits(self, block: bytes) -> bool:
        """Whether the positions of bytes can tell the records: all marks are single bytes."""
        marks = self._dialect.delimiter + self._dialect.quote
        return marks.isascii() and len(self._dialect.delimiter) == 1 and self._dialect.delimiter not in "\r\n"

    def _regular(self, block: bytes, last: bool) -> tuple[Part | None, int]:
        """The rows of a block whose quotes stand only around cells, and where in it they end; None for other blocks."""
        if last and block and not block.endswith(b"\n"):
            block += b"\n"
        found = _scan(block, self._dialect)
        if found is None or (last and found.open_at_end):
            return None, 0
        if not len(found.starts):
            # All of the block is inside one pair of quotes; the standard reader finds out whether it is ever closed.
            return (None, 0) if len(block) > self._limits.cell else (Part(self._empty()), 0)
        if int((found.ends - found.starts).max()) > self._limits.cell:
            return None, 0
        lines = found.lines + self._line
        frame = self._alike(block, found, lines)
        if frame is None:
            frame = self._parted(block, found, lines)
        self._line += found.newlines
        return Part(frame, int(found.blank.sum())), min(int(found.ends[-1]) + 1, len(block))

    def _alike(self, block: bytes, found: _Scan, lines: _Places) -> pl.DataFrame | None:
        """The rows of a block whose records are all as wide as the header; None for other blocks.

        The parser refuses a record with too many cells, and fills up one with too few: then the bytes that are neither
        in cells, nor quotes, nor line ends, are fewer than the delimiters there should be.
        """
        if found.blank.any():
            return None
        text = block[: int(found.ends[-1]) + 1]
        try:
            frame = self._parse(text)
        except pl.exceptions.PolarsError:
            return None
        in_cells = sum(frame.select(pl.all().str.len_bytes().sum()).row(0))
        if len(text) - in_cells - found.beside_cells != len(lines) * (len(self._names) - 1):
            return None
        return self._numbered(frame, pl.Series(ROW, lines, dtype=pl.Int64)) if frame.height == len(lines) else None

    def _parted(self, block: bytes, found: _Scan, lines: _Places) -> pl.DataFrame:
        """The rows of a block, those of another width than the header's on their own."""
        good = (_delimiters_each(block, found, self._dialect) == len(self._names) - 1) & ~found.blank
        odd = np.flatnonzero(~good & ~found.blank)
        frames = [self._empty()]
        if good.any():
            rows = self._parse(_records_of(block, found, good))
            frames = [self._numbered(rows, pl.Series(ROW, lines[good], dtype=pl.Int64))]
        if len(odd):
            frames.append(self._odd_rows(block, found, odd, lines))
        frame = pl.concat(frames, how="diagonal")
        return frame.sort(ROW) if len(odd) else frame

    def _parse(self, text: bytes) -> pl.DataFrame:
        return pl.read_csv(
            text,
            has_header=False,
            infer_schema=False,
            schema=dict.fromkeys(self._names, pl.String),
            separator=self._dialect.delimiter,
            quote_char=self._dialect.quote or None,
            empty_string_is_null=False,
        )

    def _numbered(self, frame: pl.DataFrame, lines: pl.Series) -> pl.DataFrame:
        flags = pl.lit(None, dtype=pl.String).alias(FLAG)
        return frame.select(lines.alias(ROW), flags, *self._names)

    def _odd_rows(self, block: bytes, found: _Scan, odd: _Places, lines: _Places) -> pl.DataFrame:
        rows = []
        for index in odd:
            text = block[int(found.starts[index]) : int(found.ends[index]) + 1]
            rows += [(int(lines[index]), row, "") for _, row, _ in self._records(text)]
        return self._from_rows(rows)

    def _irregular(self, block: bytes, last: bool) -> tuple[Part, int]:
        """The rows of any block by the standard reader, and where in it they end."""
        rows: list[tuple[int, list[str], str]] = []
        notes: tuple[str, ...] = ()
        blank, done = 0, 0
        held: tuple[int, list[str], int] | None = None
        base, newlines = self._line, 0
        for line, row, after in self._records(block):
            if held is not None:
                blank += not held[1]
                if held[1]:
                    rows.append((base + held[0] - 1, held[1], ""))
                newlines = line - 1
            held = (line, row, after)
        if held is not None:
            at = _offset_of_line(block, held[0])
            text = block[at:]
            ended = text.endswith((b"\n", b"\r"))
            if (last or ended) and not self._open(text if ended else text + b"\n"):
                blank += not held[1]
                if held[1]:
                    rows.append((base + held[0] - 1, held[1], ""))
                done, newlines = len(block), held[2]
            elif last or len(text) > self._limits.cell:
                # The quote is never closed: its line is taken as it stands, and reading goes on behind it.
                row = next(iter(self._records(text.split(b"\n", 1)[0], quoting=False)))[1]
                number = base + held[0] - 1
                rows.append((number, row, "unclosed quote"))
                notes = (f"A quote opened in row {number:,} is never closed; the row is read without quotes.",)
                done = at + (_offset_of_line(text, 2) or len(text))
                newlines = held[0]
            else:
                done, newlines = at, held[0] - 1
        self._line = base + newlines
        part = Part(self._from_rows(rows), blank, notes)
        if last and done < len(block):
            following, more = self._irregular(block[done:], last)
            part = Part(
                pl.concat([part.frame, following.frame], how="diagonal"),
                part.blank_lines + following.blank_lines,
                (*part.notes, *following.notes),
            )
            done += more
        return part, done

    def _open(self, record: bytes) -> bool:
        """Whether a record ends inside quotes: it swallows what stands behind it."""
        last: list[str] = []
        for _, row, _ in self._records(record + _MARK):
            last = row
        return last != [_MARK.decode()]

    def _from_rows(self, rows: list[tuple[int, list[str], str]]) -> pl.DataFrame:
        width = len(self._names)
        columns: dict[str, pl.Series] = {
            ROW: pl.Series([line for line, _, _ in rows], dtype=pl.Int64),
            FLAG: pl.Series([flag or self._flag(row) for _, row, flag in rows], dtype=pl.String),
        }
        for index, name in enumerate(self._names):
            cells = [row[index] if index < len(row) else None for _, row, _ in rows]
            columns[name] = pl.Series(cells, dtype=pl.String)
        if any(len(row) > width for _, row, _ in rows):
            name = distinct_headers([*self._names, BEYOND])[0][-1]
            beyond = [self._dialect.delimiter.join(row[width:]) if len(row) > width else None for _, row, _ in rows]
            columns[name] = pl.Series(beyond, dtype=pl.String)
        return pl.DataFrame(columns)

    def _flag(self, row: list[str]) -> str | None:
        if row == self._header:
            return "header again"
        if len(row) != len(self._names):
            return "short" if len(row) < len(self._names) else "long"
        return None

    def _flagged(self, frame: pl.DataFrame, undecodable: bool) -> pl.DataFrame:
        """With the flags that show only in the cells."""
        if self._header and frame.height:
            again = pl.all_horizontal(
                pl.col(name).eq_missing(pl.lit(cell)) for name, cell in zip(self._names, self._header, strict=True)
            )
            if (frame[self._names[0]] == self._header[0]).any():
                frame = frame.with_columns(
                    pl.when(again & pl.col(FLAG).is_null()).then(pl.lit("header again")).otherwise(FLAG).alias(FLAG)
                )
        if undecodable and frame.height:
            bad = pl.any_horizontal(pl.col(*self._names).str.contains(_UNDECODED, literal=True))
            frame = frame.with_columns(
                pl.when(bad & pl.col(FLAG).is_null()).then(pl.lit("undecodable")).otherwise(FLAG).alias(FLAG)
            )
        return frame

    def _empty(self) -> pl.DataFrame:
        return pl.DataFrame(schema={ROW: pl.Int64, FLAG: pl.String, **dict.fromkeys(self._names, pl.String)})

    def _records(self, block: bytes, quoting: bool = True) -> Iterator[tuple[int, list[str], int]]:
        """Each record by the standard reader: its first line, its cells, and the line on which it ends."""
        csv.field_size_limit(max(self._limits.cell, len(block)))
        reader = csv.reader(
            io.StringIO(block.decode("utf-8", "replace"), newline=""),
            delimiter=self._dialect.delimiter,
            quotechar=self._dialect.quote or None,
            quoting=csv.QUOTE_MINIMAL if self._dialect.quote and quoting else csv.QUOTE_NONE,
        )
        line = 1
        for row in reader:
            if row and max(map(len, row)) > self._limits.cell:
                at = self._line + line - 1
                raise UnreadableFile(
                    f"Reading stops at line {at:,}: a cell is longer than {self._limits.cell:,} characters.",
                    remedy="Look whether the right quote character is set.",
                    place=Place(row=at),
                )
            yield line, row, reader.line_num
            line = reader.line_num + 1


class _Scan(NamedTuple):
    """The records of a block: where each starts and ends (the place of its line end), on which line (from 0) it
    starts, and whether it is a blank line; where quotes stand; the bytes of line ends and of quotes that are no part
    of a cell; the lines that the records take; and whether a quote is open behind them."""

    starts: _Places
    ends: _Places
    lines: _Places
    blank: _Mask
    quotes: _Places
    beside_cells: int
    newlines: int
    open_at_end: bool


def _scan(block: bytes, dialect: Dialect) -> _Scan | None:
    """Where the records are, by the parity of quotes; None where quotes or line ends stand otherwise than in
    RFC 4180."""
    data = np.frombuffer(block, dtype=np.uint8)
    quote = ord(dialect.quote) if dialect.quote and dialect.quote.encode() in block else None
    places = _places_of(data, (10,) if quote is None else (10, quote))
    is_newline = data[places] == 10
    newlines, quotes = places[is_newline], places[~is_newline]
    returned = data[np.maximum(newlines - 1, 0)] == 13
    if np.count_nonzero(returned) != _count_of(data, 13):
        return None
    if quote is not None and not _around_cells(data, quotes, ord(dialect.delimiter), quote):
        return None
    quotes_before = np.cumsum(~is_newline, dtype=np.int32)[is_newline]
    at_end = np.flatnonzero((quotes_before & 1) == 0)
    ends = newlines[at_end]
    starts, behind = _shifted(ends + 1), at_end + 1
    length = ends - starts
    taken = int(quotes_before[at_end[-1]]) if len(at_end) else 0
    doubled = np.count_nonzero(quotes[2:taken:2] == quotes[1 : max(taken - 1, 0) : 2] + 1)
    return _Scan(
        starts=starts,
        ends=ends,
        lines=_shifted(behind),
        blank=(length == 0) | ((length == 1) & returned[at_end]),
        quotes=quotes,
        beside_cells=int(len(ends) + np.count_nonzero(returned[at_end]) + taken - doubled),
        newlines=int(behind[-1]) if len(behind) else 0,
        open_at_end=bool((len(quotes) - taken) & 1),
    )


def _shifted(behind: _Places) -> _Places:
    """Where each of some things begins, from where they end: the first at 0."""
    return np.concatenate((np.zeros(min(len(behind), 1), dtype=np.int64), behind[:-1]))


def _delimiters_each(block: bytes, found: _Scan, dialect: Dialect) -> _Places:
    """How many delimiters stand outside quotes in each record."""
    places = _places_of(np.frombuffer(block, dtype=np.uint8), (ord(dialect.delimiter),))
    outside = places[(np.searchsorted(found.quotes, places) & 1) == 0]
    return np.diff(np.searchsorted(outside, found.ends), prepend=0)


_PIECE = 1 << 18
"""As many bytes are looked through at a time: what is worked out of them stays near the processor."""


def _places_of(data: npt.NDArray[np.uint8], marks: tuple[int, ...]) -> _Places:
    """Where any of some bytes stand, in order."""
    found = []
    for at in range(0, len(data), _PIECE):
        piece = data[at : at + _PIECE]
        hit = piece == marks[0]
        for mark in marks[1:]:
            hit |= piece == mark
        found.append(np.flatnonzero(hit) + at)
    return np.concatenate(found) if found else np.empty(0, dtype=np.int64)


def _count_of(data: npt.NDArray[np.uint8], mark: int) -> int:
    """How often a byte stands."""
    return sum(int(np.count_nonzero(data[at : at + _PIECE] == mark)) for at in range(0, len(data), _PIECE))


def _around_cells(data: npt.NDArray[np.uint8], quotes: _Places, delimiter: int, quote: int) -> bool:
    """Whether every quote opens a cell, closes one, or is doubled inside one."""
    opening, closing = quotes[0::2], quotes[1::2]
    before = data[np.maximum(opening - 1, 0)]
    opens = (opening == 0) | (before == delimiter) | (before == 10) | (before == quote)
    after = data[np.minimum(closing + 1, len(data) - 1)]
    closes = (
        (closing + 1 >= len(data)) | (after == delimiter) | (after == 10) | (after == 13) | (after == quote)
    )  # fmt: skip
    return bool(opens.all() and closes.all())


def _records_of(block: bytes, found: _Scan, good: _Mask) -> bytes:
    """Only the good records of a block, runs of them taken together."""
    edges = np.flatnonzero(np.diff(good.astype(np.int8), prepend=0, append=0))
    return b"".join(
        block[int(found.starts[first]) : int(found.ends[behind - 1]) + 1]
        for first, behind in zip(edges[0::2], edges[1::2], strict=True)
    )


def _doubled(block: bytes, dialect: Dialect) -> bytes:
    """Escaped quotes as doubled ones, so that the lines and everything else stay where they are."""
    escape, quote = re.escape(dialect.escape.encode()), re.escape(dialect.quote.encode())
    pattern = rb"(?<!" + escape + rb")((?:" + escape + escape + rb")*)" + escape + quote
    return re.sub(pattern, lambda match: match[1] + dialect.quote.encode() * 2, block)


def _offset_of_line(block: bytes, line: int) -> int:
    """Where a line begins, lines being counted from 1; the end of the block where there is no such line."""
    if line <= 1:
        return 0
    for number, end in enumerate(_LINE_END.finditer(block), 2):
        if number == line:
            return end.end()
    return len(block)


def _without_footer(parts: Iterator[Part], lines: int) -> Iterator[Part]:
    """All rows but the last ones, which are totals or remarks."""
    held: pl.DataFrame | None = None
    for part in parts:
        frame = part.frame if held is None else pl.concat([held, part.frame], how="diagonal")
        keep = max(frame.height - lines, 0)
        held = frame.slice(keep)
        yield part._replace(frame=frame.head(keep))
    if held is not None and held.height:
        yield Part(held.clear(), notes=(footer_note(held.height),))
