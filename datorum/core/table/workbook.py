"""Workbooks (XLSX, XLS, ODS) into sheets: every cell as the text of its value, formulas by what they last came to."""

from __future__ import annotations

import re
import zipfile
import zlib
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import fastexcel
import polars as pl

from datorum.core.errors import UnreadableFile
from datorum.core.table.dialect import Dialect, footer_lines_of, header_line_of
from datorum.core.table.formats import Format, SheetRef, certain
from datorum.core.table.sheet import (
    CHUNK_ROWS,
    FLAG,
    ROW,
    Limits,
    Part,
    Reading,
    distinct_headers,
    footer_note,
    too_many_columns,
)  # fmt: skip

_OLE = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"
_SAMPLE_ROWS = 200
_SHOWN = 5
_DAMAGED = (zipfile.BadZipFile, zlib.error, OSError, KeyError, EOFError, RuntimeError, NotImplementedError, ValueError)


def _knows(head: bytes, filename: str) -> bool:
    if head.startswith(_OLE):
        return True
    if not head.startswith(b"PK\x03\x04"):
        return False
    named = filename.lower().endswith((".xlsx", ".xlsm", ".xlsb", ".ods"))
    # The first member's name stands behind 30 bytes of its header (APPNOTE.TXT 4.3.7).
    first = head[30 : 30 + int.from_bytes(head[26:28], "little")]
    return (
        named
        or first.startswith((b"[Content_Types].xml", b"xl/", b"_rels/"))
        or (first == b"mimetype" and b"opendocument.spreadsheet" in head[:200])
    )


def _open(path: Path, limits: Limits) -> fastexcel.ExcelReader:
    _refuse_bomb(path, limits)
    return _opened(path, path.stat().st_mtime_ns)


@lru_cache(maxsize=2)
def _opened(path: Path, changed: int) -> fastexcel.ExcelReader:
    """The workbook, opened once; ``changed`` tells one file at a path from the next."""
    try:
        return fastexcel.read_excel(path)
    except BaseException as error:
        if not _is_defect(error):
            raise
        raise UnreadableFile(
            "The workbook cannot be opened: it is damaged, or protected by a password.",
            remedy="Open it in a spreadsheet, save it without a password, and choose it again.",
        ) from error


def _is_defect(error: BaseException) -> bool:
    """Whether an error says that the file is defective. The library has one class of error for every defect, and a
    panic, which is no Exception, for some."""
    return type(error).__name__ == "PanicException" or (
        isinstance(error, Exception) and not isinstance(error, MemoryError)
    )


def _refuse_bomb(path: Path, limits: Limits) -> None:
    if not zipfile.is_zipfile(path):
        return
    try:
        with zipfile.ZipFile(path) as archive:
            unpacked = sum(entry.file_size for entry in archive.infolist())
    except _DAMAGED:
        return
    if unpacked > limits.unpacked or unpacked > limits.ratio * max(path.stat().st_size, 100_000):
        raise UnreadableFile(
            f"The workbook unpacks to {unpacked:,} bytes, more than a sheet of its size should.",
            remedy="Save it anew in a spreadsheet, or raise the limits on archives.",
        )


def _sheets(path: Path, limits: Limits) -> tuple[SheetRef, ...]:
    book = _open(path, limits)
    remarks = _Remarks(path)
    found = []
    for name in book.sheet_names:
        remark = remarks.hidden(name)
        found.append(SheetRef(name=name, note="hidden" if remark else ""))
    if not found:
        raise UnreadableFile("The workbook has no sheet.", remedy="Choose a workbook that has one.")
    return tuple(found)


def _load(path: Path, sheet: str, limits: Limits) -> pl.DataFrame:
    """The cells of a sheet from its first line on, as text; null where there is nothing."""
    book = _open(path, limits)
    if sheet not in book.sheet_names:
        raise UnreadableFile(f"The workbook has no sheet “{sheet}”.", remedy="Choose one of those it has.")
    frame = _decoded(path, path.stat().st_mtime_ns, sheet).cells
    if frame.width > limits.columns:
        raise too_many_columns(frame.width, limits)
    return frame


class _Decoded(NamedTuple):
    cells: pl.DataFrame
    notes: tuple[str, ...]
    text_midnights: bool


@lru_cache(maxsize=1)
def _decoded(path: Path, changed: int, sheet: str) -> _Decoded:
    """A sheet decoded once, for the guess and for the reading: a workbook can only be decoded as a whole."""
    remarks = _Remarks(path)
    # What the library does not tell is looked for while it decodes.
    with ThreadPoolExecutor(1) as pool:
        notes = pool.submit(remarks.notes, sheet)
        midnights = pool.submit(lambda: remarks.has_text_midnights)
        return _Decoded(_cells(path, changed, sheet), notes.result(), midnights.result())


