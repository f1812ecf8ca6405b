"""Frames as bytes, as they are kept and handed from process to process: Parquet, lightly compressed."""

from __future__ import annotations

import io
from collections.abc import Collection

import polars as pl


def packed(frame: pl.DataFrame) -> bytes:
    """A frame as bytes."""
    out = io.BytesIO()
    frame.write_parquet(out, compression="zstd", compression_level=1, statistics=False)
    return out.getvalue()


def unpacked(data: bytes, columns: Collection[str] | None = None) -> pl.DataFrame:
    """A frame from its bytes, all of its columns or those of some that it has."""
    if columns is None:
        return pl.read_parquet(io.BytesIO(data))
    return pl.read_parquet(io.BytesIO(data), columns=[name for name in column_names(data) if name in columns])


def column_names(data: bytes) -> list[str]:
    """The columns that a packed frame has."""
    return list(pl.read_parquet_schema(io.BytesIO(data)))
