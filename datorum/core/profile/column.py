"""What a column holds."""

from __future__ import annotations

import re
from functools import cached_property
from typing import NamedTuple

import polars as pl
from pydantic import BaseModel

from datorum.core.formula.amount import plain_number
from datorum.core.profile.kinds import BEGINNING, Dates, Kind, best_date, best_number, date_unit, kinds_of, yes_no
from datorum.core.steps import ReadDate, ReadNumber
from datorum.core.steps.take_digits import CODE

SAMPLE = 400
"""As many distinct values, those that come first, tell what kinds of value a column holds."""

_PLAIN = re.compile(r"^-?\d+(\.\d+)?$")
_CODE = re.compile(CODE)
_EMAIL = re.compile(r"^\S+@\S+\.\S+$")


class ColumnProfile(BaseModel, frozen=True):
    """One column over all rows: how full, how varied, what it looks like.

    ``distinct`` is exact up to some 16,000 values and an estimate within two per cent beyond (``distinct_exact``), the
    counts of ``top`` likewise. Shares (``dates`` and so on) are of the distinct values, 0 to 1, and belong to the best
    pattern or mark found; ``date_unit`` is what numbers count if they are moments. ``plot`` is a small picture: classes
    of numbers or years with their counts, else of lengths.
    """

    name: str
    rows: int
    filled: int
    distinct: int
    distinct_exact: bool = True
    shortest: int = 0
    longest: int
    stray_spaces: int
    samples: tuple[str, ...]
    top: tuple[tuple[str, int], ...]
    kinds: tuple[Kind, ...] = ()
    plot: tuple[tuple[str, int], ...] = ()
    date_pattern: str | None = None
    dates: float = 0.0
    ambiguous_dates: bool = False
    date_unit: str | None = None
    decimal: str | None = None
    numbers: float = 0.0
    plain_numbers: float = 0.0
    yes_no: float = 0.0
    emails: float = 0.0

    @property
    def fill(self) -> float:
        """Share of the rows that have a value."""
        return self.filled / self.rows if self.rows else 0.0

    @property
    def unique(self) -> float:
        """Distinct values a filled row, 0 to 1: 1 where no value stands twice."""
        return min(self.distinct / self.filled, 1.0) if self.filled else 0.0

    @cached_property
    def by_kind(self) -> dict[str, float]:
        """The share of the values that fit each kind."""
        return {kind.name: kind.share for kind in self.kinds}

    @cached_property
    def coded_numbers(self) -> bool:
        """Whether the values are codes that are a number with the same letters around it."""
        values = [value.strip() for value, _ in self.top]
        around = {re.sub(r"[0-9]+", "0", value) for value in values}
        coded = sum(map(bool, map(_CODE.search, values)))
        return len(around) == 1 and around != {"0"} and self.unique > 0.9 and coded > 0.98 * len(values)

    @cached_property
    def whole_numbers(self) -> float:
        """The share of the commonest numbers that are whole, 1.00 too, 0 to 1."""
        read = [plain_number(value, self.decimal or ".") for value, _ in self.top]
        numbers = [one for one in read if one is not None]
        return sum(not one.partition(".")[2].strip("0") for one in numbers) / len(numbers) if numbers else 0.0


class Seen(BaseModel, frozen=True):
    """What is counted of a column while its rows go by."""

    name: str
    rows: int
    filled: int
    distinct: int
    distinct_exact: bool
    shortest: int
    longest: int
    stray_spaces: int


class Manner(NamedTuple):
    """What a sample of a column's distinct values tells of all; shares are 0 to 1."""

    kinds: tuple[Kind, ...]
    dates: Dates
    date_unit: str | None
    decimal: str | None
    numbers: float
    plain_numbers: float
    yes_no: float
    emails: float


def manner_of(sample: pl.Series) -> Manner:
    """Look at filled values, no two alike."""
    whole = [value.strip() for value in sample]
    distinct = [value[:BEGINNING] for value in whole]
    dates = best_date(distinct)
    decimal, numbers = best_number(distinct)
    return Manner(
        kinds=kinds_of(whole, dates),
        dates=dates,
        date_unit=date_unit(distinct),
        decimal=decimal,
        numbers=numbers,
        plain_numbers=sum(map(bool, map(_PLAIN.match, distinct))) / len(distinct) if distinct else 0.0,
        yes_no=yes_no(distinct),
        emails=sum(map(bool, map(_EMAIL.match, distinct))) / len(distinct) if distinct else 0.0,
    )


def profile_of(seen: Seen, manner: Manner, values: pl.Series, counts: pl.Series) -> ColumnProfile:
    """The profile of a column from what was counted of it, and its distinct values in the order in which they came,
    with their counts."""
    order = counts.arg_sort(descending=True)
    return ColumnProfile(
        **seen.model_dump(),
        samples=tuple(values.head(5)),
        top=tuple(zip(values.gather(order[:50]), counts.gather(order[:50]), strict=True)),
        kinds=manner.kinds,
        plot=_plot(values, counts, manner.dates.pattern, manner.decimal, manner.numbers),
        date_pattern=manner.dates.pattern,
        dates=manner.dates.share,
        ambiguous_dates=manner.dates.ambiguous,
        date_unit=manner.date_unit,
        decimal=manner.decimal,
        numbers=manner.numbers,
        plain_numbers=manner.plain_numbers,
        yes_no=manner.yes_no,
        emails=manner.emails,
    )


def _plot(
    values: pl.Series, counts: pl.Series, pattern: str | None, decimal: str | None, numbers: float
) -> tuple[tuple[str, int], ...]:
    """Years, classes of numbers, or classes of lengths, with how many rows fall into each."""
    frame = pl.DataFrame({"value": values, "count": counts})
    if not frame.height:
        return ()
    if pattern:
        years = ReadDate(pattern=pattern).apply(values).values.str.slice(0, 4)
        by_year = frame.with_columns(years.alias("year")).drop_nulls("year").group_by("year").agg(pl.col("count").sum())
        return tuple(by_year.sort("year").tail(40).iter_rows())
    if decimal and numbers > 0.9:
        read = ReadNumber.model_validate({"decimal": decimal}).apply(values).values.cast(pl.Float64, strict=False)
    else:
        read = values.str.len_chars().cast(pl.Float64)
    known = frame.with_columns(read.alias("number")).drop_nulls("number").filter(pl.col("number").is_finite())
    low, high = known["number"].min(), known["number"].max()
    if not isinstance(low, float) or not isinstance(high, float) or low == high:
        return ()
    width, most = (high - low) / _CLASSES, _CLASSES
    if (known["number"] == known["number"].floor()).all():
        # Between two whole numbers there is nothing, nor is a class named by what lies there.
        width = float(-(-(high - low + 1) // _CLASSES))
        most = int((high - low) // width) + 1
    number = ((pl.col("number") - low) / width).floor().clip(0, most - 1).cast(pl.Int64)
    sums = dict(known.with_columns(number.alias("class")).group_by("class").agg(pl.col("count").sum()).iter_rows())
    return tuple((f"{low + width * at:,.6g}", int(sums.get(at, 0))) for at in range(most))


_CLASSES = 12
