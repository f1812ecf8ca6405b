"""Workbooks in which every cell is text, so that a spreadsheet neither computes it nor drops its zeros."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import xlsxwriter

LONGEST_CELL = 32_767
"""As many characters as a cell of a workbook holds (ISO/IEC 29500)."""


class TextBook:
    """A workbook that is written line by line, with the formats of its headers and of its cells."""

    def __init__(self, path: Path) -> None:
        self.book: Any = xlsxwriter.Workbook(str(path), {"constant_memory": True, "strings_to_formulas": False})
        self.bold = self.book.add_format({"bold": True})
        self.text = self.book.add_format({"num_format": "@"})

    def sheet(self, name: str, header: Sequence[str]) -> Any:
        """A new sheet with its header, which stays in sight."""
        sheet = self.book.add_worksheet(name)
        sheet.freeze_panes(1, 0)
        self.write(sheet, 0, header, self.bold)
        return sheet

    def write(self, sheet: Any, row: int, cells: Sequence[str | None], form: Any = None) -> None:
        """A line of cells; blank ones are none."""
        for at, cell in enumerate(cells):
            if cell:
                sheet.write_string(row, at, cell[:LONGEST_CELL], form or self.text)
