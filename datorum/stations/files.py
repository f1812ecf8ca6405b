"""A file's bytes into a sheet, before anything is kept."""

from __future__ import annotations

from datorum.core.errors import DatorumError, Place
from datorum.core.table import Dialect, Sheet, guess_dialect, read_csv
from datorum.settings import settings


def read_file(filename: str, data: bytes, dialect: Dialect | None = None) -> tuple[Dialect, Sheet]:
    """Bytes into a sheet, its dialect guessed where none is given. Raises UnreadableFile that names the file."""
    try:
        dialect = dialect or guess_dialect(data)
        return dialect, read_csv(data, dialect, settings().limits)
    except DatorumError as error:
        error.place = Place(**{**error.place.model_dump(), "file": filename})
        raise
