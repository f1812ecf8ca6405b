"""A profile tells what a column holds, from its values alone."""

from __future__ import annotations

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from datorum.core.profile import Profiler, profile, profile_column
from datorum.core.table import Sheet


def column(*values: str | None) -> pl.Series:
    return pl.Series("c", values, dtype=pl.String)


def test_fill_and_variety_are_counted() -> None:
    found = profile_column(column("a", "a", " b ", "", None, "  "))
    assert (found.rows, found.filled, found.distinct, found.stray_spaces) == (6, 3, 2, 1)
    assert found.fill == 0.5
    assert found.top[0] == ("a", 2)
    assert found.longest == 3


@pytest.mark.parametrize(
    ("values", "pattern"),
    [
        (("31/12/2020", "01/02/2021"), "D/M/YYYY"),
        (("12/31/2020", "02/25/2021"), "M/D/YYYY"),
        (("31.12.2020", "1.2.2021"), "D.M.YYYY"),
        (("2020-12-31", "2021-02-01"), "YYYY-MM-DD"),
        (("31/12/2020 14:10", "01/02/2021 8:05"), "D/M/YYYY H:MM"),
        (("3 Feb 2019", "17 Nov 2021"), "D MMM YYYY"),
        (("12", "13"), None),
        (("later", "soon"), None),
    ],
)
def test_the_order_of_a_date_is_told(values: tuple[str, ...], pattern: str | None) -> None:
    assert profile_column(column(*values)).date_pattern == pattern


@pytest.mark.parametrize(
    ("values", "decimal"),
    [
        (("1,204.50 kr", "88.00"), "."),
        (("1.204,50", "88,00"), ","),
        (("12", "13"), "."),
        (("one", "two"), None),
    ],
)
def test_the_decimal_mark_is_told(values: tuple[str, ...], decimal: str | None) -> None:
    assert profile_column(column(*values)).decimal == decimal


def test_yes_and_no_are_told_in_any_spelling() -> None:
    assert profile_column(column("Ja", "nei", "YES", "0")).yes_no == 1.0
    assert profile_column(column("perhaps", "often")).yes_no == 0.0


def test_an_empty_column_is_no_trouble() -> None:
    found = profile_column(column("", None))
    assert (found.filled, found.distinct, found.samples, found.fill) == (0, 0, (), 0.0)


def test_every_column_of_the_demo_is_profiled_in_order(sheet: Sheet) -> None:
    assert tuple(profile(sheet.frame)) == sheet.headers


@settings(max_examples=40)
@given(
    st.lists(
        st.lists(st.sampled_from(["a", "b", " b", "cc", "", None]), min_size=1, max_size=6), min_size=1, max_size=6
    )
)
def test_a_profile_is_the_same_however_the_rows_are_parted(parts: list[list[str | None]]) -> None:
    profiler = Profiler()
    for part in parts:
        # Each frame is gone before the next is there.
        profiler.add(pl.DataFrame({"x": part}, schema={"x": pl.String}))
    found = profiler.finish(["x"])["x"]
    cells = [cell for part in parts for cell in part]
    filled = [cell for cell in cells if cell and cell.strip()]
    assert (found.rows, found.filled, found.distinct) == (len(cells), len(filled), len(set(filled)))
    assert dict(found.top) == {value: filled.count(value) for value in set(filled)}
    assert found.stray_spaces == sum(value != value.strip() for value in filled)
    assert (found.shortest, found.longest) == (min(map(len, filled), default=0), max(map(len, filled), default=0))


@pytest.mark.parametrize(
    ("values", "classes"),
    [
        (["a", "bb", "bb", "ccccc"], [("1", 1), ("2", 2), ("3", 0), ("4", 0), ("5", 1)]),
        (["x" * 5, "x" * 30], [("5", 1), ("8", 0), ("11", 0), ("14", 0), ("17", 0), ("20", 0), ("23", 0), ("26", 0),
                               ("29", 1)]),
        (["same", "size"], []),
    ],
)  # fmt: skip
def test_classes_of_whole_numbers_begin_at_whole_numbers(values: list[str], classes: list[tuple[str, int]]) -> None:
    frame = pl.DataFrame({"Said": values})
    assert list(profile(frame)["Said"].plot) == classes
