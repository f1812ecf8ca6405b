"""What a site does to values is told by name, and once it is accepted it is no difference any more."""

from __future__ import annotations

import pytest

from datorum.core.errors import NotFound
from datorum.stations import run, tolerances
from datorum.store.database import session
from tests.processes import StandIn
from tests.stations.conftest import Journey


def test_what_is_accepted_is_no_difference_from_then_on(small: Journey, site: StandIn) -> None:
    site.behave(alter_city=True)
    small.rehearse()
    small.run()
    before = small.verify().verify
    assert before is not None
    assert before.mismatches > 0
    now = small.now().run
    assert now is not None
    with session() as store:
        [group] = tolerances.groups_of(store, run.get_run(store, now.id))
    assert (group.field, group.rule, group.records) == ("address.city", "case", before.mismatches)
    assert str(group.sent).upper() == group.found
    with session() as store, pytest.raises(NotFound):
        tolerances.accept(store, "ada", run.get_run(store, now.id), "address.city", "rounds")
    with session() as store:
        tolerances.accept(store, "ada", run.get_run(store, now.id), "address.city", "case")
    after = small.now().verify
    assert after is not None
    assert (after.mismatches, after.tolerated) == (0, before.mismatches)
    again = small.verify().verify
    assert again is not None
    assert (again.mismatches, again.tolerated) == (0, before.mismatches)
    with session() as store:
        [kept] = tolerances.list_accepted(store, small.import_id)
        assert (kept.by, kept.says) == ("ada", "changes the case of letters")
        tolerances.take_back(store, "ada", small.import_id, kept.id)
    counted = small.verify().verify
    assert counted is not None
    assert (counted.mismatches, counted.tolerated) == (before.mismatches, 0)
