"""Rows go behind those that they mean; those that mean each other go without, and are put right afterwards."""

from __future__ import annotations

from datorum.core.plan import waves


def test_what_is_meant_goes_before_what_means_it() -> None:
    found = waves({2: {3}, 3: {-1}, 4: {2, -1}}, {2, 3, 4, -1})
    assert (found.wave, found.lacking, found.later) == ({-1: 0, 3: 1, 2: 2, 4: 3}, {}, {})


def test_what_means_a_row_that_does_not_go_stays_behind_with_all_that_hangs_on_it() -> None:
    found = waves({2: {9}, 3: {2}, 4: {5}}, {2, 3, 4, 5})
    assert found.lacking == {2: 9, 3: 2}
    assert found.wave == {5: 0, 4: 1}


def test_rows_that_mean_each_other_go_at_once_and_each_is_put_right_when_all_are_there() -> None:
    found = waves({2: {3}, 3: {2, 4}, 4: {5}, 6: {2}, 7: {7}}, {2, 3, 4, 5, 6, 7})
    assert found.later == {2: {3}, 3: {2}, 7: {7}}
    assert found.wave == {5: 0, 2: 0, 7: 0, 4: 1, 6: 1, 3: 2}
    assert (found.after(2, {3}), found.after(3, {2, 4}), found.after(7, {7})) == (3, 3, 1)


def test_a_long_chain_needs_no_more_than_a_wave_each() -> None:
    found = waves({row: {row + 1} for row in range(2, 3_000)}, set(range(2, 3_001)))
    assert max(found.wave.values()) == 2_998
