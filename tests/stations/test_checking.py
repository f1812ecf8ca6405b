"""A large sheet is checked by a worker: it tells how far it is, can be stopped, and never leaves half a check."""

from __future__ import annotations

import pytest

from datorum.core.shape import Correction
from datorum.stations import check, checking, correct
from datorum.stations.work import to_do
from datorum.store.database import session
from tests.stations.conftest import Journey


def start(journey: Journey) -> None:
    with session() as store:
        checking.start_checking(store, "ada", journey.import_id)


def test_a_check_under_way_is_told_until_it_is_over(small: Journey) -> None:
    start(small)
    start(small)
    under_way = small.now().checking
    assert under_way is not None
    assert (under_way.state, under_way.done, under_way.total) == ("waiting", 0, small.now().sheet.rows)
    assert [one.subject for one in to_do(["check"])] == [small.import_id]
    checking.carry_out_check(small.import_id)
    now = small.now()
    assert now.checking is None
    assert now.check is not None
    assert now.check.ready + now.check.held == now.check.rows == now.sheet.rows
    checking.carry_out_check(small.import_id)
    assert to_do(["check"]) == []


def test_a_check_that_is_stopped_leaves_the_one_before(small: Journey) -> None:
    with session() as store:
        check.check_import(store, "ada", small.import_id)
    before = small.now().check
    assert before is not None
    with session() as store:
        correct.leave_out(store, "ada", small.import_id, [2, 3])
    start(small)
    with session() as store:
        checking.stop_checking(store, "bo", small.import_id)
    checking.carry_out_check(small.import_id)
    now = small.now()
    assert now.checking is None
    assert now.check is not None
    assert (now.check.ready, now.check.held) == (before.ready, before.held)
    assert now.check.stale


def test_a_check_that_fails_says_why_and_can_be_asked_for_again(
    small: Journey, monkeypatch: pytest.MonkeyPatch
) -> None:
    def broken(*_: object) -> None:
        raise RuntimeError("the disk is full")

    with session() as store:
        correct.correct_cells(store, "ada", small.import_id, [Correction(2, "City", "Ryewick")])
    start(small)
    with monkeypatch.context() as patched:
        patched.setattr(checking, "check_import", broken)
        with pytest.raises(RuntimeError):
            checking.carry_out_check(small.import_id)
    failed = small.now().checking
    assert failed is not None
    assert failed.state == "failed"
    assert failed.error
    start(small)
    checking.carry_out_check(small.import_id)
    assert small.now().checking is None
    assert small.now().check is not None
