"""Files that are written for whoever asks for them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory

from fastapi import Response


def downloaded(name: str, write: Callable[[Path], None]) -> Response:
    """A file that is written for whoever asks for it, CSV or a workbook by its name."""
    form = name.rpartition(".")[2]
    with TemporaryDirectory(prefix="datorum-") as folder:
        path = Path(folder) / name
        write(path)
        data = path.read_bytes()
    return Response(
        data,
        media_type=_MEDIA_TYPES[form],
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )


_MEDIA_TYPES = {
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}
