"""JSON (RFC 8259) and NDJSON into sheets: an array of objects is a sheet, a nested object gives dotted columns, a
nested list stays a list, and numbers stay as they are written."""

from __future__ import annotations

import codecs
import itertools
import json
import re
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

import polars as pl

from datorum.core.errors import Place, UnreadableFile
from datorum.core.table.dialect import Dialect, guess_encoding
from datorum.core.table.formats import Format, SheetRef, certain
from datorum.core.table.sheet import FLAG, ROW, ColumnNames, Limits, Part, Reading, too_many_columns
from datorum.core.table.text_blocks import LONGEST_LINE, line_too_long

_TOKEN = re.compile(r'"(?:[^"\\]|\\.)*(?:"|\\?\Z)|[{}\[\],:\n]|[^\s"{}\[\],:]+', re.DOTALL)
"""A text that is not closed goes to the end of what was read: the rest of it may come."""
_READ = 1024 * 1024
_BATCH = 8_192
_SAMPLE = 2000
MAX_DEPTH = 200


class _Item(NamedTuple):
    """One value of an array: the array's path as a JSON Pointer (RFC 6901), its line, and its text."""

    path: str
    line: int
    text: str


def _knows_lines(head: bytes, filename: str) -> bool:
    lines = [line for line in _text(head).split("\n") if line.strip()]
    if not lines or not lines[0].lstrip().startswith("{"):
        return False
    whole = lines[:-1] if len(lines) > 1 else lines
    named = filename.lower().endswith((".ndjson", ".jsonl"))
    if named and len(lines) == 1:
        # The line may be longer than what is looked at.
        return True
    return (named or len(whole) > 1) and _is_object(whole[0])


def _is_object(line: str) -> bool:
    try:
        return isinstance(json.loads(line), dict)
    except (ValueError, RecursionError):
        return False


def _knows(head: bytes, filename: str) -> bool:
    return _text(head).lstrip()[:1] in ("[", "{")


def _text(head: bytes) -> str:
    for bom, encoding in ((codecs.BOM_UTF8, "utf-8"), (codecs.BOM_UTF16_LE, "utf-16"), (codecs.BOM_UTF16_BE, "utf-16")):
        if head.startswith(bom):
            return head.decode(encoding, "replace").lstrip("\ufeff")
    return head.decode("utf-8", "replace")


def _characters(path: Path) -> Iterator[str]:
    """The text of a file, some at a time."""
    with path.open("rb") as file:
        encoding = guess_encoding(file)
        file.seek(0)
        decoder = codecs.getincrementaldecoder(encoding)("replace")
        while block := file.read(_READ):
            yield decoder.decode(block).removeprefix("\ufeff")
        yield decoder.decode(b"", True)


def _tokens(path: Path) -> Iterator[tuple[str, int]]:
    """Each token of a JSON text with the line on which it begins. Raises UnreadableFile for a text that ends early."""
    rest, line = "", 1
    for block in _characters(path):
        text = rest + block
        # The last token may go on in the next block.
        last: re.Match[str] | None = None
        for match in _TOKEN.finditer(text):
            if last is not None:
                if last.group() != "\n":
                    yield last.group(), line
                line += last.group().count("\n")
            last = match
        rest = text[last.start() :] if last is not None else ""
        if len(rest) > LONGEST_LINE:
            raise UnreadableFile(
                "A text in the file is never closed.", remedy="Export the file again.", place=Place(row=line)
            )
    if rest:
        tail = _TOKEN.fullmatch(rest.rstrip())
        if tail is None or not _is_closed(tail.group()):
            raise UnreadableFile(
                f"The JSON ends in the middle of a text that begins at line {line:,}.",
                remedy="Export the file again; it was probably cut off.",
                place=Place(row=line),
            )
        yield tail.group(), line


def _is_closed(token: str) -> bool:
    """Whether a token is no text whose end is missing."""
    return not token.startswith('"') or re.fullmatch(r'"(?:[^"\\]|\\.)*"', token, re.DOTALL) is not None


