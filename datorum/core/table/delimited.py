"""Delimited text among the formats."""

from __future__ import annotations

from pathlib import Path

from datorum.core.table.csv_reader import read_delimited
from datorum.core.table.dialect import Dialect, confidence, guess_dialect, guess_lines
from datorum.core.table.formats import Format, SheetRef
from datorum.core.table.sheet import Limits, Reading


def _guess(path: Path, _: str) -> Dialect:
    with path.open("rb") as file:
        return guess_dialect(file)


def _read(path: Path, dialect: Dialect, limits: Limits) -> Reading:
    # The reading goes on while its rows are taken, and the file is closed with it.
    return read_delimited(path.open("rb"), dialect, limits)


def _confidence(path: Path, dialect: Dialect) -> float:
    with path.open("rb") as file:
        return confidence(file, dialect)


def _lines(path: Path, dialect: Dialect) -> Dialect:
    with path.open("rb") as file:
        return guess_lines(file, dialect)


DELIMITED = Format(
    "delimited",
    lambda head, filename: True,
    lambda path, limits: (SheetRef(name=""),),
    _guess,
    _read,
    _confidence,
    lines=_lines,
)
