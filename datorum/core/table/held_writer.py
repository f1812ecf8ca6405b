"""Rows given back for correction: as supplied, each with its line and its reasons, as XLSX or CSV."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path

from datorum.core.table.csv_writer import write_csv
from datorum.core.table.text_book import LONGEST_CELL, TextBook

ROW_HEADER = "Row"
WHY_HEADER = "Why held"

HeldRow = tuple[int | str, str, Sequence[str | None]]
"""A row by its number, or a name where it is of another sheet; the reasons; the cells."""


def write_held(path: Path, headers: Sequence[str], rows: Iterable[HeldRow]) -> None:
    """Write held rows to a workbook or, where the name does not end so, to CSV.

    Every cell of the workbook is text, so that a spreadsheet neither computes it nor drops its zeros.
    """
    header = [*headers, ROW_HEADER, WHY_HEADER]
    if path.suffix.lower() != ".xlsx":
        path.write_bytes(write_csv(header, ((*cells, str(line), why) for line, why, cells in rows)))
        return
    book = TextBook(path)
    wrapped = book.book.add_format({"text_wrap": True})
    sheet = book.sheet("Held rows", header)
    sheet.set_column(0, len(headers) - 1, 18)
    sheet.set_column(len(headers) + 1, len(headers) + 1, 60)
    for number, (line, why, cells) in enumerate(rows, 1):
        book.write(sheet, number, cells)
        sheet.write(number, len(headers), line)
        sheet.write_string(number, len(headers) + 1, why[:LONGEST_CELL], wrapped)
    book.book.close()
