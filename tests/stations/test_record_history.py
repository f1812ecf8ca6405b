"""What happened to one record is told from its rehearsal to its undo, whichever import it came by."""

from __future__ import annotations

import asyncio
from collections.abc import Callable

import pytest

from datorum.core.errors import NotFound
from datorum.stations import history, record_history, rehearse, run, undo
from datorum.stations.record_history import RecordHistory
from datorum.store import models
from datorum.store.database import session
from tests.processes import StandIn
from tests.stations.conftest import Journey


def told(journey: Journey, number: int) -> RecordHistory:
    with session() as store:
        return record_history.history_of(store, journey.import_id, number)


def an_item(journey: Journey, action: str) -> int:
    with session() as store:
        plan = rehearse.latest_plan(store, journey.import_id)
        assert plan is not None
        items = store.query(models.PlanItem).filter_by(plan_id=plan.id, action=action)
        return int(items.order_by(models.PlanItem.item).first().item)  # type: ignore[union-attr]


def test_a_record_is_followed_from_its_rehearsal_to_its_undo(small: Journey, site: StandIn) -> None:
    with pytest.raises(NotFound, match="No rehearsal knows the record of row 2"):
        told(small, 2)
    small.rehearse()
    number = an_item(small, "create")
    assert [one.text for one in told(small, number).happened] == ["Rehearsed: create"]
    small.run()
    site.behave(alter_city=True)
    small.verify()
    now = small.now().run
    assert now is not None
    with session() as store:
        plan = undo.start_undo(store, "bo", now.id, [number])
    asyncio.run(undo.plan_undo(plan.id))
    with session() as store:
        begun = run.start_run(store, "bo", plan.id).id
    asyncio.run(run.carry_out(begun))
    found = told(small, number)
    texts = [one.text for one in found.happened]
    assert texts[:2] == ["Rehearsed: create", "Created"]
    assert texts[2] in ("Read back: otherwise than sent in address.city", "Read back: as sent")
    assert [one.by for one in found.happened] == ["ada", "ada", "ada", *["bo"] * (len(texts) - 3)]
    assert "to be taken back" in texts[3]
    assert all(one.filename == "customers.csv" and one.row == number for one in found.happened)
    assert found.record_id is not None
    assert found.page is not None


def test_a_record_that_is_held_says_why(small: Journey) -> None:
    small.rehearse()
    held = told(small, an_item(small, "held"))
    assert [one.mark for one in held.happened] == ["held"]
    assert held.happened[0].text.startswith("Rehearsed: held: ")


def test_what_another_import_did_to_it_is_told_as_well(
    small: Journey, site: StandIn, begin: Callable[[bytes], Journey]
) -> None:
    small.rehearse()
    number = an_item(small, "create")
    small.run()
    first = told(small, number)
    name = next(body["name"] for body in site.bodies() if body["email"] == first.key)
    rows = f"E-mail Address,Name,Company\n{first.key},{name},Moss and Rye\n"
    other = begin(rows.encode())
    other.rehearse()
    other.run()
    assert [one.text for one in told(small, number).happened] == [
        "Rehearsed: create", "Created", "Rehearsed: update", "Changed, 1 field",
    ]  # fmt: skip
    again = told(other, 2)
    assert again.record_id == first.record_id
    assert len(again.happened) == 4


def test_a_site_has_all_runs_to_it(small: Journey, connected: int) -> None:
    small.rehearse()
    small.run()
    with session() as store:
        [found] = history.runs_to(store, connected)
        assert (found.import_id, found.record_type, found.kind) == (small.import_id, "customers", "main")
        assert history.runs_to(store, connected, before=found.id) == []
        with pytest.raises(NotFound):
            history.runs_to(store, 999_999)
