"""How long reading takes: a workbook beside the bare decode by the same library, a CSV beside Polars alone."""

from __future__ import annotations

import random
import time
from collections.abc import Callable
from pathlib import Path

import fastexcel
import polars as pl
import xlsxwriter

from bench.figures import report
from bench.million.data import customers_csv
from datorum.core.table import open_file

ROUNDS = 3
_ROWS = 100_000
_HOME = Path(__file__).parents[1] / ".datorum" / "bench"


def _workbook() -> Path:
    """100,000 rows of 20 columns: texts, numbers and dates as a shop exports them. Made once and kept."""
    path = _HOME / "rows.xlsx"
    if path.exists():
        return path
    path.parent.mkdir(parents=True, exist_ok=True)
    chance = random.Random(7)
    book = xlsxwriter.Workbook(str(path), {"constant_memory": True})
    sheet = book.add_worksheet("Rows")
    sheet.write_row(0, 0, [f"Column {number}" for number in range(20)])
    for row in range(1, _ROWS + 1):
        for column in range(20):
            if column % 4 == 0:
                sheet.write_number(row, column, chance.randint(1, 10**6))
            else:
                sheet.write_string(row, column, f"text {chance.randint(1, 5000)}")
    book.close()
    return path


def _seconds(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def _bare(path: Path) -> None:
    fastexcel.read_excel(path).load_sheet(0, header_row=None, dtypes="string").to_polars()


def _ours(path: Path) -> None:
    with open_file(path, path.name) as file:
        for _ in file.read(file.guess()):
            pass


def main() -> None:
    book, sheet = _workbook(), customers_csv(1_000_000)
    bare = [_seconds(lambda: _bare(book)) for _ in range(ROUNDS)]
    ours = [_seconds(lambda: _ours(book)) for _ in range(ROUNDS)]
    report("bare decode of 100,000 × 20 cells of XLSX", bare, "s", "the anchor")
    report("the same read as a sheet", ours, "s", f"1.3 × the anchor, {1.3 * sorted(bare)[1]:.1f} s")
    alone = [_seconds(lambda: pl.read_csv(sheet, infer_schema=False)) for _ in range(ROUNDS)]
    report("Polars reads 1,000,000 × 20 cells of CSV", alone, "s", "for comparison")
    report("the same read as a sheet", [_seconds(lambda: _ours(sheet)) for _ in range(ROUNDS)], "s", "none")


if __name__ == "__main__":
    main()
