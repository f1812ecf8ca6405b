"""Rows into CSV (RFC 4180), safe to open in a spreadsheet."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence

# A spreadsheet runs a cell that begins so as a formula; an apostrophe in front makes it text.
_FORMULA_STARTS = ("=", "+", "-", "@", "\t", "\r")


def write_csv(header: Sequence[str], rows: Iterable[Sequence[str | None]]) -> bytes:
    """UTF-8 with a byte order mark, so that spreadsheets read it as what it is."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow([inert(cell) for cell in header])
    writer.writerows([inert(cell) for cell in row] for row in rows)
    return out.getvalue().encode("utf-8-sig")


def inert(cell: str | None) -> str:
    """A cell that no spreadsheet runs as a formula."""
    return f"'{cell}" if _would_run(cell) else cell or ""


def revived(cell: str | None) -> str:
    """What a cell said before it was made inert."""
    return cell[1:] if cell and cell[0] == "'" and _would_run(cell[1:]) else cell or ""


def _would_run(cell: str | None) -> bool:
    return bool(cell) and str(cell).startswith(_FORMULA_STARTS) and not _is_number(str(cell))


def _is_number(cell: str) -> bool:
    try:
        float(cell)
    except ValueError:
        return False
    return True
