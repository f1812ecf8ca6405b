"""Profiles of all columns in one pass over a sheet's frames, in memory that does not grow with the rows."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import numpy.typing as npt
import polars as pl

from datorum.core.profile.column import ColumnProfile, Seen, judged
from datorum.core.table.sheet import data_columns

_KEPT = 4_096
"""As many distinct values of a column are kept with their counts."""
_SKETCH = 16_384
"""As many of the least hashes are kept: up to so many distinct values are counted exactly."""


class Profiler:
    """Takes frames one after the other; ``finish`` gives the profiles."""

    def __init__(self) -> None:
        self._columns: dict[str, _Column] = {}
        self._rows = 0

    def add(self, frame: pl.DataFrame) -> None:
        """Take some more rows."""
        names = data_columns(frame)
        columns = {name: self._columns.setdefault(name, _Column()) for name in names}
        counted = [name for name in names if not columns[name].varied]
        for name, counts in zip(counted, _value_counts(frame, counted), strict=True):
            columns[name].count(counts)
        varied = [name for name in names if columns[name].varied and name not in counted]
        if varied:
            measured = frame.select(
                measure.alias(f"{what}{name}") for name in varied for what, measure in _measures(pl.col(name)).items()
            ).row(0, named=True)
            for name in varied:
                columns[name].take({what: measured[f"{what}{name}"] for what in _MEASURED})
                columns[name].sketch(frame[name])
        self._rows += frame.height

    def finish(self, headers: Iterable[str]) -> dict[str, ColumnProfile]:
        """One profile a column, by name, in the order given."""
        return {name: self._columns.get(name, _Column()).profile(name, self._rows) for name in headers}


_MEASURED = ("filled", "shortest", "longest", "stray")


def _measures(value: pl.Expr, count: pl.Expr | None = None) -> dict[str, pl.Expr]:
    """What is measured of values, each of which may stand for several rows."""
    count = pl.lit(1) if count is None else count
    trimmed = value.str.strip_chars()
    is_filled = trimmed.is_not_null() & (trimmed != "")
    length = pl.when(is_filled).then(value.str.len_chars())
    stray = is_filled & ((value != trimmed) | value.str.contains("  ", literal=True))
    return {
        "filled": (is_filled * count).sum(),
        "shortest": length.min(),
        "longest": length.max(),
        "stray": (stray * count).sum(),
    }


def _value_counts(frame: pl.DataFrame, names: list[str]) -> list[pl.DataFrame]:
    """The distinct values of each column with their counts, in the order in which they come."""
    plans = [
        frame.lazy()
        .group_by(pl.col(name).alias("value"), maintain_order=True)
        .agg(pl.len().cast(pl.Int64).alias("count"))
        for name in names
    ]
    return pl.collect_all(plans)


class _Column:
    def __init__(self) -> None:
        self.filled = 0
        self.shortest = 1 << 62
        self.longest = 0
        self.stray_spaces = 0
        self.varied = False
        self._counts = pl.DataFrame(schema={"value": pl.String, "count": pl.Int64})
        self._hashes: npt.NDArray[np.uint64] = np.empty(0, dtype=np.uint64)

    def take(self, measured: dict[str, int | None]) -> None:
        """Take the measures of some more rows."""
        self.filled += measured["filled"] or 0
        self.shortest = min(self.shortest, measured["shortest"] or self.shortest)
        self.longest = max(self.longest, measured["longest"] or 0)
        self.stray_spaces += measured["stray"] or 0

    def count(self, counts: pl.DataFrame) -> None:
        """Take the distinct values of some more rows."""
        self.take(counts.select(**_measures(pl.col("value"), pl.col("count"))).row(0, named=True))
        filled = counts.filter(pl.col("value").str.strip_chars() != "")
        merged = pl.concat([self._counts, filled])
        if self._counts.height:
            merged = merged.group_by("value", maintain_order=True).agg(pl.col("count").sum())
        if merged.height > _KEPT:
            self.varied = True
            self._keep_least(merged["value"])
            first = merged.head(_KEPT // 2)
            merged = pl.concat([first, merged.slice(first.height).sort("count", descending=True).head(_KEPT // 2)])
        self._counts = merged

    def sketch(self, values: pl.Series) -> None:
        """Take some more rows of a column of so many values that only their variety is still counted."""
        self._keep_least(values.filter((values.str.strip_chars() != "").fill_null(False)))

    def _keep_least(self, values: pl.Series) -> None:
        """The least hashes of all values seen (K minimum values: Bar-Yossef and others, 2002)."""
        hashes = values.hash(seed=17).to_numpy()
        if len(self._hashes) >= _SKETCH:
            hashes = hashes[hashes < self._hashes[-1]]
        if len(hashes):
            self._hashes = np.unique(np.concatenate([self._hashes, hashes]))[:_SKETCH]

    def profile(self, name: str, rows: int) -> ColumnProfile:
        distinct, exact = self._counts.height, True
        if self.varied:
            distinct, exact = len(self._hashes), len(self._hashes) < _SKETCH
            if not exact:
                distinct = min(round((_SKETCH - 1) / (float(self._hashes[-1]) / 2.0**64)), self.filled)
        seen = Seen(
            name=name,
            rows=rows,
            filled=self.filled,
            distinct=distinct,
            distinct_exact=exact,
            shortest=self.shortest if self.filled else 0,
            longest=self.longest,
            stray_spaces=self.stray_spaces,
        )
        return judged(seen, self._counts["value"], self._counts["count"])
