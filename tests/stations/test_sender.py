"""Whatever a site does and whenever workers die, each row of a plan goes once, and its outcome is kept."""

from __future__ import annotations

import asyncio
import datetime as dt
import random
import threading
from collections import Counter
from collections.abc import Awaitable, Callable, Collection, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from dataclasses import field as dataclass_field
from functools import partial
from typing import Any

import pytest

from datorum.core.model import Action, Change, Field, PlanRow, Policy, RecordType, SiteRecord
from datorum.core.plan.frame import frame_of
from datorum.sites import NO_LIMITS, SILENT, Answer, Can, MailRule, Outcome, SiteLimits
from datorum.stations.doubts import Destination
from datorum.stations.freeze import Freezing
from datorum.stations.imports import open_import
from datorum.stations.sender import Part, Sender
from datorum.stations.turns import LeaseLost, TurnAt
from datorum.store import models, plan_items
from datorum.store.database import session
from tests.stations.conftest import Journey, taken_and_left

_ROWS = 40


class WorkerDiedError(BaseException):
    """As by a signal: nothing that the worker would still do is done."""


@dataclass
class Fickle:
    """A site in memory that would take a record twice, and answers each write by its mood towards the key.

    Moods: ``take``; ``later``; ``drop before`` and ``drop after``, the connection breaking before or after the write;
    ``die before`` and ``die after``, the worker ending then. Keys in ``refused`` are never taken.
    """

    mood: Callable[[str], str]
    refused: frozenset[str] = frozenset()
    records: dict[str, SiteRecord] = dataclass_field(default_factory=dict)
    writes: Counter[str] = dataclass_field(default_factory=Counter)
    dead: bool = False
    can_ask: bool = True
    keyed: bool = False
    by_key: dict[str, str] = dataclass_field(default_factory=dict)
    looks: int = 0
    reads: int = 0

    @property
    def can(self) -> frozenset[Can]:
        return frozenset({Can.KEYED} if self.keyed else ())

    def finds_by(self, key: Field) -> bool:
        return self.can_ask

    async def find(self, key: Field, values: Collection[str]) -> dict[str, list[SiteRecord]]:
        self.looks += 1
        return {value: [one for one in self.records.values() if one.body[key.path] == value] for value in values}

    async def read(self, record_id: str) -> SiteRecord | None:
        self.reads += 1
        return self.records.get(record_id)

    async def create(
        self, values: dict[str, Any], *, mail: MailRule = SILENT, key: str | None = None,
        like: dict[str, Any] | None = None,
    ) -> Answer:  # fmt: skip
        if self.keyed and key in self.by_key:
            return Answer(Outcome.DONE, self.records[self.by_key[key]], status=201)
        count = len(self.records)
        answer = await self._write(None, {}, values)
        if self.keyed and key and len(self.records) > count:
            self.by_key[key] = next(one for one, kept in self.records.items() if kept.body["email"] == values["email"])
        return answer

    async def update(
        self, record_id: str, etag: str | None, values: dict[str, Any], *, mail: MailRule = SILENT,
        was: SiteRecord | None = None,
    ) -> Answer:  # fmt: skip
        record = self.records.get(record_id)
        if record is None:
            return Answer(Outcome.REFUSED, status=404, message="there is no such record")
        if etag not in (None, record.etag):
            return Answer(Outcome.REFUSED, status=412, message="changed meanwhile")
        return await self._write(record_id, record.body, values)

    async def delete(self, record_id: str, etag: str | None = None) -> Answer:
        record = self.records[record_id]
        mood = self.mood(record.body["email"])
        if mood == "later":
            return Answer(Outcome.LATER, status=429, message="busy", wait=0.0)
        if mood != "drop before":
            del self.records[record_id]
        return Answer(Outcome.IN_DOUBT if mood.startswith("drop") else Outcome.DONE, status=204)

    async def before(self, email: str) -> None:
        """What happens meanwhile."""

    async def _write(self, record_id: str | None, body: dict[str, Any], values: dict[str, Any]) -> Answer:
        # Others go on while this one is on its way.
        await asyncio.sleep(0)
        await self.before(values.get("email") or body["email"])
        body = {**body, **values}
        if body["email"] in self.refused:
            return Answer(Outcome.REFUSED, status=422, message="the site does not want this one")
        mood = "die before" if self.dead else self.mood(body["email"])
        match mood.split():
            case ["later"]:
                return Answer(Outcome.LATER, status=429, message="busy", wait=0.0)
            case ["die", "before"]:
                self.dead = True
                raise WorkerDiedError
            case ["drop", "before"]:
                return Answer(Outcome.IN_DOUBT, message="hung up", wait=0.001)
        record_id = record_id or f"r{len(self.records)}"
        self.writes[body["email"]] += 1
        self.records[record_id] = SiteRecord(id=record_id, body=body, etag=f"v{self.writes[body['email']]}")
        match mood.split():
            case ["die", "after"]:
                self.dead = True
                raise WorkerDiedError
            case ["drop", "after"]:
                return Answer(Outcome.IN_DOUBT, message="hung up", wait=0.001)
        return Answer(Outcome.DONE, self.records[record_id], status=201)


