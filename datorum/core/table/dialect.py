"""How a text file is written: its encoding, delimiter, quote and header line. Guessed, shown, and open to change."""

from __future__ import annotations

import codecs
import csv
import io
import re
from collections import Counter
from typing import BinaryIO

from charset_normalizer import from_bytes
from pydantic import BaseModel, Field, field_validator, model_validator

from datorum.core.errors import UnreadableFile
from datorum.core.table.text_blocks import is_utf8, whole_characters

DELIMITERS = (",", ";", "\t", "|")
_RARE_DELIMITERS = ("^", "~", "¦", "§", ":", " ")
_IN_TEXTS = (":", " ")
_SAMPLE = 256 * 1024
_TAIL = 16 * 1024
_BOMS = (
    (codecs.BOM_UTF8, "utf-8-sig"),
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF32_BE, "utf-32"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)
# What a line below the rows begins with, in the languages of web shops.
_TOTALS = re.compile(
    r"(?i)^\W*(grand |sub)?-?(totals?|totalt|sum|summe|gesamt|gesamtsumme|subtotal|delsum|end of|eof|generated|"
    r"exported|erstellt|created (on|by|at)|report|page|"
    r"\d[\d,. ]* (rows?|records?|orders?|customers?|products?|items?|lines?|zeilen|rader))\b"
)


class Dialect(BaseModel, frozen=True):
    """How to read a file.

    ``format`` names the reader; ``sheet`` which of the file's sheets, where it has several. The rest is for delimited
    text (RFC 4180 and its relatives) and, where it makes sense, for workbooks: ``header_line`` is the line, counted
    from 1, where the header begins, 0 when there is none; ``footer_lines`` how many rows at the end are totals or
    remarks; ``escape`` the mark before a quote inside quotes, empty where such a quote is doubled.
    """

    format: str = "delimited"
    sheet: str = Field(default="", max_length=1000)
    encoding: str = "utf-8"
    delimiter: str = Field(default=",", min_length=1, max_length=1)
    quote: str = Field(default='"', max_length=1)
    escape: str = Field(default="", max_length=1)
    header_line: int = Field(default=1, ge=0)
    footer_lines: int = Field(default=0, ge=0, le=1000)

    @field_validator("encoding")
    @classmethod
    def _known_encoding(cls, encoding: str) -> str:
        try:
            known = codecs.lookup(encoding)
        except LookupError:
            raise ValueError(f"there is no encoding “{encoding}”; utf-8 or windows-1252 are usual") from None
        if not known._is_text_encoding:
            raise ValueError(f"“{encoding}” is not an encoding of text")
        return encoding

    @field_validator("delimiter")
    @classmethod
    def _usable_delimiter(cls, delimiter: str) -> str:
        if delimiter in '\r\n"\0':
            raise ValueError("a line end or a quote cannot stand between cells")
        return delimiter

    @model_validator(mode="after")
    def _marks_differ(self) -> Dialect:
        if self.quote and self.quote == self.delimiter:
            raise ValueError("what stands between the cells cannot stand around them as well")
        if self.escape and self.escape in (self.delimiter, "\r", "\n"):
            raise ValueError("what stands before a quote cannot stand between cells")
        if self.quote in ("\r", "\n", "\0"):
            raise ValueError("a line end cannot stand around cells")
        return self


def guess_dialect(source: bytes | BinaryIO) -> Dialect:
    """The likeliest dialect of a text file.

    Raises UnreadableFile where it is empty or no text at all.
    """
    file = io.BytesIO(source) if isinstance(source, bytes) else source
    encoding = guess_encoding(file)
    text = _head(file, encoding)
    quote = _guess_quote(text)
    delimiter = _guess_delimiter(text, quote)
    if delimiter == "," and _is_one_column_of_amounts(text):
        delimiter = next((one for one in DELIMITERS if one not in text), delimiter)
    escape = "\\" if quote and len(re.findall(rf"\\{quote}(?![{re.escape(delimiter)}\r\n])", text)) > 0 else ""
    return guess_lines(file, Dialect(encoding=encoding, delimiter=delimiter, quote=quote, escape=escape))


def guess_lines(source: bytes | BinaryIO, dialect: Dialect) -> Dialect:
    """A dialect with the lines of the header and behind the rows that are likeliest under the rest of it."""
    file = io.BytesIO(source) if isinstance(source, bytes) else source
    rows = _sample_rows(_head(file, dialect.encoding), dialect)
    dialect = dialect.model_copy(update={"header_line": header_line_of(rows)})
    return dialect.model_copy(update={"footer_lines": _guess_footer(file, dialect, rows)})


def confidence(source: bytes | BinaryIO, dialect: Dialect) -> float:
    """How well a dialect fits a text file, 0 to 1: the share of its first rows that are as wide as its header."""
    file = io.BytesIO(source) if isinstance(source, bytes) else source
    text = _head(file, dialect.encoding)
    rows = [row for line, row in _sample_rows(text, dialect) if row and line >= dialect.header_line]
    if not rows:
        return 0.0
    fit = sum(len(row) == len(rows[0]) for row in rows) / len(rows)
    # One column fits any text; bytes that do not decode speak against the encoding.
    return round(fit * (0.5 if len(rows[0]) == 1 else 1.0) * (0.5 if "\ufffd" in text else 1.0), 2)


