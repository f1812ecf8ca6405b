"""Follow-ups: what is done for the records of a run after it, each as a rehearsed plan of its own."""

from __future__ import annotations

import asyncio
import datetime as dt
import re
from dataclasses import replace
from typing import Any

import polars as pl
from pydantic import BaseModel
from sqlalchemy.orm import Session

from datorum.core.check.formats import FORMATS
from datorum.core.errors import Conflict, InvalidMapping
from datorum.core.letter import filled_in, folded, names_in
from datorum.core.model import Action, Change, FollowUp, PlanRow, RecordType, SiteRecord
from datorum.core.plan.frame import frame_of, rows_of
from datorum.core.values import at
from datorum.mail import has_mail_server, no_mail_server
from datorum.stations import work
from datorum.stations.at_rest import run_with_records
from datorum.stations.basis import Target
from datorum.stations.following import SUBJECT, TEXT, TO, asked_for
from datorum.stations.freeze import Freezing
from datorum.stations.imports import get_import
from datorum.stations.snapshots import held_snapshot, read_fresh
from datorum.stations.verify import read_back
from datorum.store import models
from datorum.store.database import session
from datorum.store.people import record

_ACTIONS = {"created": [Action.CREATE], "changed": [Action.UPDATE], "all": [Action.CREATE, Action.UPDATE]}


class Offered(BaseModel):
    """What can be done for the records of a run: ``actions`` of the site by name, a mail to an address in one of the
    fields ``addresses``, by their titles, where there is a mail server; ``names``: what texts may name."""

    actions: list[str]
    addresses: dict[str, str]
    names: list[str]
    mail: bool


def offered(run: models.Run) -> Offered:
    """What can be done for the records of a run."""
    target = Target.kept(run.plan)
    kind = target.record_type
    return Offered(
        actions=[call.name for call in target.description.type(kind.name).actions],
        addresses={
            field.path: field.title
            for field in kind.fields
            if field.format in ("email", "idn-email") and not field.in_list
        },
        names=list(_named(kind)),
        mail=has_mail_server(),
    )


_SECRET = re.compile(r"(?i)password|secret|token|hash")


def _named(kind: RecordType) -> dict[str, str]:
    """The paths of the fields that texts may name, by their titles; what nobody else is to know stands in none."""
    own = {
        field.title: field.path
        for field in kind.fields
        if not field.in_list and not field.write_only and not _SECRET.search(field.path)
    }
    there = {folded(title) for title in own}
    return own | {name: "" for name in ("id", "page") if name not in there}


def start_follow_up(store: Session, by: str, run_id: int, asked: FollowUp) -> models.Plan:
    """A plan of what is done for the records of a run, to be made by ``plan_follow_up``. Raises NotFound; Conflict
    where the run is not over or did nothing, NotReady where there is no mail server, InvalidMapping where a text names
    what records do not have."""
    run = run_with_records(store, run_id)
    item = get_import(store, run.plan.import_id)
    if run.kind not in ("main", "pilot"):
        raise Conflict("A follow-up is for the records of a run that has sent them.", remedy="Choose such a run.")
    _must_fit(run, asked)
    plan = models.Plan(
        import_id=item.id, kind="follow-up", of_run_id=run_id, sheet_id=run.plan.sheet_id,
        policy={"send_mail": False}, basis={"follow_up": asked.model_dump(mode="json")}, target=run.plan.target,
        created_by=by,
    )  # fmt: skip
    store.add(plan)
    record(store, by, "follow-up rehearsed", f"import {item.id}", run=run_id, what=asked.what.kind)
    store.flush()
    work.ask(store, "follow-up", plan.id, by, import_id=item.id)
    return plan


