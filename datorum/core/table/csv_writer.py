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
    writer.writerow([_inert(cell) for cell in header])
    writer.writerows([_inert(cell) for cell in row] for row in rows)
    return out.getvalue().encode("utf-8-sig")


def _inert(cell: str | None) -> str:
    if not cell:
        return ""
    if cell.startswith(_FORMULA_STARTS) and not _is_number(cell):
        return "'" + cell
    return cell


def _is_number(cell: str) -> bool:
    try:
        float(cell)
    except ValueError:
        return False
    return True
