"""Distinct values get numbers in the order in which they come, the same ones however their rows are parted."""

from __future__ import annotations

import numpy as np
import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from datorum.core.numbering import Numbering, hashes_of

Row = tuple[str | None, str | None]
rows = st.tuples(st.sampled_from(["", "a", "b", " a", None]), st.sampled_from(["", "a", "b", None]))


def columns_of(part: list[Row]) -> list[pl.Series]:
    return [pl.Series([row[at] for row in part], dtype=pl.String) for at in (0, 1)]


@given(st.lists(st.lists(rows, max_size=12), max_size=5))
def test_a_value_keeps_the_number_that_it_got_when_it_came(parts: list[list[Row]]) -> None:
    numbering = Numbering()
    given_out: dict[Row, int] = {}
    for part in parts:
        numbers, fresh = numbering.take(hashes_of(columns_of(part)))
        for row in (part[at] for at in fresh):
            assert row not in given_out
            given_out[row] = len(given_out)
        assert numbers.tolist() == [given_out[row] for row in part]
        assert len(numbering) == len(given_out)


def test_many_values_that_share_slots_are_told_apart() -> None:
    values = pl.Series([f"row {number % 30_000}" for number in range(50_000)])
    numbering = Numbering()
    for at in range(0, 50_000, 7_000):
        numbers, _ = numbering.take(hashes_of([values.slice(at, 7_000)]))
        assert numbers.tolist() == [number % 30_000 for number in range(at, min(at + 7_000, 50_000))]
    assert len(numbering) == 30_000


def test_values_whose_hashes_begin_alike_are_told_apart() -> None:
    hashes = np.array([1, 2, 3, 2, 1 << 63, 3, 1], dtype=np.uint64)
    numbering = Numbering()
    assert numbering.take(hashes).numbers.tolist() == [0, 1, 2, 1, 3, 2, 0]
    again = numbering.take(hashes[::-1].copy())
    assert again.numbers.tolist() == [0, 2, 3, 1, 2, 1, 0]
    assert not len(again.fresh)


def test_nothing_is_no_trouble() -> None:
    numbering = Numbering()
    assert not len(numbering.take(hashes_of([pl.Series([], dtype=pl.String)])).numbers)
    assert not len(numbering)
