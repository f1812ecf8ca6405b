"""Frames of text written as the sheets of a workbook or, where there is but one, as CSV, some rows at a time."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path
from types import TracebackType
from typing import Any

import polars as pl
import xlsxwriter

from datorum.core.errors import NotAllowed
from datorum.core.table.csv_writer import write_csv

_MOST_ROWS, _LONGEST_CELL, _LONGEST_NAME = 1_048_576, 32_767, 31
"""What a sheet of a workbook holds (ISO/IEC 29500)."""


class SheetsWriter:
    """Writes to a workbook or, where the path does not end so, to CSV. Every cell is text, so that a spreadsheet
    neither computes it nor drops its zeros. Raises NotAllowed where the file cannot hold what is to be written."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._book: Any = None
        if path.suffix.lower() == ".xlsx":
            self._book = xlsxwriter.Workbook(str(path), {"constant_memory": True, "strings_to_formulas": False})
        self._sheets: dict[str, Any] = {}
        self._rows: dict[str, int] = {}
        self._headers: dict[str, tuple[str, ...]] = {}

    def __enter__(self) -> SheetsWriter:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._book is not None:
            self._book.close()

    def add(self, name: str, frame: pl.DataFrame) -> None:
        """Some more rows of a sheet, whose columns are those of its first rows."""
        header = self._headers.setdefault(name, tuple(frame.columns))
        missing = [pl.lit(None, dtype=pl.String).alias(column) for column in header if column not in frame.columns]
        rows = frame.with_columns(missing).select(header).iter_rows()
        if self._book is None:
            self._to_csv(name, header, rows)
        else:
            self._to_book(name, header, rows)

    def _to_csv(self, name: str, header: Sequence[str], rows: Any) -> None:
        if len(self._headers) > 1:
            raise NotAllowed("A CSV file holds one sheet, and this takes several.", remedy="Download a workbook.")
        fresh = name not in self._rows
        self._rows[name] = 1
        data = write_csv(header, rows)
        with self._path.open("wb" if fresh else "ab") as file:
            # The mark that begins the file and the line of the header stand once.
            file.write(data if fresh else data.removeprefix(write_csv(header, ())))

    def _to_book(self, name: str, header: Sequence[str], rows: Any) -> None:
        if name not in self._sheets:
            self._sheets[name] = self._book.add_worksheet(self._named(name))
            self._sheets[name].freeze_panes(1, 0)
            self._rows[name] = 0
            self._line(name, header, self._book.add_format({"bold": True}))
        text = self._book.add_format({"num_format": "@"})
        for cells in rows:
            self._line(name, cells, text)

    def _line(self, name: str, cells: Sequence[str | None], form: Any) -> None:
        at = self._rows[name]
        if at >= _MOST_ROWS:
            raise NotAllowed(f"A sheet of a workbook holds {_MOST_ROWS:,} rows.", remedy="Download it as CSV.")
        for place, cell in enumerate(cells):
            if cell:
                self._sheets[name].write_string(at, place, cell[:_LONGEST_CELL], form)
        self._rows[name] = at + 1

    def _named(self, name: str) -> str:
        """A name that a workbook takes, unlike those that are there."""
        plain = re.sub(r"[\[\]:*?/\\']", " ", name).strip()[:_LONGEST_NAME] or "Sheet"
        there = {sheet.get_name().lower() for sheet in self._sheets.values()}
        found, count = plain, 1
        while found.lower() in there:
            count += 1
            found = f"{plain[: _LONGEST_NAME - 4]} {count}"
        return found