def key(row: int) -> str:
    return f"row{row}@example.org"


class Planned:
    """A plan of some creates and updates, and a run of it, turn after turn."""

    def __init__(
        self, import_id: int, record_type: RecordType, updates: Sequence[int] = (), tagged: bool = True,
        deletes: Sequence[int] = (),
    ) -> None:  # fmt: skip
        self._type = record_type
        self.on_site = {
            f"old{row}": SiteRecord(id=f"old{row}", body={"email": key(row), "name": "Old"}, etag="v0")
            for row in (*updates, *deletes)
        }
        with session() as store:
            now = open_import(store, import_id)
            plan = models.Plan(
                import_id=import_id, sheet_id=now.sheet.id, policy={}, basis={}, target={},
                frozen_at=dt.datetime.now(dt.UTC), created_by="ada", records_read=len(updates),
            )  # fmt: skip
            store.add(plan)
            store.flush()
            run = models.Run(plan_id=plan.id, state="running", started_by="ada")
            store.add(run)
            store.flush()
            self.plan_id, self.run_id, self.site_id = plan.id, run.id, now.item.site_id
            with Freezing(store, plan.id, ()) as frozen:
                frozen.add(frame_of(self._row(row, updates, deletes, tagged) for row in range(_ROWS)))
                frozen.done()

    @staticmethod
    def _row(row: int, updates: Sequence[int], deletes: Sequence[int], tagged: bool) -> PlanRow:
        if row in deletes:
            known = {"name": Change("Old")}
            return PlanRow(item=row, action=Action.DELETE, key=key(row), record_id=f"old{row}", changes=known)
        if row in updates:
            change = {"name": Change("Old", f"New {row}")}
            etag = "v0" if tagged else None
            return PlanRow(row, Action.UPDATE, row, key(row), record_id=f"old{row}", etag=etag, changes=change)
        made = {"name": Change(None, f"New {row}"), "email": Change(None, key(row))}
        return PlanRow(row, Action.CREATE, row, key(row), changes=made)

    def turn(self, site: Fickle, limits: SiteLimits = NO_LIMITS) -> Sender:
        """One worker's turn, to its end or its death."""
        part = Part(self.run_id, self.plan_id, self.site_id)
        sender = Sender({"": Destination(site, self._type, "email")}, part, Policy(), limits)
        try:
            self.finished = asyncio.run(sender.work())
        except BaseExceptionGroup as group:
            if group.subgroup(WorkerDiedError) is None:
                raise
            self.finished = False
        site.dead = False
        return sender

    def rows(self) -> dict[int, models.PlanItem]:
        with session() as store:
            found = store.query(models.PlanItem).filter_by(plan_id=self.plan_id).all()
            store.expunge_all()
            return {one.item: one for one in found}


@pytest.fixture
def plan_of(small: Journey, customers: RecordType, monkeypatch: pytest.MonkeyPatch) -> Callable[..., Planned]:
    monkeypatch.setattr("datorum.sites.retry.random.uniform", lambda low, high: 0.0)
    return lambda updates=(), tagged=True, deletes=(): Planned(small.import_id, customers, updates, tagged, deletes)


_MOODS = ("take", "take", "take", "later", "drop before", "drop after", "die before", "die after")


def of_any_mood(seed: int, planned: Planned) -> Fickle:
    chance = random.Random(seed)
    weights = [chance.random() * (0.1 if mood.startswith("die") else 1) for mood in _MOODS]
    refused = frozenset(map(key, range(0, _ROWS, 7)))
    return Fickle(lambda _: chance.choices(_MOODS, weights)[0], refused, dict(planned.on_site))