def _items(path: Path, wanted: str | None) -> Iterator[_Item]:
    """The values of every array of objects, or of the one at ``wanted``, with their text.

    Of nested arrays only the outermost is gone into: what is inside a record is the record's.
    """
    stack: list[tuple[str, str | None]] = []
    name: str | None = None
    inside: list[str] | None = None
    depth, began, here = 0, 1, ""
    for piece, line in _tokens(path):
        if inside is not None:
            inside.append(piece)
            depth += (piece in ("{", "[")) - (piece in ("}", "]"))
            if depth == 0:
                yield _Item(here, began, "".join(inside))
                inside = None
            continue
        within = stack[-1][0] if stack else ""
        if piece in ("{", "["):
            here = _pointer(stack)
            if within == "[" and (wanted is None or here == wanted):
                inside, depth, began = [piece], 1, line
                continue
            if len(stack) > MAX_DEPTH:
                raise UnreadableFile("The JSON is nested too deep.", remedy="Export a flatter file.")
            stack.append((piece, name if within == "{" else None))
            name = None
        elif piece in ("}", "]"):
            stack = stack[:-1]
            name = None
        elif piece == ",":
            name = None
        elif within == "{" and name is None and piece.startswith('"'):
            name = _name(piece, line)
        elif within == "[" and wanted is not None and _pointer(stack) == wanted:
            yield _Item(wanted, line, piece)
    if stack or inside is not None:
        raise UnreadableFile(
            "The JSON ends before all that it opens is closed.",
            remedy="Export the file again; it was probably cut off.",
        )


def _name(piece: str, line: int) -> str:
    try:
        return str(json.loads(piece, strict=False))
    except ValueError:
        raise UnreadableFile(
            f"A name at line {line:,} of the JSON is not written as JSON has it.",
            remedy="Export the file again, or have its maker look at this line.",
            place=Place(row=line),
        ) from None


def _pointer(stack: list[tuple[str, str | None]]) -> str:
    return "".join(f"/{_pointed(key)}" for _, key in stack if key is not None)


def _pointed(key: str) -> str:
    return key.replace("~", "~0").replace("/", "~1")


def _sheets(path: Path, limits: Limits) -> tuple[SheetRef, ...]:
    counts: Counter[str] = Counter(item.path for item in _items(path, None))
    if not counts:
        raise UnreadableFile(
            "The JSON has no list of records.", remedy="Export a list of objects, or an object that has one."
        )
    return tuple(SheetRef(name=name, rows=count) for name, count in counts.most_common())


def _sheets_of_lines(path: Path, limits: Limits) -> tuple[SheetRef, ...]:
    return (SheetRef(name=""),)


def _guess(path: Path, sheet: str) -> Dialect:
    if not sheet:
        sheet = max(_sheets(path, Limits()), key=lambda ref: ref.rows or 0).name
    return Dialect(format="json", sheet=sheet, header_line=0)


def _guess_lines(path: Path, sheet: str) -> Dialect:
    return Dialect(format="ndjson", header_line=0)


def _read(path: Path, dialect: Dialect, limits: Limits) -> Reading:
    return records_reading(((item.line, _record(item.text)) for item in _items(path, dialect.sheet)), limits)


def _read_lines(path: Path, dialect: Dialect, limits: Limits) -> Reading:
    return records_reading(((line, _record(text)) for line, text in _lines(path)), limits)


def _lines(path: Path) -> Iterator[tuple[int, str]]:
    rest, line = "", 1
    for block in _characters(path):
        *whole, rest = (rest + block).split("\n")
        if len(rest) > LONGEST_LINE:
            raise line_too_long(line + len(whole))
        for text in whole:
            if text.strip():
                yield line, text
            line += 1
    if rest.strip():
        yield line, rest


def _record(text: str) -> dict[str, str | None] | str:
    """The columns of a record, or its text where it is none."""
    try:
        value = json.loads(text, parse_float=_Number, parse_int=_Number, parse_constant=_Number)
    except (ValueError, RecursionError):
        return text
    if not isinstance(value, dict):
        return text
    return flattened(value)


def flattened(record: dict[str, Any], before: str = "") -> dict[str, str | None]:
    """Nested objects as dotted columns; lists, and objects nested too deep, as JSON."""
    columns: dict[str, str | None] = {}
    for key, value in record.items():
        name = f"{before}{key}"
        if isinstance(value, dict) and value and name.count(".") < 20:
            columns |= flattened(value, f"{name}.")
        else:
            columns[name] = _cell(value)
    return columns


def _cell(value: Any) -> str | None:
    if value is None or value == {}:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    return str(value) if isinstance(value, str) else _json(value)


