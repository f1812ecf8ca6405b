"""What is done for the records of a run after it: rehearsed, only for as many as was said, and never twice."""

from __future__ import annotations

import asyncio
import csv
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest

from datorum.core.errors import Conflict, InvalidMapping, NotReady
from datorum.core.model import Action, CallAction, Field, FollowUp, PlanRow, RecordType, SendMail, SiteRecord
from datorum.settings import settings
from datorum.sites.retry import Retry
from datorum.stations import follow_up, follow_up_view, listing, run, run_list, undo
from datorum.stations.follow_up_view import FollowUpState
from datorum.store import models, plan_items
from datorum.store.database import session
from tests.processes import TOKEN, StandIn
from tests.stations.conftest import Journey

LETTER = SendMail(
    to="email", subject="Your account, [Name]", text="Dear [name],\n\nsee [page] [[1].\n", per_minute=6_000
)


@pytest.fixture
def mail(site: StandIn, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    monkeypatch.setenv("DATORUM_MAIL_SERVER", f"smtp://127.0.0.1:{site.smtp_port}")
    monkeypatch.setenv("DATORUM_MAIL_FROM", "office@quillmoss.example")
    settings.cache_clear()
    yield
    monkeypatch.undo()
    settings.cache_clear()


def carried_out(journey: Journey) -> int:
    """The run of all that a plan sends, once it is over."""
    journey.rehearse()
    found = journey.run().run
    assert found is not None
    assert found.state == "done"
    return found.id


def rehearsed(run_id: int, asked: FollowUp) -> FollowUpState:
    with session() as store:
        plan = follow_up.start_follow_up(store, "ada", run_id, asked)
    asyncio.run(follow_up.plan_follow_up(plan.id))
    return now(run_id)


def now(run_id: int) -> FollowUpState:
    with session() as store:
        return follow_up_view.follow_ups(store, store.get_one(models.Run, run_id))[0]


def followed(run_id: int, records: int) -> FollowUpState:
    with session() as store:
        begun = run.start_run(store, "ada", now(run_id).plan_id, follows=records).id
        assert run.start_run(store, "ada", now(run_id).plan_id, follows=records).id == begun
    asyncio.run(run.carry_out(begun))
    return now(run_id)


@pytest.mark.usefixtures("mail")
def test_a_mail_goes_to_each_record_that_a_run_has_created_and_to_no_other(small: Journey, site: StandIn) -> None:
    number = carried_out(small)
    planned = rehearsed(number, FollowUp(what=LETTER, of="created"))
    rehearsal = small.now().rehearse
    assert rehearsal is not None
    assert (planned.state, planned.records, planned.held) == ("ready", rehearsal.counts["create"], 0)
    example = planned.examples[0]
    assert example.says["to"] == example.key
    assert example.says["subject"].startswith("Your account, ")
    assert (example.page or "?") in example.says["text"]
    assert "[1]" in example.says["text"]
    assert site.mails() == 0
    with pytest.raises(Conflict, match=f"for {planned.records:,} records"):
        followed(number, planned.records + 1)
    done = followed(number, planned.records)
    assert (done.state, done.done, done.failed) == ("done", planned.records, 0)
    assert site.mails() == planned.records
    current = small.now().run
    assert current is not None
    # The run of the plan is still what the Run station shows, and what the list of imports tells.
    assert (current.id, current.kind) == (number, "main")
    with session() as store:
        [listed] = listing.list_imports(store)
        assert (listed.state, listed.sent) == ("carried out", current.done)
    with session() as store, pytest.raises(Conflict, match="cannot be taken back"):
        undo.start_undo(store, "ada", done.run_id or 0)


@pytest.mark.usefixtures("mail")
def test_records_that_have_gone_are_held_with_the_reason(small: Journey, site: StandIn) -> None:
    number = carried_out(small)
    before = rehearsed(number, FollowUp(what=LETTER, of="created"))
    gone = before.examples[0]
    with session() as store:
        [record_id] = plan_items.record_ids(store.get_one(models.Run, number).plan_id, [gone.item]).values()
    with httpx.Client(base_url=f"{site.url}/api", headers={"Authorization": f"Bearer {TOKEN}"}, timeout=180) as api:
        api.delete(f"/customers/{record_id}").raise_for_status()
    planned = rehearsed(number, FollowUp(what=LETTER, of="created"))
    assert (planned.records, planned.held) == (before.records - 1, 1)
    assert (planned.left[0].key, planned.why) == (gone.key, {"it is no longer on the site": 1})


def test_one_address_gets_one_mail() -> None:
    kind = RecordType(name="users", title="Users", fields=(Field(path="email", title="E-mail", format="email"),))
    asked, seen = FollowUp(what=SendMail(to="email", subject="Hello", text="You")), dict[str, int]()
    given = ["ada@quillmoss.example", "ADA@quillmoss.example", "", "ada at quillmoss"]
    planned = [
        follow_up._planned(PlanRow(item=row, row=row, action=Action.CREATE, record_id=str(row)),
                           SiteRecord(str(row), {"email": address}), asked, kind, seen)
        for row, address in enumerate(given, 2)
    ]  # fmt: skip
    assert [row.action for row in planned] == [Action.FOLLOW_UP, *[Action.HELD] * 3]
    assert [row.reason for row in planned[1:]] == [
        "the record of row 2 has the same address", "it has no address", "“ada at quillmoss” is no address",
    ]  # fmt: skip


@pytest.mark.usefixtures("mail")
def test_a_mail_server_that_is_away_pauses_it_and_nobody_gets_two(
    small: Journey, site: StandIn, monkeypatch: pytest.MonkeyPatch
) -> None:
    number = carried_out(small)
    planned = rehearsed(number, FollowUp(what=LETTER, of="created"))
    monkeypatch.setattr("datorum.stations.sender._RETRY", Retry(2, 0.01))
    monkeypatch.setenv("DATORUM_MAIL_SERVER", "smtp://127.0.0.1:9")
    settings.cache_clear()
    paused = followed(number, planned.records)
    assert (paused.state, paused.done) == ("paused", 0)
    assert "mail server cannot be reached" in paused.error
    monkeypatch.setenv("DATORUM_MAIL_SERVER", f"smtp://127.0.0.1:{site.smtp_port}")
    settings.cache_clear()
    with session() as store:
        run.resume(store, "ada", paused.run_id or 0)
    asyncio.run(run.carry_out(paused.run_id or 0))
    assert now(number).done == site.mails() == planned.records


def test_an_action_of_the_site_is_called_for_each_record(
    start: Callable[[str, list[dict[str, str]]], Journey], site: StandIn
) -> None:
    people = [
        {"Username": f"grower{n}", "E-mail": f"grower{n}@quillmoss.example", "Name": f"Grower {n}"} for n in range(3)
    ]
    number = carried_out(start("users", people))
    with session() as store:
        there = follow_up.offered(store.get_one(models.Run, number))
    assert there.actions == ["invite"]
    assert "email" in there.addresses
    planned = rehearsed(number, FollowUp(what=CallAction(action="invite")))
    assert (planned.records, site.mails()) == (3, 0)
    assert followed(number, 3).done == site.mails() == 3


@pytest.mark.usefixtures("mail")
@pytest.mark.parametrize(
    ("what", "says"),
    [
        (CallAction(action="dismiss"), "no action “dismiss”"),
        (LETTER.model_copy(update={"to": "name"}), "no field with an e-mail address"),
        (LETTER.model_copy(update={"text": "Dear [Surname]"}), r"names \[Surname\]"),
        (LETTER.model_copy(update={"text": "Your [password]"}), r"names \[password\]"),
    ],
)
def test_what_cannot_be_done_is_told_before_anything_is(small: Journey, what: Any, says: str) -> None:
    number = carried_out(small)
    with session() as store, pytest.raises(InvalidMapping, match=says):
        follow_up.start_follow_up(store, "ada", number, FollowUp(what=what))


def test_without_a_mail_server_no_mail_is_rehearsed(small: Journey) -> None:
    number = carried_out(small)
    with session() as store, pytest.raises(NotReady, match="knows no mail server"):
        follow_up.start_follow_up(store, "ada", number, FollowUp(what=LETTER))


def test_the_records_of_a_run_are_taken_away_with_columns_of_the_sheet(small: Journey, tmp_path: Path) -> None:
    number = carried_out(small)
    whole, redirects = tmp_path / "run.csv", tmp_path / "redirects.csv"
    with session() as store:
        found = store.get_one(models.Run, number)
        run_list.write_list(store, found, ["Customer ID"], whole)
        run_list.write_redirects(store, found, "Customer ID", redirects)
        total = found.done
    rows = list(csv.DictReader(whole.read_text("utf-8-sig").splitlines()))
    assert len(rows) == total
    assert {row["Done"] for row in rows} == {"create", "update"}
    assert all(row["Key"] and row["Id on the site"] and row["Page"] and row["Row"].isdigit() for row in rows)
    pairs = list(csv.DictReader(redirects.read_text("utf-8-sig").splitlines()))
    pages = {row["Customer ID"].strip(): row["Page"] for row in rows if row["Customer ID"].strip()}
    assert {pair["From"]: pair["To"] for pair in pairs} == pages
