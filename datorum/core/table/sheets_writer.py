"""Frames of text written as the sheets of a workbook or, where there is but one, as CSV, some rows at a time."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path
from types import TracebackType
from typing import Any

import polars as pl

from datorum.core.errors import NotAllowed
from datorum.core.table.csv_writer import write_csv
from datorum.core.table.text_book import TextBook

_MOST_ROWS, _LONGEST_NAME = 1_048_576, 31
"""What a sheet of a workbook holds (ISO/IEC 29500)."""


class SheetsWriter:
    """Writes to a workbook or, where the path does not end so, to CSV. Every cell is text, so that a spreadsheet
    neither computes it nor drops its zeros. Raises NotAllowed where the file cannot hold what is to be written."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._book = TextBook(path) if path.suffix.lower() == ".xlsx" else None
        self._sheets: dict[str, Any] = {}
        self._rows: dict[str, int] = {}
        self._headers: dict[str, tuple[str, ...]] = {}

    def __enter__(self) -> SheetsWriter:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._book is not None:
            self._book.book.close()

    def add(self, name: str, frame: pl.DataFrame) -> None:
        """Some more rows of a sheet, whose columns are those of its first rows."""
        header = self._headers.setdefault(name, tuple(frame.columns))
        missing = [pl.lit(None, dtype=pl.String).alias(column) for column in header if column not in frame.columns]
        rows = frame.with_columns(missing).select(header).iter_rows()
        if self._book is None:
            self._to_csv(name, header, rows)
        else:
            self._to_book(self._book, name, header, rows)

    def _to_csv(self, name: str, header: Sequence[str], rows: Any) -> None:
        if len(self._headers) > 1:
            raise NotAllowed("A CSV file holds one sheet, and this takes several.", remedy="Download a workbook.")
        fresh = name not in self._rows
        self._rows[name] = 1
        data = write_csv(header, rows)
        with self._path.open("wb" if fresh else "ab") as file:
            # The mark that begins the file and the line of the header stand once.
            file.write(data if fresh else data.removeprefix(write_csv(header, ())))

    def _to_book(self, book: TextBook, name: str, header: Sequence[str], rows: Any) -> None:
        if name not in self._sheets:
            self._sheets[name], self._rows[name] = book.sheet(self._named(name), header), 1
        for cells in rows:
            if self._rows[name] >= _MOST_ROWS:
                raise NotAllowed(f"A sheet of a workbook holds {_MOST_ROWS:,} rows.", remedy="Download it as CSV.")
            book.write(self._sheets[name], self._rows[name], cells)
            self._rows[name] += 1

    def _named(self, name: str) -> str:
        """A name that a workbook takes, unlike those that are there."""
        plain = re.sub(r"[\[\]:*?/\\']", " ", name).strip()[:_LONGEST_NAME] or "Sheet"
        there = {sheet.get_name().lower() for sheet in self._sheets.values()}
        found, count = plain, 1
        while found.lower() in there:
            count += 1
            found = f"{plain[: _LONGEST_NAME - 4]} {count}"
        return found
