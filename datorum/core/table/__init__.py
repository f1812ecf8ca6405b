"""Bytes into sheets and sheets into bytes."""

from datorum.core.table.csv_reader import read_csv, read_delimited
from datorum.core.table.csv_writer import write_csv
from datorum.core.table.dialect import Dialect, confidence, guess_dialect
from datorum.core.table.sheet import BEYOND, FLAG, FLAGS, ROW, Limits, Sheet, data_columns

__all__ = [
    "BEYOND",
    "FLAG",
    "FLAGS",
    "ROW",
    "Dialect",
    "Limits",
    "Sheet",
    "confidence",
    "data_columns",
    "guess_dialect",
    "read_csv",
    "read_delimited",
    "write_csv",
]
