"""How imports stand, asked for one by one and several at once."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager

import pytest
from sqlalchemy import event

from datorum.core.model import Policy
from datorum.stations import check, overview
from datorum.stations.imports import rename
from datorum.stations.remembered import Remembered, state_of, states_of
from datorum.stations.told import told
from datorum.store import models
from datorum.store.database import engine, session
from tests.stations.conftest import Journey

Start = Callable[[str, list[dict[str, str]]], Journey]


def _customers(count: int) -> list[dict[str, str]]:
    return [{"E-mail": f"p{one}@example.org", "First name": "Ute", "Surname": f"Acker {one}"} for one in range(count)]


@contextmanager
def _statements() -> Iterator[list[str]]:
    """What the database is asked meanwhile."""
    asked: list[str] = []

    def note(_connection: object, _cursor: object, statement: str, *_: object) -> None:
        asked.append(statement)

    event.listen(engine(), "before_cursor_execute", note)
    try:
        yield asked
    finally:
        event.remove(engine(), "before_cursor_execute", note)


@pytest.fixture
def forgotten(monkeypatch: pytest.MonkeyPatch) -> Callable[[], None]:
    """Have nothing remembered from before."""
    return lambda: monkeypatch.setattr(overview, "_SEEN", Remembered(64))


def test_several_at_once_stand_as_each_by_itself(small: Journey, start: Start, forgotten: Callable[[], None]) -> None:
    small.rehearse()
    small.run()
    small.verify()
    held, begun = start("customers", _customers(5)), start("customers", _customers(3))
    with session() as store:
        check.check_import(store, "ada", held.import_id)
    begun.set_policy(Policy(on_no_match="hold"))
    numbers = [begun.import_id, small.import_id, held.import_id]
    forgotten()
    with session() as store:
        together = overview.overviews(store, [*numbers, 987_654])
        # What is remembered of one is that of all.
        assert states_of(store, numbers) == {one: state_of(store, one) for one in numbers}
    assert list(together) == numbers, "in the order in which they are asked for, without what is not there"
    for number in numbers:
        forgotten()
        with session() as store:
            assert overview.overview(store, number) == together[number]
    assert together[small.import_id].verify is not None
    assert together[held.import_id].check is not None
    assert together[begun.import_id].policy.on_no_match == "hold"


def test_many_imports_ask_the_database_no_more_often_than_two(start: Start, forgotten: Callable[[], None]) -> None:
    journeys = [start("customers", _customers(2 + number)) for number in range(7)]
    for journey in journeys:
        with session() as store:
            check.check_import(store, "ada", journey.import_id)
        journey.rehearse()
    numbers = [journey.import_id for journey in journeys]
    counts = []
    for some in (numbers[:2], numbers):
        forgotten()
        with session() as store, _statements() as asked:
            overview.overviews(store, some)
        counts.append(len(asked))
    assert counts[0] == counts[1]
    with session() as store, _statements() as asked:
        overview.overviews(store, numbers)
    assert len(asked) == 1, "whether anything has changed"


def test_what_is_told_is_what_the_overview_says_and_costs_little(small: Journey, start: Start) -> None:
    other = start("customers", _customers(3))
    small.rehearse()
    small.run()
    small.verify()
    with session() as store:
        shown, said = overview.overview(store, small.import_id), told(store, small.import_id)
    assert (said.run, said.checking, said.afterwards) == (shown.run, None, None)
    assert shown.rehearse is not None
    assert said.rehearse is not None
    assert (said.rehearse.id, said.rehearse.records_read) == (shown.rehearse.id, shown.rehearse.records_read)
    with session() as store, _statements() as asked:
        assert told(store, small.import_id) == said
    assert len(asked) <= 4
    with session() as store:
        store.get_one(models.Run, said.run.id if said.run else 0).done -= 1
    with session() as store:
        later = told(store, small.import_id)
    assert later.stamp == said.stamp, "figures are told beside it"
    with session() as store:
        rename(store, "ada", other.import_id, "Another")
        check.check_import(store, "ada", other.import_id)
    with session() as store:
        assert told(store, small.import_id).stamp == said.stamp, "what is of another alone is not told"
        rename(store, "ada", small.import_id, "The same by another name")
    with session() as store:
        assert told(store, small.import_id).stamp != said.stamp
