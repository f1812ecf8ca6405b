"""Rows given back for correction: as supplied, each with its line and its reasons, as XLSX or CSV."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

import xlsxwriter

from datorum.core.table.csv_writer import write_csv

ROW_HEADER = "Row"
WHY_HEADER = "Why held"
_LONGEST_CELL = 32_767
"""As many characters as a cell of a workbook holds (ISO/IEC 29500)."""


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
    book = xlsxwriter.Workbook(str(path), {"constant_memory": True, "strings_to_formulas": False})
    sheet = book.add_worksheet("Held rows")
    bold, wrapped = book.add_format({"bold": True}), book.add_format({"text_wrap": True})
    text = book.add_format({"num_format": "@"})
    sheet.freeze_panes(1, 0)
    sheet.set_column(0, len(headers) - 1, 18)
    sheet.set_column(len(headers) + 1, len(headers) + 1, 60)
    _write(sheet, 0, header, bold)
    for number, (line, why, cells) in enumerate(rows, 1):
        _write(sheet, number, cells, text)
        sheet.write(number, len(headers), line)
        sheet.write_string(number, len(headers) + 1, why[:_LONGEST_CELL], wrapped)
    book.close()


def _write(sheet: Any, row: int, cells: Sequence[str | None], form: Any) -> None:
    for at, cell in enumerate(cells):
        if cell:
            sheet.write_string(row, at, cell[:_LONGEST_CELL], form)
