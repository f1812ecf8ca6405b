"""Records in another order than the one in which they come, however many: each put with those that it belongs to, in a
file beside the memory where they are very many."""

from __future__ import annotations

import io
import tempfile
from pathlib import Path
from types import TracebackType

import numpy as np
import polars as pl

from datorum.core.numbering import Rows

_AT = "\0at"
_IN_MEMORY = 64 * 2**20
"""As many bytes stay in memory, those that come first."""


class Buckets:
    """``bounds``: where each bucket begins, of places that are counted from 0, and where the last ends."""

    def __init__(self, bounds: Rows) -> None:
        self._bounds = bounds
        self._at_hand: dict[int, list[pl.DataFrame]] = {}
        self._room = _IN_MEMORY
        self._home = tempfile.TemporaryDirectory(prefix="datorum-")

    def __enter__(self) -> Buckets:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._home.cleanup()

    def put(self, frame: pl.DataFrame, places: Rows) -> None:
        """Put the rows of a frame at their places, all of them below the last bound."""
        placed = frame.with_columns(pl.Series(_AT, places))
        which = np.searchsorted(self._bounds, places, side="right") - 1
        size = int(placed.estimated_size())
        for bucket in np.unique(which).tolist():
            here = placed.filter(which == bucket)
            if size <= self._room:
                self._at_hand.setdefault(bucket, []).append(here)
                continue
            out = io.BytesIO()
            here.write_ipc(out, compression="lz4")
            with self._file(bucket).open("ab") as file:
                file.write(len(out.getbuffer()).to_bytes(8) + out.getbuffer())
        self._room -= size

    def take(self, bucket: int) -> tuple[pl.DataFrame | None, Rows]:
        """What was put into a bucket, in the order of the places, and these counted from where it begins; None where it
        is empty."""
        file, parts = self._file(bucket), self._at_hand.pop(bucket, [])
        data, at = memoryview(file.read_bytes() if file.exists() else b""), 0
        while at < len(data):
            end = at + 8 + int.from_bytes(data[at : at + 8])
            parts.append(pl.read_ipc(io.BytesIO(data[at + 8 : end])))
            at = end
        if not parts:
            return None, np.empty(0, dtype=np.int64)
        whole = pl.concat(parts).sort(_AT)
        return whole.drop(_AT), whole[_AT].to_numpy() - self._bounds[bucket]

    def _file(self, bucket: int) -> Path:
        return Path(self._home.name) / str(bucket)