class _Number(str):
    """A number as it is written."""


def _json(value: Any) -> str:
    """A list or object as JSON, its numbers as they were written."""
    if isinstance(value, list):
        return f"[{', '.join(map(_json, value))}]"
    if isinstance(value, dict):
        return f"{{{', '.join(f'{json.dumps(key, ensure_ascii=False)}: {_json(one)}' for key, one in value.items())}}}"
    return value if isinstance(value, _Number) else json.dumps(value, ensure_ascii=False)


Record = tuple[int, dict[str, str | None] | str]
"""A line, and what stands there: the columns of a record, or a text that is none."""


def records_reading(records: Iterator[Record], limits: Limits) -> Reading:
    """A sheet of records each of which has columns of its own.

    The first records give the columns; those that come later are added as they come. No two rows have one number:
    of records that begin on one line, each after the first is numbered one on.
    """
    numbered = _Numbered(records)
    ahead = list(itertools.islice(numbered, _SAMPLE))
    if not ahead:
        raise UnreadableFile("The list of records is empty.", remedy="Export it again with its records.")
    names = _Names(limits)
    names.see(ahead)
    if not names.headers:
        raise UnreadableFile(
            "The list holds no records, only plain values.", remedy="Export a list of objects with named values."
        )
    return Reading(names.headers, (), _batches(ahead, numbered, names), limits)


_SHARED_LINES = "Several records begin on one line of the file; each after the first is numbered one on."


class _Numbered:
    """Records with numbers that rise, and what has to be said where they are not the lines."""

    def __init__(self, records: Iterator[Record]) -> None:
        self._records = records
        self._last = 0
        self._shared = self._told = False

    def __iter__(self) -> Iterator[Record]:
        return self

    def __next__(self) -> Record:
        line, columns = next(self._records)
        self._shared |= line <= self._last
        self._last = max(line, self._last + 1)
        return self._last, columns

    def notes(self) -> tuple[str, ...]:
        """What is to be told, once."""
        if self._told or not self._shared:
            return ()
        self._told = True
        return (_SHARED_LINES,)


class _Names:
    """The names of the columns by the keys of the records, as the keys turn up."""

    def __init__(self, limits: Limits) -> None:
        self._limits = limits
        self._distinct = ColumnNames()
        self.by_key: dict[str, str] = {}

    @property
    def headers(self) -> tuple[str, ...]:
        return tuple(self._distinct)

    def see(self, batch: list[Record]) -> None:
        for _, columns in batch:
            if isinstance(columns, str) or columns.keys() <= self.by_key.keys():
                continue
            for key in columns:
                if key not in self.by_key:
                    self.by_key[key] = self._distinct.add(_whole(key) if key.strip() else "")
            if len(self.by_key) > self._limits.columns:
                raise too_many_columns(len(self.by_key), self._limits)


def _batches(ahead: list[Record], records: _Numbered, names: _Names) -> Iterator[Part]:
    batch = ahead
    while batch:
        names.see(batch)
        yield Part(_frame(batch, names), notes=records.notes())
        batch = list(itertools.islice(records, _BATCH))


def _frame(batch: list[Record], names: _Names) -> pl.DataFrame:
    first = names.headers[0]
    series = {
        ROW: pl.Series([line for line, _ in batch], dtype=pl.Int64),
        FLAG: pl.Series(["unreadable" if isinstance(columns, str) else None for _, columns in batch], dtype=pl.String),
    }
    for key, name in names.by_key.items():
        cells = [
            (columns if name == first else None) if isinstance(columns, str) else columns.get(key, "")
            for _, columns in batch
        ]
        series[name] = _column(cells)
    return pl.DataFrame(series)


def _column(cells: list[str | None]) -> pl.Series:
    try:
        return pl.Series(cells, dtype=pl.String)
    except UnicodeEncodeError:
        return pl.Series([cell if cell is None else _whole(cell) for cell in cells], dtype=pl.String)


def _whole(text: str) -> str:
    """A text whose halves of characters (lone surrogates, which JSON can write) are U+FFFD, as no text has them."""
    return text.encode("utf-16", "surrogatepass").decode("utf-16", "replace")


JSON = Format("json", _knows, _sheets, _guess, _read, certain)
NDJSON = Format("ndjson", _knows_lines, _sheets_of_lines, _guess_lines, _read_lines, certain)
