"""What runs did with each record: of one run as it was sent, of several as if they had been one."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from typing import NamedTuple

import polars as pl
from sqlalchemy import ColumnElement, and_, or_, select
from sqlalchemy.orm import Session

from datorum.core.link import Known, addresses_meant, rows_meant, with_records
from datorum.core.model import Action, Change, PlanRow, RecordType
from datorum.core.plan.frame import rows_of
from datorum.store import models, plan_items

_APART = 2**40
"""Items of one run and of the next are so far apart where several are told as one."""


class Done(NamedTuple):
    """What was done with one record, and in which ``wave``, those of earlier runs after those of later ones where they
    are to be taken back. ``in_question``: it may not have arrived."""

    row: PlanRow
    wave: int
    in_question: bool


def in_question() -> ColumnElement[bool]:
    """Of items that they failed, and that the site has a record which may be what they sent: a connection broke."""
    kept = models.PlanItem
    return and_(kept.state == "failed", kept.record_id.is_not(None), kept.status.is_(None))


def done_items(store: Session, run: models.Run, chosen: Collection[int] | None) -> list[models.PlanItem]:
    """What a run did, and what it may have done; all of it, or of some items."""
    kept = models.PlanItem
    wanted = or_(kept.state == "done", in_question())
    asked = select(kept).where(kept.plan_id == run.plan_id, kept.run_id == run.id, wanted)
    if chosen is not None:
        asked = asked.where(kept.item.in_(chosen) | kept.of_item.in_(chosen))
    return list(store.scalars(asked.order_by(kept.item)))


def done_in_all(
    store: Session, runs: Sequence[models.Run], kinds: Mapping[str, RecordType], chosen: Collection[int] | None
) -> list[Done]:
    """What some runs of an import did, the latest first, a row for each record: what it was before the first of them,
    and what the last has left of it. ``kinds``: the record types by the names that rows have for them."""
    found: dict[tuple[str, str], Done] = {}
    gone: list[Done] = []
    base = 0
    for place, run in enumerate(runs):
        sent = _sent(store, run, kinds, chosen)
        highest = max((one.wave for one in sent), default=0)
        for one in sent:
            # What is taken back goes in the reverse order.
            turned = one._replace(row=_of_run(one.row, place), wave=base + highest - one.wave)
            at = (one.row.record_type, one.row.record_id or f"{place} {one.row.item}")
            if at in found:
                turned = _both(turned, found.pop(at))
            if turned.row.action is Action.LEFT_OUT:
                gone.append(turned)
            else:
                found[at] = turned
        base += highest + 1
    return [*found.values(), *gone]


def items_of(place: int, items: Collection[int]) -> set[int]:
    """Of items of several runs told as one those of the run at a ``place``, as its own plan calls them."""
    return {item - place * _APART for item in items if -_APART // 2 <= item - place * _APART < _APART // 2}


def _of_run(row: PlanRow, place: int) -> PlanRow:
    return replace(row, item=row.item + place * _APART) if place else row


def _both(first: Done, then: Done) -> Done:
    """What an earlier run and a later one did with a record, as one thing."""
    row, later = first.row, then.row
    sure = first.in_question or then.in_question
    if later.action is Action.DELETE:
        # One that was made and taken away is as it was.
        action = Action.LEFT_OUT if row.action is Action.CREATE else Action.DELETE
        return Done(replace(later, action=action, on_site=row.on_site or later.on_site), first.wave, sure)
    changes = {
        path: Change(row.changes[path].before if path in row.changes else change.before, change.after)
        for path, change in (row.changes | later.changes).items()
    }
    whole = replace(
        row, item=later.item, row=later.row, key=later.key, changes=changes, etag=later.etag, page=later.page
    )
    return Done(whole, first.wave, sure)


def _sent(
    store: Session, run: models.Run, kinds: Mapping[str, RecordType], chosen: Collection[int] | None
) -> list[Done]:
    """What a run did with each record, and in which wave, with the entity tag that the record had then; what was
    changed once more is of the same record."""
    items = done_items(store, run, chosen)
    places = {one.item: one for one in items}
    numbers = sorted({one.chunk for one in items})
    told: dict[int, PlanRow] = {}
    for number in numbers:
        frame = plan_items.chunk(store, run.plan_id, number)
        here = [item for item, one in places.items() if one.chunk == number]
        told |= {row.item: row for row in rows_of(frame.filter(pl.col("item").is_in(here)))}
    led = set[int]().union(*(addresses_meant(row.changes) for row in told.values()))
    # What was filled in may be of a pilot of the plan, or of another import, and be gone from the site by now.
    wanted = set[int]().union(*(rows_meant(row.changes) for row in told.values()), led)
    ids = plan_items.record_ids_as_sent(store, run, wanted)
    meant = Known(ids, plan_items.known_addresses(run.plan_id, led) if led else {})
    found: dict[int, Done] = {}
    again: list[PlanRow] = []
    for item, row in told.items():
        known = {path: change for path, change in row.changes.items() if _is_there(kinds[row.record_type], path)}
        changes = with_records(known, meant, kinds[row.record_type])
        record_id = places[item].record_id or row.record_id
        row = replace(row, changes=changes, record_id=record_id, etag=places[item].etag)
        if row.of_item is None:
            found[item] = Done(row, places[item].wave, places[item].state == "failed")
        else:
            again.append(row)
    for row in again:
        if row.of_item in found:
            first = found[row.of_item]
            whole = replace(first.row, changes=first.row.changes | row.changes, etag=row.etag)
            found[row.of_item] = first._replace(row=whole)
    return list(found.values())


def _is_there(kind: RecordType, path: str) -> bool:
    """Whether a site still describes a field."""
    return path in kind.lists or any(field.path == path for field in kind.fields)
