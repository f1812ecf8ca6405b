"""A file on disk, opened within the limits that are set, in a process of its own, before anything is kept."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from datorum.core.errors import DatorumError, Place, UnreadableFile
from datorum.core.table import FileOfSheets
from datorum.reader import open_apart
from datorum.settings import settings


@contextmanager
def opened(path: Path, filename: str) -> Iterator[FileOfSheets]:
    """The file for as long as the context lasts; any error in it names the file. Raises UnreadableFile."""
    try:
        size = path.stat().st_size
        if size > settings().upload_bytes:
            raise UnreadableFile(
                f"The file has {size:,} bytes; {settings().upload_bytes:,} is the limit.",
                remedy="Split it, or raise DATORUM_UPLOAD_BYTES.",
            )
        with open_apart(path, filename, settings().limits, settings().reading) as file:
            yield file
    except DatorumError as error:
        error.place = Place(**{**error.place.model_dump(), "file": filename})
        raise
    except OSError as error:
        raise UnreadableFile(f"{path}: {error.strerror}.", remedy="Look whether the path is right.") from error