def _cells(path: Path, changed: int, sheet: str) -> pl.DataFrame:
    try:
        found = _opened(path, changed).load_sheet(sheet, header_row=None, skip_rows=0, dtypes="string")
        frame = found.to_polars()
    except BaseException as error:
        if not _is_defect(error):
            raise
        if "EmptyData" in str(error) or "no data" in str(error).lower():
            raise _no_rows(sheet) from error
        raise UnreadableFile(
            f"The sheet “{sheet}” cannot be read: {error}.", remedy="Save the workbook anew and choose it again."
        ) from error
    return frame.rename({name: str(number) for number, name in enumerate(frame.columns)})


def _no_rows(sheet: str) -> UnreadableFile:
    return UnreadableFile(
        f"The sheet “{sheet}” has no rows.", remedy="Choose another sheet of the workbook, or export it with its rows."
    )


def _guess(path: Path, sheet: str) -> Dialect:
    limits = Limits()
    book = _open(path, limits)
    name = sheet or _first_filled(path, book.sheet_names, limits)
    sample = _load(path, name, limits).head(_SAMPLE_ROWS)
    rows = [(line, [cell or "" for cell in row]) for line, row in enumerate(sample.iter_rows(), 1)]
    header_line = header_line_of(_trimmed(rows))
    body = [row for line, row in rows if line > header_line]
    # Only of a short sheet is the end among the rows that are looked at.
    footer = footer_lines_of(body, body) if len(rows) < _SAMPLE_ROWS else 0
    return Dialect(format="workbook", sheet=name, header_line=header_line, footer_lines=footer)


def _first_filled(path: Path, names: list[str], limits: Limits) -> str:
    for name in names:
        try:
            if _load(path, name, limits).height:
                return name
        except UnreadableFile:
            continue
    return names[0]


def _trimmed(rows: list[tuple[int, list[str]]]) -> list[tuple[int, list[str]]]:
    """Rows without their blank ends, so that a title above a header is narrower than the header."""
    trimmed = []
    for line, row in rows:
        width = max((index for index, cell in enumerate(row, 1) if cell.strip()), default=0)
        trimmed.append((line, row[:width]))
    return trimmed


def _read(path: Path, dialect: Dialect, limits: Limits) -> Reading:
    cells = _load(path, dialect.sheet, limits)
    if not cells.height:
        raise _no_rows(dialect.sheet)
    if dialect.header_line > cells.height:
        raise UnreadableFile(
            f"There is no header at line {dialect.header_line:,}.", remedy="Set the header line to one that exists."
        )
    decoded = _decoded(path, path.stat().st_mtime_ns, dialect.sheet)
    cells = _as_supplied(cells, decoded.text_midnights)
    notes: tuple[str, ...] = ()
    if dialect.header_line:
        header = [cell or "" for cell in cells.row(dialect.header_line - 1)]
        while (
            header
            and not header[-1].strip()
            and cells[str(len(header) - 1)][dialect.header_line :].null_count() == (cells.height - dialect.header_line)
        ):
            header.pop()
        names, notes = distinct_headers(header)
        above = cells.head(dialect.header_line - 1)
        filled = above.filter(~pl.all_horizontal(pl.all().is_null())).height
        if filled:
            stands = "1 line stands" if filled == 1 else f"{filled:,} lines stand"
            notes = (f"{stands} above the header and is no row.", *notes)
    else:
        names = tuple(f"Column {number}" for number in range(1, cells.width + 1))
    notes += decoded.notes
    body = cells.slice(dialect.header_line)
    if dialect.footer_lines:
        body = body.head(max(body.height - dialect.footer_lines, 0))
        notes += (footer_note(dialect.footer_lines),)
    return Reading(names, notes, _parts(body, names, dialect.header_line), limits)


def _as_supplied(cells: pl.DataFrame, text_midnights: bool) -> pl.DataFrame:
    """Days without a time: the library writes a date as the midnight it begins with."""
    if text_midnights:
        return cells
    midnight = r"^(\d{4}-\d\d-\d\d) 00:00:00$"
    return cells.with_columns(pl.all().str.replace(midnight, "$1"))


def _parts(body: pl.DataFrame, names: tuple[str, ...], before: int) -> Iterator[Part]:
    for first in range(0, body.height, CHUNK_ROWS):
        part = body.slice(first, CHUNK_ROWS)
        frame = part.select(
            pl.Series(ROW, range(before + first + 1, before + first + 1 + part.height), dtype=pl.Int64),
            pl.lit(None, dtype=pl.String).alias(FLAG),
            *(pl.col(str(index)).fill_null("").alias(name) for index, name in enumerate(names)),
        )
        blank = pl.all_horizontal(pl.col(*names) == "")
        again = pl.all_horizontal(pl.col(name) == name for name in names)
        kept = frame.filter(~blank).with_columns(
            pl.when(again).then(pl.lit("header again")).otherwise(FLAG).alias(FLAG)
        )
        yield Part(kept, frame.height - kept.height)


