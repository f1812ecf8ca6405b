"""A file that a browser sent, on disk for as long as it is looked at."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import NamedTemporaryFile

from fastapi import UploadFile


@contextmanager
def on_disk(file: UploadFile) -> Iterator[Path]:
    """Where the file's bytes are while the context lasts."""
    with NamedTemporaryFile(prefix="datorum-") as kept:
        shutil.copyfileobj(file.file, kept)
        kept.flush()
        yield Path(kept.name)
