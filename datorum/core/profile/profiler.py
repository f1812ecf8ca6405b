"""Profiles of all columns in one pass over a sheet's frames, in memory that does not grow with the rows."""

from __future__ import annotations

from collections.abc import Iterable
from concurrent.futures import Executor, Future, ThreadPoolExecutor

import numpy as np
import numpy.typing as npt
import polars as pl

from datorum.core.numbering import Numbering, hashes_of
from datorum.core.profile.column import SAMPLE, ColumnProfile, Manner, Seen, manner_of, profile_of
from datorum.core.table.sheet import FLAG, data_columns

_KEPT = 4_096
"""As many distinct values of a column are kept with their counts."""
_SKETCH = 16_384
"""How many hashes are kept, the smallest ones: up to this many distinct values are counted exactly, more estimated."""


class Profiler:
    """Takes frames one after the other; ``finish`` gives the profiles."""

    def __init__(self) -> None:
        self._columns: dict[str, _Column] = {}
        self._rows = 0
        self._aside = ThreadPoolExecutor(1, thread_name_prefix="datorum-profile")

    def add(self, frame: pl.DataFrame) -> None:
        """Take some more rows. A header that stands among them is none."""
        if FLAG in frame.columns and frame[FLAG].null_count() < frame.height:
            frame = frame.filter(pl.col(FLAG).ne_missing("header again"))
        names = data_columns(frame)
        columns = {name: self._columns.setdefault(name, _Column()) for name in names}
        for name in names:
            if not columns[name].count(frame[name]):
                columns[name].sketch(frame[name])
        # What kinds of value a column holds is settled by its first ones; it is found out while more rows come.
        for column in columns.values():
            column.look(self._aside)
        self._rows += frame.height

    def finish(self, headers: Iterable[str]) -> dict[str, ColumnProfile]:
        """One profile a column, by name, in the order given."""
        profiles = {name: self._columns.get(name, _Column()).profile(name, self._rows) for name in headers}
        self._aside.shutdown()
        return profiles


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
        self._manner: Future[Manner] | None = None

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

    def look(self, aside: Executor) -> None:
        """Have the values looked at, once there are enough of them."""
        if self._manner is None and (self.varied or len(self._values) >= SAMPLE):
            values = self._counts["value"] if self.varied else self._values.first(2 * SAMPLE)
            sample = values.filter(_filled(values.str.strip_chars())).head(SAMPLE)
            if len(sample) == SAMPLE:
                self._manner = aside.submit(manner_of, sample)

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
        filled = _filled(trimmed)
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
            # Sorted by itself, as numpy.unique finds such numbers by a table, which takes several times as long.
            merged = np.sort(np.concatenate([self._hashes, hashes]))
            self._hashes = merged[np.diff(merged, prepend=~merged[0]) != 0][:_SKETCH]

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
        values = self._counts["value"]
        manner = self._manner.result() if self._manner else manner_of(values.head(SAMPLE))
        return profile_of(seen, manner, values, self._counts["count"])


class _Values:
    """The distinct values of a column, each with its count, in the order in which they come."""

    def __init__(self) -> None:
        self._numbering = Numbering()
        self._texts: list[pl.Series] = []
        self._tally: npt.NDArray[np.int64] = np.zeros(0, dtype=np.int64)

    def __len__(self) -> int:
        return len(self._tally)

    def add(self, values: pl.Series) -> None:
        """Count some more; null is no value."""
        filled = values.drop_nulls() if values.null_count() else values
        numbers, fresh = self._numbering.take(hashes_of([filled]))
        tally = np.bincount(numbers, minlength=len(self._numbering))
        tally[: len(self._tally)] += self._tally
        self._tally = tally
        if len(fresh):
            self._texts.append(filled.gather(fresh))

    def first(self, number: int) -> pl.Series:
        """The values that came first."""
        return pl.concat(self._texts).head(number)

    def counts(self) -> pl.DataFrame:
        """The columns ``value`` and ``count``."""
        texts = pl.concat(self._texts) if self._texts else pl.Series(dtype=pl.String)
        return pl.DataFrame({"value": texts.alias("value"), "count": pl.Series(self._tally, dtype=pl.Int64)})


def _filled(trimmed: pl.Series) -> pl.Series:
    """Where texts without their outer spaces have anything left."""
    return (trimmed.str.len_bytes() > 0).fill_null(False)