def guess_encoding(source: bytes | BinaryIO) -> str:
    """The encoding by byte order mark, else UTF-8 if all of it decodes, else the best statistical guess.

    Raises UnreadableFile where the bytes are none or no text.
    """
    file = io.BytesIO(source) if isinstance(source, bytes) else source
    file.seek(0)
    sample = file.read(_SAMPLE)
    if not sample.strip():
        raise UnreadableFile("The file is empty.", remedy="Export it again, and look whether the export has any rows.")
    for bom, encoding in _BOMS:
        if sample.startswith(bom):
            return encoding
    if (wide := _utf16_without_bom(sample)) is not None:
        return wide
    control = sum(sample.count(bytes([byte])) for byte in range(32) if byte not in b"\t\n\r\f\x0b\x1a\x1b")
    if control > len(sample) // 200:
        raise UnreadableFile(
            "The file is not text, and no workbook or archive that Datorum reads.",
            remedy="Export the sheet as CSV or as a workbook (XLSX, ODS), and choose that file.",
        )
    doubtful = _where_utf8_ends(file)
    if doubtful is None:
        return "utf-8"
    if _is_western(doubtful):
        return "windows-1252"
    # The western encodings differ in few bytes; where one of them is guessed, Windows-1252 reads them all.
    best = from_bytes(doubtful, cp_exclusion=["utf_8"]).best()
    guess = best.encoding if best else "cp1252"
    if guess in _WESTERN:
        return "windows-1252"
    return {"cp932": "shift-jis", "shift_jis": "shift-jis"}.get(guess, guess.replace("_", "-"))


_WESTERN = {
    "cp1252", "cp1250", "latin_1", "iso8859_15", "cp1257", "cp850", "cp437", "mac_roman", "hp_roman8", "cp858",
    "cp1254",
}  # fmt: skip


_WESTERN_MARKS = "€‚„…‘’“”•–—°§²³«»¿¡·×ªº£©®½¼¾\u00a0"


def _is_western(sample: bytes) -> bool:
    """Whether a few letters with accents, as Windows-1252 has them, stand among many without: too few to judge a
    language by."""
    text = sample.decode("cp1252", "replace")
    odd = [letter for letter in text if not letter.isascii()]
    plain = sum(letter.isalpha() for letter in text) - len(odd)
    return len(odd) * 5 < plain and all(letter.isalpha() or letter in _WESTERN_MARKS for letter in odd)


