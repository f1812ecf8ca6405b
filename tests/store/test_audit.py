"""The audit log is chained: what was removed from it, or altered, shows."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from sqlalchemy import delete, update

from datorum.store import audit
from datorum.store.database import new_session, session
from datorum.store.models import AuditEntry, AuditSeal
from datorum.store.people import record
from tests.processes import until


@pytest.fixture
def numbers(database: None) -> Iterator[list[int]]:
    """Five entries of their own."""
    with session() as store:
        store.execute(delete(AuditSeal))
        store.execute(delete(AuditEntry))
        for at in range(5):
            record(store, "ada", "tried", f"thing {at}", how=f"100% of_it {at}")
    with session() as store:
        yield [one.id for one in reversed(audit.entries(store)[0])]


def seal() -> int:
    with session() as store:
        return audit.seal_new(store)


def faults() -> list[tuple[int, str]]:
    with session() as store:
        return [(fault.number, fault.what) for fault in audit.faults(store)]


def sealed() -> int:
    with session() as store:
        return audit.last_seal(store)[0]


def test_entries_are_sealed_once_and_the_chain_is_whole(numbers: list[int]) -> None:
    until(lambda: seal() == 0 and sealed() == 5, "all to be sealed")
    with session() as store:
        record(store, "bo", "tried", "another")
    until(lambda: seal() == 0 and sealed() == 6, "the last to be sealed")
    assert faults() == []
    with session() as store:
        number, last = audit.last_seal(store)
    assert (number, len(last)) == (6, 64)


def test_what_was_altered_or_removed_shows_where(numbers: list[int]) -> None:
    until(lambda: seal() == 0 and sealed() == 5, "all to be sealed")
    with session() as store:
        store.execute(update(AuditEntry).where(AuditEntry.id == numbers[1]).values(person="bo"))
        store.execute(delete(AuditEntry).where(AuditEntry.id == numbers[3]))
    assert faults() == [(2, "the entry was altered"), (4, "the entry was removed")]
    with session() as store:
        store.execute(delete(AuditSeal).where(AuditSeal.number == 4))
    assert (4, "1 seals are missing") in faults()


def test_an_entry_whose_transaction_is_under_way_waits_and_is_not_passed_over(numbers: list[int]) -> None:
    until(lambda: seal() == 0 and sealed() == 5, "all to be sealed")
    with new_session() as slow:
        record(slow, "ada", "tried", "slowly")
        slow.flush()
        with session() as store:
            record(store, "bo", "tried", "quickly")
        # What was written behind it waits too.
        seal()
        slow.commit()
    # Transactions of any database hold it up, those of other tests too.
    until(lambda: seal() == 0 and sealed() == 7, "all to be sealed")
    assert faults() == []


def test_a_search_finds_all_of_its_words_as_they_are(numbers: list[int]) -> None:
    with session() as store:
        assert audit.entries(store, "ADA thing")[1] == 5
        assert [one.subject for one in audit.entries(store, "100% of_it 3")[0]] == ["thing 3"]
        assert audit.entries(store, "10%of")[1] == 0
        found, total = audit.entries(store, "", before=numbers[2], count=1)
        assert ([one.id for one in found], total) == ([numbers[1]], 5)