def test_every_row_goes_once_whatever_happens(plan_of: Callable[..., Planned], monkeypatch: pytest.MonkeyPatch) -> None:
    settle, sites = plan_items.settle, list[Fickle]()
    monkeypatch.setattr(plan_items, "settle", lambda *told: None if sites[-1].dead else settle(*told))
    for seed in range(10):
        planned = plan_of(range(0, _ROWS, 3), tagged=bool(seed % 2))
        site = of_any_mood(seed, planned)
        sites.append(site)
        for _ in range(200):
            planned.turn(site)
            if planned.finished:
                break
        assert planned.finished, seed

        rows = planned.rows()
        states = {row: "failed" if key(row) in site.refused else "done" for row in rows}
        assert {row: kept.state for row, kept in rows.items()} == states, seed
        assert (set(site.writes.values()), len(site.writes)) == ({1}, _ROWS - len(site.refused)), seed
        assert set(Counter(record.body["email"] for record in site.records.values()).values()) == {1}
        for row, kept in rows.items():
            if kept.state == "done":
                assert site.records[str(kept.record_id)].body["name"] == f"New {row}"


def test_where_the_site_cannot_be_asked_for_a_key_all_rows_in_doubt_are_looked_up_together(
    plan_of: Callable[..., Planned],
) -> None:
    planned = plan_of()
    dropped = set(map(key, range(0, _ROWS, 2)))
    site = Fickle(lambda email: "drop after" if email in dropped else "take", can_ask=False)
    planned.turn(site)
    assert planned.finished
    assert {row.state for row in planned.rows().values()} == {"done"}
    assert set(site.writes.values()) == {1}
    assert site.looks == 1


def test_what_is_in_doubt_is_sent_again_under_its_key_where_the_site_takes_one_and_cannot_be_asked(
    plan_of: Callable[..., Planned],
) -> None:
    planned = plan_of()
    tries: Counter[str] = Counter()

    def mood(email: str) -> str:
        tries[email] += 1
        return "drop after" if tries[email] == 1 else "take"

    site = Fickle(mood, can_ask=False, keyed=True)
    # A worker died while some of them were on their way.
    taken_and_left(planned.run_id, 5)
    planned.turn(site)
    assert planned.finished
    assert {row.state for row in planned.rows().values()} == {"done"}
    assert set(site.writes.values()) == {1}
    assert site.looks == 0


def test_a_site_that_takes_nothing_leaves_every_row_pending_and_says_why(plan_of: Callable[..., Planned]) -> None:
    planned, site = plan_of(), Fickle(lambda _: "later")
    sender = planned.turn(site)
    assert not planned.finished
    assert "busy" in sender.why_paused
    assert {row.state for row in planned.rows().values()} == {"pending"}
    assert not site.records


def test_a_row_in_doubt_is_looked_up_and_told_to_have_been_found(plan_of: Callable[..., Planned]) -> None:
    planned, site = plan_of(), Fickle(lambda _: "drop after")
    planned.turn(site)
    assert planned.finished
    assert {row.message for row in planned.rows().values()} == {"found after a lost connection"}
    assert set(site.writes.values()) == {1}


def test_a_record_of_the_key_that_is_not_what_was_sent_is_left_to_a_person(
    plan_of: Callable[..., Planned],
) -> None:
    planned = plan_of()
    site = Fickle(lambda email: "drop before" if email == key(5) else "take")
    site.records["stranger"] = SiteRecord(id="stranger", body={"email": key(5), "name": "Somebody else"})
    planned.turn(site)
    rows = planned.rows()
    assert [row for row in rows if rows[row].state == "failed"] == [5]
    assert rows[5].record_id == "stranger"
    assert "not what was sent" in rows[5].message
    assert site.records["stranger"].body["name"] == "Somebody else"


def test_a_record_that_went_meanwhile_fails_its_row_alone(plan_of: Callable[..., Planned]) -> None:
    planned = plan_of([3, 6], tagged=False)
    site = Fickle(lambda _: "take", records=dict(planned.on_site))
    del site.records["old3"]
    planned.turn(site)
    rows = planned.rows()
    assert [row for row in rows if rows[row].state == "failed"] == [3]
    assert (rows[3].status, "no longer" in rows[3].message) == (404, True)


def test_an_update_of_a_record_that_changed_meanwhile_names_the_field(plan_of: Callable[..., Planned]) -> None:
    planned = plan_of([3, 6], tagged=False)
    site = Fickle(lambda _: "take", records=dict(planned.on_site))
    site.records["old6"] = SiteRecord(id="old6", body={"email": key(6), "name": "Renamed by hand"}, etag="v7")
    planned.turn(site)
    rows = planned.rows()
    assert [row for row in rows if rows[row].state == "failed"] == [6]
    assert "name" in rows[6].message
    assert site.records["old6"].body["name"] == "Renamed by hand"


