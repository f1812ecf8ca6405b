"""Values that must differ in every row, over a whole sheet."""

from __future__ import annotations

from collections.abc import Iterator

import polars as pl

from datorum.core.check.findings import findings_frame
from datorum.core.model import Field


class Keys:
    """The values of one field: each later one that repeats an earlier is held, and other spellings of one are told."""

    def __init__(self, field: Field, is_match_key: bool) -> None:
        self._field = field
        self._rule = "same key twice" if is_match_key else "same value twice"
        self._parts: list[pl.DataFrame] = []

    def hashed(self, rows: pl.Series, values: pl.Series) -> pl.DataFrame:
        """The sound values of some rows as ``take`` wants them."""
        keys = key_of(self._field, values)
        # A hash instead of the text, so that a million keys are eight megabytes.
        hashes = keys.hash(seed=7)
        # A dot or hyphen makes another e-mail address of it, and case has been seen to.
        loose = hashes if self._field.format == "email" else _loose(keys).hash(seed=7)
        part = pl.DataFrame({"row": rows, "key": hashes, "loose": loose})
        return part.with_columns(values.alias("value")).filter(values.is_not_null())

    def take(self, part: pl.DataFrame) -> None:
        """Take some more rows."""
        self._parts.append(part)

    def findings(self) -> Iterator[pl.DataFrame]:
        """What all rows together tell."""
        frame = pl.concat(self._parts) if self._parts else None
        if frame is None or not frame.height:
            return
        frame = frame.with_columns(
            pl.col("row").min().over("key").alias("first"), pl.col("row").min().over("loose").alias("loose first")
        )
        later = frame.filter(pl.col("row") != pl.col("first"))
        if later.height:
            says = [f"is the same as in row {first:,}" for first in later["first"]]
            yield findings_frame(later["row"], self._field.path, self._rule, later["value"], says)
        alike = frame.filter((pl.col("row") == pl.col("first")) & (pl.col("loose first") != pl.col("row")))
        if alike.height:
            says = [f"is the key of row {first:,} in another spelling" for first in alike["loose first"]]
            yield findings_frame(alike["row"], self._field.path, "two spellings", alike["value"], says, blocks=False)


def key_of(field: Field, values: pl.Series) -> pl.Series:
    """What two values of a match key are compared by: e-mail addresses without regard to case."""
    return values.str.to_lowercase() if field.format == "email" else values


def _loose(keys: pl.Series) -> pl.Series:
    """Keys without case, spaces, hyphens and leading zeros, by which two spellings of one are told."""
    return keys.str.to_lowercase().str.replace_all(r"[\s\-_./]+", "").str.replace(r"^0+", "")
