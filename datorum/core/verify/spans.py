"""Which stretch of numbers or days keys cover, and where they leave gaps: a strip shows at once what is missing."""

from __future__ import annotations

import datetime as dt
from typing import Literal

import numpy as np
import polars as pl
from pydantic import BaseModel

_NUMBERED = r"^(\D*?)(\d{1,15})$"
_DAY = r"^(\d{4}-\d\d-\d\d)(?:[T ].*)?$"
_MOST = 120
"""As many spans are told apart: what is closer together than the others is one."""


class Span(BaseModel, frozen=True):
    """From one key to another, both with it, with so many keys."""

    low: int
    high: int
    count: int


class KeySpans(BaseModel, frozen=True):
    """What some keys cover: numbers with the same ``prefix``, or days, counted from 1 January of the year 1."""

    kind: Literal["number", "date"]
    prefix: str = ""
    spans: tuple[Span, ...] = ()

    @property
    def count(self) -> int:
        return sum(span.count for span in self.spans)

    def shown(self, key: int) -> str:
        """A key as a person writes it."""
        if self.kind == "date":
            return dt.date.fromordinal(key).isoformat()
        return f"{self.prefix}{key}" if self.prefix else f"{key:,}"


def spans_of(keys: pl.Series, like: KeySpans | None = None) -> KeySpans | None:
    """What some keys cover, as text; None where they are neither numbers nor days, or there are none. ``like``: of keys
    of another form those are passed over that are not of this one.

    >>> spans_of(pl.Series(["Q-7", "Q-8", "Q-10"]))
    KeySpans(kind='number', prefix='Q-', spans=(Span(low=7, high=8, count=2), Span(low=10, high=10, count=1)))
    """
    texts = keys.drop_nulls().str.strip_chars()
    texts = texts.filter(texts != "")
    if not len(texts):
        return None if like is None else like.model_copy(update={"spans": ()})
    form = like or _form(texts)
    if form is None:
        return None
    numbers = _days(texts) if form.kind == "date" else _numbers(texts, form.prefix)
    found = np.unique(numbers.drop_nulls().to_numpy())
    return form.model_copy(update={"spans": tuple(_spans(found))})


def _form(texts: pl.Series) -> KeySpans | None:
    if texts.str.contains(_DAY).all() and _days(texts).is_not_null().all():
        return KeySpans(kind="date")
    prefixes = texts.str.extract(_NUMBERED, 1)
    if prefixes.null_count() or prefixes.n_unique() > 1:
        return None
    return KeySpans(kind="number", prefix=prefixes[0])


def _numbers(texts: pl.Series, prefix: str) -> pl.Series:
    own = texts.str.extract(_NUMBERED, 1) == prefix
    return texts.filter(own.fill_null(False)).str.extract(_NUMBERED, 2).cast(pl.Int64)


def _days(texts: pl.Series) -> pl.Series:
    days = texts.str.extract(_DAY, 1).str.to_date("%Y-%m-%d", strict=False)
    return days.cast(pl.Int64) + dt.date(1970, 1, 1).toordinal()


def _spans(keys: np.ndarray[tuple[int], np.dtype[np.int64]]) -> list[Span]:
    """The stretches of some keys, in order and each there once, that lie closest together."""
    if not len(keys):
        return []
    apart = np.diff(keys)
    gaps = apart[apart > 1]
    least = np.partition(gaps, len(gaps) - _MOST + 1)[len(gaps) - _MOST + 1] if len(gaps) >= _MOST else 2
    ends = np.append(np.flatnonzero(apart >= max(int(least), 2)), len(keys) - 1)
    begins = np.append(0, ends[:-1] + 1)
    return [Span(low=int(keys[a]), high=int(keys[b]), count=int(b - a + 1)) for a, b in zip(begins, ends, strict=True)]


def said_of(sheet: KeySpans, before: KeySpans, both: int) -> list[str]:
    """What a person is told of the keys of a sheet and of those that the site had before, of which so many are
    ``both``."""
    said = []
    if sheet.spans and sheet.kind == "number":
        low, high = sheet.spans[0].low, sheet.spans[-1].high
        missing = high - low + 1 - sheet.count
        # What is handed out one after the other leaves few out.
        if 0 < missing <= max(sheet.count // 10, 1):
            said.append(f"{missing:,} between {sheet.shown(low)} and {sheet.shown(high)} never used")
    if both:
        said.append(f"{both:,} in the sheet and on the site before")
    elif sheet.spans and before.spans:
        first, last = before.spans[0].low, before.spans[-1].high
        if first > sheet.spans[-1].high or last < sheet.spans[0].low:
            said.append(f"the site’s own from {before.shown(first)} to {before.shown(last)}, none in common")
    return said