def test_an_update_of_what_the_list_gave_with_its_entity_tag_is_one_request(plan_of: Callable[..., Planned]) -> None:
    planned = plan_of([3, 4, 5], tagged=True)
    site = Fickle(lambda _: "take", records=dict(planned.on_site))
    planned.turn(site)
    assert site.reads == 0
    assert {planned.rows()[row].state for row in (3, 4, 5)} == {"done"}


def test_an_update_goes_where_only_another_field_changed_meanwhile(plan_of: Callable[..., Planned]) -> None:
    planned = plan_of([3, 4], tagged=True)
    site = Fickle(lambda _: "take", records=dict(planned.on_site))
    site.records["old3"] = SiteRecord(
        id="old3", body={**planned.on_site["old3"].body, "phone": "+4722000000"}, etag="v8"
    )
    planned.turn(site)
    assert planned.rows()[3].state == "done"
    assert site.records["old3"].body["phone"] == "+4722000000"
    assert (site.writes[key(3)], site.reads) == (1, 1)


def test_an_update_in_doubt_on_a_record_changed_by_another_is_left_alone(plan_of: Callable[..., Planned]) -> None:
    planned = plan_of([3], tagged=True)
    site = Fickle(lambda _: "take", records=dict(planned.on_site))
    # A worker died while row 3 was on its way, and somebody else wrote another name.
    taken_and_left(planned.run_id, 4)
    site.records["old3"] = SiteRecord(id="old3", body={"email": key(3), "name": "By hand"}, etag="v9")
    planned.turn(site)
    row = planned.rows()[3]
    assert (row.state, site.records["old3"].body["name"]) == ("failed", "By hand")
    assert "left alone" in row.message


def test_what_is_deleted_goes_once_and_is_left_where_it_was_changed(plan_of: Callable[..., Planned]) -> None:
    planned = plan_of(deletes=range(0, _ROWS, 2))
    moods = {0: "drop after", 2: "drop before", 4: "later"}
    tries: Counter[str] = Counter()

    def mood(email: str) -> str:
        tries[email] += 1
        number = int(email.removeprefix("row").partition("@")[0])
        return moods.get(number, "take") if tries[email] == 1 else "take"

    site = Fickle(mood, records=dict(planned.on_site))
    site.records["old6"] = SiteRecord(id="old6", body={"email": key(6), "name": "By hand"}, etag="v3")
    del site.records["old8"]
    planned.turn(site)
    rows = planned.rows()
    assert [item for item, row in rows.items() if row.state != "done"] == [6]
    assert "left there" in rows[6].message
    assert [one for one in site.records if one.startswith("old")] == ["old6"]


def test_a_turn_whose_lease_is_lost_sends_nothing_more_and_pauses_nothing(
    plan_of: Callable[..., Planned], monkeypatch: pytest.MonkeyPatch
) -> None:
    planned, site = plan_of(), Fickle(lambda _: "take")
    turns: list[TurnAt] = []
    renew = TurnAt.renew

    def renewed(turn: TurnAt) -> None:
        turns.append(turn)
        renew(turn)

    async def meanwhile(_: object, email: str) -> None:
        if email == key(7):
            # The database was away, and others may have it all by now.
            turns[0].lost, turns[0]._may_begin_until = True, 0.0

    monkeypatch.setattr(TurnAt, "renew", renewed)
    monkeypatch.setattr(Fickle, "before", meanwhile, raising=False)
    with pytest.raises(LeaseLost):
        planned.turn(site)
    assert 0 < len(site.writes) < _ROWS
    with session() as store:
        run = store.get_one(models.Run, planned.run_id)
        assert (run.state, run.error) == ("running", "")
    planned.turn(site)
    assert planned.finished
    assert set(site.writes.values()) == {1}
    assert {row.state for row in planned.rows().values()} == {"done"}


def test_a_run_that_is_to_pause_sends_nothing_more(plan_of: Callable[..., Planned]) -> None:
    planned, site = plan_of(), Fickle(lambda _: "take")
    with session() as store:
        store.get_one(models.Run, planned.run_id).state = "paused"
    planned.turn(site)
    assert not planned.finished
    assert not site.writes
    assert {row.state for row in planned.rows().values()} == {"pending"}


_LAST, _LAST_BUT_ONE = key(_ROWS - 1), key(_ROWS - 2)


