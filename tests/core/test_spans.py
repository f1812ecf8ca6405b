"""Which stretch of numbers or days keys cover."""

from __future__ import annotations

import itertools

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from datorum.core.verify.spans import KeySpans, said_of, spans_of


def found(texts: list[str | None], like: KeySpans | None = None) -> KeySpans:
    spans = spans_of(pl.Series(texts, dtype=pl.String), like)
    assert spans is not None
    return spans


@given(st.lists(st.integers(0, 10**6), min_size=1, max_size=400))
def test_every_key_is_in_one_span_and_the_ends_are_keys(keys: list[int]) -> None:
    spans = found([str(key) for key in keys]).spans
    assert sum(span.count for span in spans) == len(set(keys))
    assert len(spans) <= 120
    assert all(span.low in keys and span.high in keys for span in spans)
    assert all(first.high + 1 < second.low for first, second in itertools.pairwise(spans))
    for key in keys:
        assert sum(span.low <= key <= span.high for span in spans) == 1


@given(st.lists(st.integers(0, 10**4), min_size=1, max_size=100, unique=True))
def test_few_keys_are_told_apart_to_the_last_gap(keys: list[int]) -> None:
    spans = found([str(key) for key in keys]).spans
    gaps = sum(second - first > 1 for first, second in itertools.pairwise(sorted(keys)))
    assert len(spans) == gaps + 1
    assert all(span.high - span.low + 1 == span.count for span in spans)


def test_numbers_may_have_something_in_front_and_days_a_time_behind() -> None:
    orders = found(["Q-0007", "Q-8", None, " Q-10 ", ""])
    assert (orders.kind, orders.prefix, orders.count) == ("number", "Q-", 3)
    assert orders.shown(10) == "Q-10"
    days = found(["2024-02-28", "2024-02-29T10:00:00Z", "2024-03-01"])
    assert (days.kind, len(days.spans), days.count) == ("date", 1, 3)
    assert days.shown(days.spans[0].high) == "2024-03-01"


@pytest.mark.parametrize("texts", [["ada@x.example"], ["Q-1", "R-2"], ["7", "seven"], ["2024-02-30"], [], [""]])
def test_what_is_neither_has_no_strip(texts: list[str]) -> None:
    assert spans_of(pl.Series(texts, dtype=pl.String)) is None


def test_of_a_site_only_keys_of_the_same_form_count() -> None:
    sheet = found(["Q-7", "Q-8"])
    site = found(["Q-9", "guest", "R-8", "12", None], sheet)
    assert [(span.low, span.count) for span in site.spans] == [(9, 1)]
    assert found([], sheet).spans == ()


def test_what_a_person_is_told() -> None:
    sheet = found([str(key) for key in range(25_000, 25_100) if key not in (25_007, 25_008)])
    own, shared = found(["31251", "31260"], sheet), found(["25099", "25200"], sheet)
    assert said_of(sheet, own, 0) == [
        "2 between 25,000 and 25,099 never used", "the site’s own from 31,251 to 31,260, none in common",
    ]  # fmt: skip
    assert said_of(sheet, shared, 1)[1:] == ["1 in the sheet and on the site before"]
    scattered = found(["1", "500", "900000"])
    assert said_of(scattered, own, 0) == []
