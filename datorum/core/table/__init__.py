"""Bytes into sheets and sheets into bytes."""

from datorum.core.table.csv_reader import read_csv, read_delimited
from datorum.core.table.csv_writer import write_csv
from datorum.core.table.dialect import Dialect, confidence, guess_dialect
from datorum.core.table.file import FileOfSheets, OpenedFile, open_file
from datorum.core.table.formats import SheetRef
from datorum.core.table.sheet import (
    BEYOND,
    CHUNK_ROWS,
    FLAG,
    FLAGS,
    ROW,
    Limits,
    Part,
    Reading,
    Sheet,
    aligned,
    data_columns,
)

__all__ = [
    "BEYOND",
    "CHUNK_ROWS",
    "FLAG",
    "FLAGS",
    "ROW",
    "Dialect",
    "FileOfSheets",
    "Limits",
    "OpenedFile",
    "Part",
    "Reading",
    "Sheet",
    "SheetRef",
    "aligned",
    "confidence",
    "data_columns",
    "guess_dialect",
    "open_file",
    "read_csv",
    "read_delimited",
    "write_csv",
]