class _SlowAtTheEnd(Fickle):
    """Of the last row it asks ``meanwhile`` before it is through, of the one before ``just_before``, where there is
    such a thing to do."""

    meanwhile: Callable[[], Awaitable[object]]
    just_before: Callable[[], Awaitable[object]] | None = None

    async def create(
        self, values: dict[str, Any], *, mail: MailRule = SILENT, key: str | None = None,
        like: dict[str, Any] | None = None,
    ) -> Answer:  # fmt: skip
        if values["email"] == _LAST:
            await self.meanwhile()
        if values["email"] == _LAST_BUT_ONE and self.just_before:
            await self.just_before()
        return await super().create(values, mail=mail, key=key)


def pending(plan_id: int) -> int:
    """How many rows of a plan are still to be claimed."""
    with session() as store:
        return plan_items.counts_by_state(store, plan_id).get("pending", 0)


def test_a_run_sits_out_quiet_hours_says_so_and_goes_on(
    plan_of: Callable[..., Planned], monkeypatch: pytest.MonkeyPatch
) -> None:
    planned, site = plan_of(), Fickle(lambda _: "take")
    told: list[tuple[str, int]] = []
    quiet = iter([dt.timedelta(hours=2)] * 3)

    def until(_limits: SiteLimits, now: dt.datetime) -> dt.datetime | None:
        left = next(quiet, None)
        with session() as store:
            told.append((store.get_one(models.Run, planned.run_id).error, len(site.writes)))
        return now + left if left else None

    monkeypatch.setattr(SiteLimits, "quiet_until", until)
    monkeypatch.setattr("datorum.stations.sender._LOOKS_EVERY", 0.01)
    planned.turn(site)
    assert planned.finished
    assert len(site.writes) == _ROWS
    said = [words for words, sent in told if words and sent == 0]
    assert said
    assert all(words.startswith("The site has quiet hours until") for words in said)
    with session() as store:
        assert store.get_one(models.Run, planned.run_id).error == ""


def test_outcomes_that_wait_to_be_written_when_the_last_row_is_through_are_kept(
    plan_of: Callable[..., Planned], monkeypatch: pytest.MonkeyPatch
) -> None:
    planned, site = plan_of(), _SlowAtTheEnd(lambda _: "take")
    busy, waits = asyncio.Event(), asyncio.Event()
    to_thread = asyncio.to_thread

    spare = ThreadPoolExecutor(2)

    async def seen(work: Callable[..., Any], *arguments: Any, **named: Any) -> Any:
        if busy.is_set() and not waits.is_set():
            if work is not plan_items.settle or not arguments[-1]:
                # Only outcomes are to stand before the thread that is taken.
                return await asyncio.get_running_loop().run_in_executor(spare, partial(work, *arguments, **named))
            waits.set()
        return await to_thread(work, *arguments, **named)

    async def until_outcomes_wait_for_the_only_thread() -> None:
        while await to_thread(pending, planned.plan_id):
            await asyncio.sleep(0)
        loop, free = asyncio.get_running_loop(), threading.Event()
        loop.set_default_executor(ThreadPoolExecutor(1))
        loop.run_in_executor(None, free.wait, 30)
        busy.set()
        site.meanwhile = lambda: asyncio.sleep(0)
        await waits.wait()
        # The thread is free again only when the sender has long come to its end.
        loop.call_later(0.3, free.set)

    site.meanwhile = until_outcomes_wait_for_the_only_thread
    # However fast the others were: the outcome of one comes when the thread is busy.
    site.just_before = busy.wait
    monkeypatch.setattr("datorum.stations.sender.asyncio.to_thread", seen)
    monkeypatch.setattr("datorum.stations.sender._KEEP_EVERY", 0.01)
    planned.turn(site)
    spare.shutdown()
    assert {row.state for row in planned.rows().values()} == {"done"}


def test_outcomes_that_cannot_be_written_at_once_are_written_later(
    plan_of: Callable[..., Planned], monkeypatch: pytest.MonkeyPatch
) -> None:
    planned, site = plan_of(), _SlowAtTheEnd(lambda _: "take")
    settle, failed = plan_items.settle, threading.Event()

    def at_the_second_try(plan_id: int, run_id: int, turn_id: int, rows: Sequence[plan_items.Settled]) -> None:
        if rows and not failed.is_set():
            failed.set()
            raise OSError("the database does not answer")
        settle(plan_id, run_id, turn_id, rows)

    site.meanwhile = lambda: asyncio.to_thread(failed.wait, 10)
    monkeypatch.setattr(plan_items, "settle", at_the_second_try)
    monkeypatch.setattr("datorum.stations.sender._KEEP_EVERY", 0.01)
    planned.turn(site)
    assert failed.is_set()
    assert {row.state for row in planned.rows().values()} == {"done"}
