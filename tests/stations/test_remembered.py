"""Answers that are remembered: worked out once for each state, by one for all, and several together."""

from __future__ import annotations

from collections.abc import Hashable
from concurrent.futures import ThreadPoolExecutor
from threading import Barrier, Event

import pytest

from datorum.stations.remembered import Remembered


def test_only_what_has_changed_is_worked_out_again_and_all_of_it_together() -> None:
    asked: list[list[str]] = []

    def work_out(questions: list[str]) -> dict[str, str]:
        asked.append(questions)
        return {one: one.upper() for one in questions if one != "gone"}

    kept: Remembered[str] = Remembered(8)
    first: dict[str, Hashable] = {"a": 1, "b": 1, "gone": 1}
    assert kept.several(first, work_out) == {"a": "A", "b": "B"}
    assert list(kept.several({"c": 1, "b": 2, "a": 1}, work_out)) == ["c", "b", "a"], "in the order of the questions"
    assert asked == [["a", "b", "gone"], ["c", "b"]]


def test_who_asks_what_is_being_worked_out_waits_for_it_and_does_not_work_it_out_too() -> None:
    kept: Remembered[int] = Remembered(8)
    begun, go_on = Event(), Event()
    worked: list[str] = []

    def slowly(questions: list[str]) -> dict[str, int]:
        worked.extend(questions)
        begun.set()
        assert go_on.wait(20)
        return dict.fromkeys(questions, len(worked))

    with ThreadPoolExecutor(3) as people:
        first = people.submit(kept.several, {"a": 1, "b": 1}, slowly)
        assert begun.wait(20)
        second = people.submit(kept.get, "b", 1, lambda: -1)
        third = people.submit(kept.several, {"b": 1, "c": 1}, slowly)
        go_on.set()
        assert first.result(20) == {"a": 2, "b": 2}
        assert second.result(20) == 2
        assert third.result(20) == {"b": 2, "c": 3}
    assert worked == ["a", "b", "c"]


def test_questions_that_cross_hold_each_other_up_for_no_longer_than_they_take() -> None:
    kept: Remembered[int] = Remembered(64)
    together = Barrier(4)

    def ask(turn: int) -> int:
        together.wait(20)
        found = 0
        for state in range(200):
            names = ("a", "b", "c") if turn % 2 else ("c", "b", "a")
            found += len(kept.several(dict.fromkeys(names, (turn, state)), lambda them: dict.fromkeys(them, turn)))
        return found

    with ThreadPoolExecutor(4) as people:
        assert list(people.map(ask, range(4), timeout=60)) == [600] * 4


def test_what_cannot_be_worked_out_is_asked_anew_by_the_next() -> None:
    kept: Remembered[int] = Remembered(8)

    def fails() -> int:
        raise ArithmeticError

    with pytest.raises(ArithmeticError):
        kept.get("a", 1, fails)
    assert kept.get("a", 1, lambda: 5) == 5


def test_the_oldest_answers_are_let_go() -> None:
    kept: Remembered[int] = Remembered(2)
    for number in range(4):
        kept.get(number, None, lambda number=number: number)  # type: ignore[misc]
    assert [kept.get(number, None, lambda: -1) for number in (3, 2, 0)] == [3, 2, -1]