def _must_fit(run: models.Run, asked: FollowUp) -> None:
    there = offered(run)
    if asked.what.kind == "mail":
        if not there.mail:
            raise no_mail_server()
        if asked.what.to not in there.addresses:
            raise InvalidMapping(
                f"“{asked.what.to}” is no field with an e-mail address.",
                remedy=f"Choose one of: {', '.join(there.addresses)}." if there.addresses else "The records have none.",
            )
    elif asked.what.action not in there.actions:
        raise InvalidMapping(
            f"The site has no action “{asked.what.action}” for these records.",
            remedy=f"Choose one of: {', '.join(there.actions)}." if there.actions else "Its description names none.",
        )
    named = _named(Target.kept(run.plan).record_type)
    known = {folded(name) for name in [*named, *named.values()]}
    unknown = [name for text in asked.texts for name in names_in(text) if folded(name) not in known]
    if unknown:
        raise InvalidMapping(
            f"The text names [{unknown[0]}], which these records do not have.",
            remedy=f"Name one of: {', '.join(f'[{name}]' for name in there.names)}.",
        )


async def plan_follow_up(plan_id: int) -> None:
    """See what the site has of the records now and freeze the plan; on an error the plan says what happened and the
    error is raised."""
    with work.doing("follow-up", plan_id) as now:
        if now is not None:
            with session() as store:
                plan = store.get_one(models.Plan, plan_id)
                by, site_id = plan.created_by, get_import(store, plan.import_id).site_id
                name = Target.kept(plan).record_type.name
            await read_fresh(by, site_id, [name], now.tell)
            await asyncio.to_thread(_freeze, plan_id)


def _freeze(plan_id: int) -> None:
    with session() as store:
        plan = store.get_one(models.Plan, plan_id, with_for_update=True)
        if plan.frozen_at is not None:
            return
        run, kind = store.get_one(models.Run, plan.of_run_id), Target.kept(plan).record_type
        asked = asked_for(plan)
        snapshot = held_snapshot(store, get_import(store, plan.import_id).site_id, kind.name)
        seen = dict[str, int]()
        with Freezing(store, plan_id, ()) as freezing:
            for sent, found in read_back(store, run, "", kind, snapshot.id):
                rows = rows_of(sent.filter(pl.col("of_item").is_null()))
                wanted = [row for row in rows if row.action in _ACTIONS[asked.of]]
                freezing.add(
                    frame_of(_planned(row, found.get(row.record_id or ""), asked, kind, seen) for row in wanted)
                )
            counts = freezing.done()
        plan.counts = {Action.FOLLOW_UP.value: counts[Action.FOLLOW_UP.value], Action.HELD.value: counts["held"]}
        plan.records_read, plan.snapshot_at = snapshot.records_read, snapshot.as_of
        plan.frozen_at = dt.datetime.now(dt.UTC)


def _planned(row: PlanRow, now: SiteRecord | None, asked: FollowUp, kind: RecordType, seen: dict[str, int]) -> PlanRow:
    """What is done for a record that a run has sent, or why nothing is. ``seen``: the row of each address so far."""
    own = replace(row, reason="", on_site=None, etag=None, changes={}, action=Action.HELD)
    if now is None:
        return replace(own, reason="it is no longer on the site")
    own = replace(own, page=now.page)
    values = _values(now, kind)
    if asked.what.kind == "action":
        changes = {path: filled_in(text, values) for path, text in asked.what.values.items()}
    else:
        address = str(at(now.body, asked.what.to) or "").strip()
        if not address:
            return replace(own, reason="it has no address")
        if not FORMATS["email"][1](pl.Series([address])).all():
            return replace(own, reason=f"“{address}” is no address")
        first = seen.setdefault(address.casefold(), row.row or row.item)
        if first != (row.row or row.item):
            return replace(own, reason=f"the record of row {first:,} has the same address")
        changes = {TO: address, SUBJECT: filled_in(asked.what.subject, values),
                   TEXT: filled_in(asked.what.text, values)}  # fmt: skip
    return replace(own, action=Action.FOLLOW_UP, changes={path: Change(None, text) for path, text in changes.items()})


def _values(now: SiteRecord, kind: RecordType) -> dict[str, Any]:
    """What texts may name of a record, by title and by path."""
    values: dict[str, Any] = {"id": now.id, "page": now.page}
    for title, path in _named(kind).items():
        if path:
            values[folded(title)] = values[folded(path)] = at(now.body, path)
    return values