class _Remarks:
    """What an XLSX workbook says beside its cells, and the reading library does not tell: which cells are hidden,
    merged, or hold an error."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._members: dict[str, str] = {}
        self._states: dict[str, str] = {}
        try:
            with zipfile.ZipFile(path) as archive:
                self._names = set(archive.namelist())
                if "xl/workbook.xml" in self._names:
                    self._index(archive)
        except _DAMAGED:
            self._names = set()

    def _index(self, archive: zipfile.ZipFile) -> None:
        book = archive.read("xl/workbook.xml").decode("utf-8", "replace")
        rels = archive.read("xl/_rels/workbook.xml.rels").decode("utf-8", "replace")
        targets = {}
        for tag in re.findall(r"<Relationship\b[^>]*>", rels):
            attributes = dict(re.findall(r'(\w+)="([^"]*)"', tag))
            targets[attributes.get("Id", "")] = attributes.get("Target", "").removeprefix("/xl/")
        for tag in re.findall(r"<sheet\b[^>]*>", book):
            attributes = dict(re.findall(r'([\w:]+)="([^"]*)"', tag))
            name = _unescaped(attributes.get("name", ""))
            self._members[name] = "xl/" + targets.get(attributes.get("r:id", ""), "")
            self._states[name] = attributes.get("state", "visible")

    def hidden(self, sheet: str) -> bool:
        return self._states.get(sheet, "visible") != "visible"

    @property
    def has_text_midnights(self) -> bool:
        """Whether some cell is a text that looks as the library writes a date."""
        return "xl/sharedStrings.xml" in self._names and self._found(
            "xl/sharedStrings.xml", rb">\d{4}-\d\d-\d\d 00:00:00<"
        )

    def notes(self, sheet: str) -> tuple[str, ...]:
        member = self._members.get(sheet, "")
        if member not in self._names:
            return ()
        merged, rows, columns, errors = self._counts(member)
        sentences = []
        if errors:
            cells = "1 cell holds" if len(errors) == 1 else f"{len(errors):,} cells hold"
            sentences.append(f"{cells} the error of a formula and {_are(len(errors))} read as blank: {_some(errors)}.")
        if merged:
            cells = "1 group of cells is" if merged == 1 else f"{merged:,} groups of cells are"
            sentences.append(f"{cells} merged; the value stands in the first cell of each, the others are blank.")
        if rows:
            sentences.append(f"{rows:,} hidden {'row' if rows == 1 else 'rows'} {_are(rows)} read as well.")
        if columns:
            sentences.append(
                f"{columns:,} hidden {'column' if columns == 1 else 'columns'} {_are(columns)} read as well."
            )
        return tuple(sentences)

    def _counts(self, member: str) -> tuple[int, int, int, list[str]]:
        merged = rows = columns = 0
        errors: list[str] = []
        for block in self._blocks(member):
            if b't="e"' in block:
                tags = re.findall(rb'<c\b[^>]*\bt="e"[^>]*>', block)
                places = (re.search(rb'\br="([A-Z]+\d+)"', tag) for tag in tags)
                errors += [place[1].decode() if place else "?" for place in places]
            merged += block.count(b"<mergeCell ")
            if b"hidden" in block:
                rows += len(re.findall(rb'<row\b[^>]*\bhidden="(?:1|true)"', block))
                for tag in re.findall(rb'<col\b[^>]*\bhidden="(?:1|true)"[^>]*>', block):
                    span = dict(re.findall(rb'\b(min|max)="(\d+)"', tag))
                    columns += int(span.get(b"max", 1)) - int(span.get(b"min", 1)) + 1
        return merged, rows, columns, errors

    def _found(self, member: str, pattern: bytes) -> bool:
        return any(re.search(pattern, block) for block in self._blocks(member))

    def _blocks(self, member: str) -> Iterator[bytes]:
        """The text of a member, cut between tags."""
        # What the remarks miss in a damaged workbook, the reading of its cells will tell.
        with suppress(*_DAMAGED), zipfile.ZipFile(self._path) as archive, archive.open(member) as file:
            rest = b""
            while block := file.read(1024 * 1024):
                block = rest + block
                cut = block.rfind(b"<") if len(block) < 16 * 1024 * 1024 else len(block)
                cut = len(block) if cut <= 0 else cut
                yield block[:cut]
                rest = block[cut:]
            yield rest


def _are(count: int) -> str:
    return "is" if count == 1 else "are"


def _some(places: list[str]) -> str:
    """The first few places by name."""
    return ", ".join(places[:_SHOWN]) + (f" and {len(places) - _SHOWN:,} more" if len(places) > _SHOWN else "")


def _unescaped(text: str) -> str:
    for entity, letter in (("&lt;", "<"), ("&gt;", ">"), ("&quot;", '"'), ("&apos;", "'"), ("&amp;", "&")):
        text = text.replace(entity, letter)
    return text


def _forget() -> None:
    _opened.cache_clear()
    _decoded.cache_clear()


WORKBOOK = Format("workbook", _knows, _sheets, _guess, _read, certain, _forget)