def _where_utf8_ends(file: BinaryIO) -> bytes | None:
    """Some bytes around the first that is no UTF-8; None where all of them are."""
    file.seek(0)
    before = cut = b""
    while True:
        read = file.read(4 * 1024 * 1024)
        block, cut = whole_characters(cut + read) if read else (cut, b"")
        if not is_utf8(block):
            around = before[-_SAMPLE:] + block
            at = min(len(before), _SAMPLE) + _first_odd(block)
            return around[max(at - _SAMPLE // 8, 0) : at + _SAMPLE]
        if not read:
            return None
        before = block


def _first_odd(block: bytes) -> int:
    """Where bytes cease to be UTF-8."""
    try:
        block.decode("utf-8")
    except UnicodeDecodeError as error:
        return error.start
    return len(block)


def _utf16_without_bom(sample: bytes) -> str | None:
    """UTF-16 of mostly Latin letters: every other byte is 0."""
    even, odd = sample[0:4000:2].count(0), sample[1:4000:2].count(0)
    half = min(len(sample), 4000) // 2
    if half > 4 and odd > 0.6 * half and even < 0.1 * half:
        return "utf-16-le"
    if half > 4 and even > 0.6 * half and odd < 0.1 * half:
        return "utf-16-be"
    return None


def _head(file: BinaryIO, encoding: str) -> str:
    """The text that the file begins with, up to its last whole line."""
    file.seek(0)
    raw = file.read(_SAMPLE)
    text = codecs.getincrementaldecoder(encoding)("replace").decode(raw).removeprefix("\ufeff")
    if len(raw) < _SAMPLE:
        return text
    return text[: max(text.rfind("\n"), text.rfind("\r")) + 1] or text


def _guess_quote(text: str) -> str:
    if '"' in text:
        return '"'
    single = len(re.findall(r"(?:^|[,;\t|])'[^'\n]*'(?=$|[,;\t|])", text, re.MULTILINE))
    return "'" if single > 2 and single * 2 > text.count("'") / 2 else '"'


def _guess_delimiter(text: str, quote: str) -> str:
    """The delimiter that gives the most lines the same number of cells, more than one.

    A rare one counts only where no usual one divides the lines; one that stands in texts as well, where it divides all
    of them alike.
    """
    best, best_score = ",", 0.0
    for delimiter in DELIMITERS:
        widths = _widths(text, delimiter, quote)
        total = widths.total()
        if not total:
            continue
        width, count = max(widths.items(), key=lambda item: (item[1] * (item[0] > 1), item[0]))
        score = (count / total) * min(width, 40) ** 0.25 if width > 1 else 0.0
        if score > best_score:
            best, best_score = delimiter, score
    if best_score:
        return best
    for delimiter in _RARE_DELIMITERS:
        widths = _widths(text, delimiter, quote)
        lines = widths.total()
        # Two words on every line are names rather than cells.
        least = 3 if delimiter == " " else 2
        divided = sum(count for width, count in widths.items() if width >= least)
        if lines > 1 and (divided == lines and len(widths) == 1 if delimiter in _IN_TEXTS else divided > 0.7 * lines):
            return delimiter
    return best


_AMOUNT = re.compile(r"^\s*[^\d,;\t|]{0,8}[+-]?\d[\d.' ]*(?:,\d{1,3})*(?:\.\d+)?\s*[^\d,;\t|]{0,8}\s*$")


def _is_one_column_of_amounts(text: str) -> bool:
    """Whether a word stands above lines that are each an amount, its marks being no delimiters."""
    header, *lines = [line for line in text.splitlines() if line.strip()][:200] or [""]
    return bool(lines) and re.fullmatch(r"[^\d,;\t|]+", header) is not None and all(map(_AMOUNT.match, lines))


def _widths(text: str, delimiter: str, quote: str) -> Counter[int]:
    dialect = Dialect(delimiter=delimiter, quote=quote)
    return Counter(len(row) for _, row in _sample_rows(text, dialect) if row)


def header_line_of(sample: list[tuple[int, list[str]]]) -> int:
    """The line of the first row that is as wide as most and about as full, or 0 where that row is like all others."""
    rows = [(line, row, sum(bool(cell.strip()) for cell in row)) for line, row in sample]
    rows = [one for one in rows if one[2]][:200]
    if not rows:
        return 1
    usual = Counter(len(row) for _, row, _ in rows).most_common(1)[0][0]
    fullness = sorted(filled for _, row, filled in rows if len(row) == usual)
    full_enough = fullness[len(fullness) // 2] / 2
    at = next(at for at, (_, row, filled) in enumerate(rows) if len(row) >= usual and filled >= full_enough)
    header, body = rows[at][1], [row for _, row, _ in rows[at + 1 :]]
    return 0 if _is_data(header, body) else rows[at][0]


_VALUE = re.compile(r"^\s*(?:[-+]?[\d.,]*\d[\d.,:/ -]*|\S+@\S+\.\S+|https?://\S+)\s*$")


def _is_data(first: list[str], body: list[list[str]]) -> bool:
    """Whether a first row holds values such as the rows below it, and so is no header."""
    values = [index for index, cell in enumerate(first) if _VALUE.match(cell)]
    if not body or not values:
        return False
    alike = [index for index in values if any(index < len(row) and _VALUE.match(row[index]) for row in body[:20])]
    return len(alike) >= 2 or len(alike) == len(first)


def _guess_footer(file: BinaryIO, dialect: Dialect, sample: list[tuple[int, list[str]]]) -> int:
    body = [row for line, row in sample if line > dialect.header_line and row]
    if codecs.lookup(dialect.encoding).name.startswith(("utf-16", "utf-32")):
        return 0
    end = file.seek(0, io.SEEK_END)
    file.seek(max(end - _TAIL, 0))
    tail = file.read().decode(dialect.encoding, "replace")
    # The first of these may begin in the middle of a record.
    return footer_lines_of(body, [row for _, row in _sample_rows(tail, dialect, _TAIL) if row][1:])


def footer_lines_of(body: list[list[str]], last: list[list[str]]) -> int:
    """How many of the last rows are totals or remarks: emptier than the rows of the body, and worded like one."""
    if len(body) < 3:
        return 0
    usual = sorted(sum(bool(cell.strip()) for cell in row) for row in body)[len(body) // 2]
    found = 0
    for row in reversed(last[-6:]):
        filled = [cell for cell in row if cell.strip()]
        if filled and (len(filled) >= usual or not _TOTALS.match(filled[0].strip())):
            break
        found += 1
    return found


def _sample_rows(text: str, dialect: Dialect, most: int = 500) -> list[tuple[int, list[str]]]:
    """The first rows of a text with the lines on which they begin."""
    if dialect.escape:
        text = text.replace(dialect.escape + dialect.quote, dialect.quote * 2)
    csv.field_size_limit(10_000_000)
    reader = csv.reader(
        io.StringIO(text, newline=""),
        delimiter=dialect.delimiter,
        quotechar=dialect.quote or None,
        quoting=csv.QUOTE_MINIMAL if dialect.quote else csv.QUOTE_NONE,
    )
    rows: list[tuple[int, list[str]]] = []
    line = 1
    try:
        for row in reader:
            rows.append((line, row))
            line = reader.line_num + 1
            if len(rows) >= most:
                break
    except csv.Error:
        pass
    return rows
