"""How a text file is written: its encoding, delimiter, quote and header line. Guessed, shown, and open to change."""

from __future__ import annotations

import codecs
import csv
import io
from collections import Counter

from charset_normalizer import from_bytes
from pydantic import BaseModel, Field, field_validator

from datorum.core.errors import UnreadableFile

DELIMITERS = (",", ";", "\t", "|")
_SAMPLE = 256 * 1024
_BOMS = ((codecs.BOM_UTF8, "utf-8-sig"), (codecs.BOM_UTF16_LE, "utf-16"), (codecs.BOM_UTF16_BE, "utf-16"))


class Dialect(BaseModel, frozen=True):
    """How to read the bytes of a delimited text file (RFC 4180 and its relatives).

    ``header_line`` is the line, counted from 1, where the header begins; 0 when there is none.
    """

    encoding: str = "utf-8"
    delimiter: str = Field(default=",", min_length=1, max_length=1)
    quote: str = Field(default='"', max_length=1)
    header_line: int = Field(default=1, ge=0)

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


def guess_dialect(data: bytes) -> Dialect:
    """The likeliest dialect of a file's bytes.

    Raises UnreadableFile where the bytes are empty or no text at all.
    """
    if not data.strip():
        raise UnreadableFile("The file is empty.", remedy="Export it again, and look whether the export has any rows.")
    encoding = guess_encoding(data)
    text = data[:_SAMPLE].decode(encoding, errors="replace")
    delimiter = _guess_delimiter(text)
    return Dialect(encoding=encoding, delimiter=delimiter, header_line=_guess_header_line(text, delimiter))


def guess_encoding(data: bytes) -> str:
    """The encoding by byte order mark, else UTF-8 if it decodes, else the best statistical guess.

    Raises UnreadableFile where the bytes are no text.
    """
    for bom, encoding in _BOMS:
        if data.startswith(bom):
            return encoding
    sample = data[:_SAMPLE]
    control = sum(sample.count(bytes([byte])) for byte in range(32) if byte not in b"\t\n\r\f\x0b\x1a\x1b")
    if control > len(sample) // 200:
        raise UnreadableFile(
            "The file is not text: it may be a workbook, a picture or an archive.",
            remedy="Export the sheet as CSV and choose that file.",
        )
    try:
        data.decode("utf-8")
    except UnicodeDecodeError:
        # The western encodings differ in few bytes; where one of them is guessed, Windows-1252 reads them all.
        best = from_bytes(sample, cp_exclusion=["utf_8"]).best()
        guess = best.encoding if best else "cp1252"
        if guess in ("cp1250", "latin_1", "iso8859_15", "cp1257", "cp850", "cp437", "mac_roman", "hp_roman8"):
            guess = "cp1252"
        return "windows-1252" if guess == "cp1252" else guess.replace("_", "-")
    return "utf-8"


def _guess_delimiter(text: str) -> str:
    """The delimiter that gives the most lines the same number of cells, more than one."""
    best, best_score = ",", 0.0
    for delimiter in DELIMITERS:
        widths = Counter(len(row) for row in _sample_rows(text, delimiter) if row)
        total = widths.total()
        if not total:
            continue
        width, count = max(widths.items(), key=lambda item: (item[1] * (item[0] > 1), item[0]))
        score = (count / total) * min(width, 40) ** 0.25 if width > 1 else 0.0
        if score > best_score:
            best, best_score = delimiter, score
    return best


def _guess_header_line(text: str, delimiter: str) -> int:
    """The line of the first row that is as wide as most and about as full: titles above a header are neither."""
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)
    rows: list[tuple[int, int, int]] = []
    line = 1
    try:
        for row in reader:
            filled = sum(bool(cell.strip()) for cell in row)
            if filled:
                rows.append((line, len(row), filled))
            line = reader.line_num + 1
            if len(rows) >= 200:
                break
    except csv.Error:
        pass
    if not rows:
        return 1
    usual = Counter(width for _, width, _ in rows).most_common(1)[0][0]
    fullness = sorted(filled for _, width, filled in rows if width == usual)
    full_enough = fullness[len(fullness) // 2] / 2
    return next(start for start, width, filled in rows if width >= usual and filled >= full_enough)


def _sample_rows(text: str, delimiter: str) -> list[list[str]]:
    rows = []
    try:
        for row in csv.reader(io.StringIO(text, newline=""), delimiter=delimiter):
            rows.append(row)
            if len(rows) >= 500:
                break
    except csv.Error:
        pass
    return rows
