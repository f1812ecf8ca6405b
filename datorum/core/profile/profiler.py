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
        for name in names:
            if not columns[name].count(frame[name]):
                columns[name].sketch(frame[name])
        self._rows += frame.height

    def finish(self, headers: Iterable[str]) -> dict[str, ColumnProfile]:
        """One profile a column, by name, in the order given."""
        return {name: self._columns.get(name, _Column()).profile(name, self._rows) for name in headers}


class _Column:
    """One column: its distinct values with their counts while they are few; then the commonest of those that came
    first, and of all only what can be measured and sketched."""

    def __init__(self) -> None:
        self._values = _Values()
        self.varied = False
        self.filled = 0
        self.shortest = 1 << 62
        self.longest = 0
        self.stray_spaces = 0
        self._counts = pl.DataFrame(schema={"value": pl.String, "count": pl.Int64})
        self._hashes: npt.NDArray[np.uint64] = np.empty(0, dtype=np.uint64)

    def count(self, values: pl.Series) -> bool:
        """Take some more rows by their distinct values; not where these have become too many to count."""
        if self.varied:
            return False
        self._values.add(values)
        if len(self._values) > _KEPT:
            self._settle()
            self.varied = True
            self._keep_least(self._counts["value"])
            first = self._counts.head(_KEPT // 2)
            rest = self._counts.slice(first.height).sort("count", descending=True)
            self._counts = pl.concat([first, rest.head(_KEPT // 2)])
        return True

    def _settle(self) -> None:
        """Measure what was counted so far."""
        counts = self._values.counts()
        filled = self._measure(counts["value"], counts["count"])
        self._counts = counts.filter(filled)
        self._values = _Values()

    def sketch(self, values: pl.Series) -> None:
        """Take some more rows of a column of so many values that only their variety is still counted."""
        filled = self._measure(values, None)
        self._keep_least(values if filled.all() else values.filter(filled))

    def _measure(self, values: pl.Series, counts: pl.Series | None) -> pl.Series:
        """Measure values, each of which may stand for several rows; where they are filled."""
        trimmed = values.str.strip_chars()
        filled = (trimmed.str.len_bytes() > 0).fill_null(False)
        stray = (trimmed.str.len_bytes() != values.str.len_bytes()) | trimmed.str.contains("  ", literal=True)
        stray = stray.fill_null(False) & filled
        lengths = values.str.len_chars()
        lengths = lengths if filled.all() else lengths.filter(filled)
        shortest, longest = lengths.min(), lengths.max()
        if isinstance(shortest, int) and isinstance(longest, int):
            self.shortest, self.longest = min(self.shortest, shortest), max(self.longest, longest)
        self.filled += int((filled if counts is None else counts.filter(filled)).sum())
        self.stray_spaces += int((stray if counts is None else counts.filter(stray)).sum())
        return filled

    def _keep_least(self, values: pl.Series) -> None:
        """The least hashes of all values seen (K minimum values: Bar-Yossef and others, 2002)."""
        hashes = values.hash(seed=17).to_numpy()
        if len(self._hashes) >= _SKETCH:
            hashes = hashes[hashes < self._hashes[-1]]
        if len(hashes):
            self._hashes = np.unique(np.concatenate([self._hashes, hashes]))[:_SKETCH]

    def profile(self, name: str, rows: int) -> ColumnProfile:
        if not self.varied:
            self._settle()
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


class _Values:
    """The distinct values of a column, each with its count, in the order in which they come."""

    def __init__(self) -> None:
        # Categories of the column's own are numbered without gaps; they stay for as long as a series has them.
        self._type = pl.Categorical(pl.Categories.random())
        self._keeps = pl.Series(dtype=self._type)
        self._texts: list[pl.Series] = []
        self._tally: npt.NDArray[np.int64] = np.zeros(0, dtype=np.int64)

    def __len__(self) -> int:
        return len(self._tally)

    def add(self, values: pl.Series) -> None:
        """Count some more; null is no value."""
        filled = values.drop_nulls() if values.null_count() else values
        codes = filled.cast(self._type).to_physical()
        known = len(self._tally)
        tally = np.bincount(codes.to_numpy(), minlength=known).astype(np.int64)
        if len(tally) > known:
            first = (codes >= known).arg_true()
            fresh = first.gather(codes.gather(first).arg_unique())
            self._texts.append(filled.gather(fresh.gather(codes.gather(fresh).arg_sort())))
            tally[:known] += self._tally
        else:
            tally += self._tally
        self._tally = tally

    def counts(self) -> pl.DataFrame:
        """The columns ``value`` and ``count``."""
        texts = pl.concat(self._texts) if self._texts else pl.Series(dtype=pl.String)
        return pl.DataFrame({"value": texts.alias("value"), "count": pl.Series(self._tally, dtype=pl.Int64)})
