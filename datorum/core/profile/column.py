"""What a column holds."""

from __future__ import annotations

import polars as pl
from pydantic import BaseModel

from datorum.core.steps import ReadDate, ReadNumber, ReadYesNo
from datorum.core.steps.landing import blank_to_null

DATE_PATTERNS = (
    "YYYY-MM-DD",
    "D/M/YYYY",
    "M/D/YYYY",
    "D.M.YYYY",
    "D-M-YYYY",
    "YYYY/M/D",
    "D MMM YYYY",
)
_TIMES = ("", " H:MM", " H:MM:SS")
_ISO_TIME = r"^\d{4}-\d\d-\d\dT\d\d:\d\d"
_EMAIL = r"^\S+@\S+\.\S+$"


class ColumnProfile(BaseModel, frozen=True):
    """One column over all rows: how full, how varied, what it looks like.

    Shares (``dates`` and so on) are of the filled cells, 0 to 1, and belong to the best pattern or mark found.
    """

    name: str
    rows: int
    filled: int
    distinct: int
    longest: int
    stray_spaces: int
    samples: tuple[str, ...]
    top: tuple[tuple[str, int], ...]
    date_pattern: str | None = None
    dates: float = 0.0
    decimal: str | None = None
    numbers: float = 0.0
    plain_numbers: float = 0.0
    yes_no: float = 0.0
    emails: float = 0.0

    @property
    def fill(self) -> float:
        """Share of the rows that have a value."""
        return self.filled / self.rows if self.rows else 0.0


def profile_column(values: pl.Series, sample: int = 400) -> ColumnProfile:
    """Profile a String series. Kinds are told from the first ``sample`` distinct values."""
    filled = blank_to_null(values).drop_nulls()
    counts = filled.rename("value").to_frame().group_by("value", maintain_order=True).len("count")
    top = counts.sort("count", descending=True, maintain_order=True).head(8)
    distinct = counts["value"].head(sample)
    pattern, dates = _best_date(distinct)
    decimal, numbers = _best_number(distinct)
    return ColumnProfile(
        name=values.name,
        rows=len(values),
        filled=len(filled),
        distinct=counts.height,
        longest=int(filled.str.len_chars().max() or 0),  # type: ignore[arg-type]
        stray_spaces=int((filled != filled.str.strip_chars()).sum() or filled.str.contains("  ", literal=True).sum()),
        samples=tuple(distinct.head(5)),
        top=tuple(zip(top["value"].to_list(), top["count"].to_list(), strict=True)),
        date_pattern=pattern,
        dates=dates,
        decimal=decimal,
        numbers=numbers,
        plain_numbers=_share(distinct.str.contains(r"^-?\d+(\.\d+)?$")),
        yes_no=1.0 - _share(ReadYesNo().apply(distinct).failed) if len(distinct) and counts.height <= 16 else 0.0,
        emails=_share(distinct.str.contains(_EMAIL)),
    )


def _share(mask: pl.Series) -> float:
    return float(mask.mean() or 0.0) if len(mask) else 0.0  # type: ignore[arg-type]


def _best_date(distinct: pl.Series) -> tuple[str | None, float]:
    """The pattern that reads most values, and the share it reads."""
    text = distinct.str.strip_chars()
    if not len(text) or _share(text.str.contains(r"\d.*\D.*\d")) < 0.5:
        return None, 0.0
    if _share(text.str.contains(_ISO_TIME)) > 0.9:
        return None, 1.0
    best: tuple[str | None, float] = (None, 0.0)
    for day in DATE_PATTERNS:
        for time in _TIMES:
            if _share(text.str.contains(ReadDate(pattern=day + time).shape)) < 0.5:
                continue
            share = 1.0 - _share(ReadDate(pattern=day + time).apply(text).failed)
            if share > best[1] + 0.001:
                best = (day + time, share)
    return best if best[1] >= 0.5 else (None, 0.0)


def _best_number(distinct: pl.Series) -> tuple[str | None, float]:
    if not len(distinct):
        return None, 0.0
    point = 1.0 - _share(ReadNumber(decimal=".").apply(distinct).failed)
    comma = 1.0 - _share(ReadNumber(decimal=",").apply(distinct).failed)
    mark, share = (".", point) if point >= comma else (",", comma)
    return (mark, share) if share >= 0.5 else (None, 0.0)
