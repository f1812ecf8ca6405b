"""A refusal becomes a check: what a site has refused is offered as a rule of it, and what is still to be sent is held
to that rule before it goes."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Iterator
from typing import NamedTuple

import polars as pl
from pydantic import BaseModel
from sqlalchemy import select, update
from sqlalchemy.orm import Session

from datorum.core.errors import NotFound
from datorum.core.formula import Scope, formula_column, parse
from datorum.core.json_text import loads
from datorum.core.plan.frame import ITEM, after
from datorum.core.refusal import RuleOffered, rule_for, words_of
from datorum.stations.basis import Target
from datorum.stations.imports import get_import
from datorum.stations.rules import add_rule
from datorum.stations.run_progress import field_meant, grouped
from datorum.store import models, plan_items
from datorum.store.people import record
from datorum.store.plan_items import CHUNK_ITEMS
from datorum.store.run_notes import note

_TAKEN_LOOKED_AT = 20_000


class RefusalRule(BaseModel):
    """The rule that a refusal makes, none where nothing tells what the site took from what it refused: of ``field``,
    which keep so many ``taken`` values; with how many of the records ``to_come`` it would be refused too."""

    field: str | None
    title: str | None
    formula: str | None
    sentence: str | None
    taken: int = 0
    to_come: int = 0


def rule_offered(store: Session, run: models.Run, item: int) -> RefusalRule:
    """The rule of the site that its refusal of an item, and of those that it refused in the same words, tells. Raises
    NotFound where it refused no such item."""
    found = _found(store, run, item)
    if found is None:
        return RefusalRule(field=None, title=None, formula=None, sentence=None)
    if found.rule is None:
        return RefusalRule(field=found.path, title=found.title, formula=None, sentence=None)
    count = sum(map(len, _breaking(store, run.plan_id, found.path, found.rule.formula)))
    told = found.rule._asdict()
    return RefusalRule(field=found.path, title=found.title, taken=found.taken, to_come=count, **told)


def make_it_a_check(store: Session, by: str, run: models.Run, item: int) -> int:
    """Add the rule that a refusal makes to the site, and hold what is still to be sent and breaks it. How many records
    that are. Raises NotFound where there is no such rule."""
    found = _found(store, run, item)
    if found is None or (offered := found.rule) is None:
        raise NotFound("Nothing tells what the site refuses here.", remedy="Write a rule of your own at Check.")
    path, title, kept = found.path, found.title, get_import(store, run.plan.import_id)
    add_rule(store, by, kept.site_id, kept.record_type, offered.formula, offered.sentence, blocks=True)
    count, own, goes_on = 0, Counter[str](), run.state not in ("done", "ended")
    one, part = models.PlanItem, models.RunPart
    for numbers in _breaking(store, run.plan_id, path, offered.formula):
        # What is on its way by now is let go on.
        free = select(one.item, one.action, one.run_id).where(
            one.plan_id == run.plan_id, one.state == "pending", one.item.in_(numbers)
        )
        waiting = store.execute(free.with_for_update(skip_locked=True)).all()
        told = {"state": "none", "action": "held", "message": f"{title} {offered.sentence}"}
        items = [each.item for each in waiting]
        store.execute(update(one).where(one.plan_id == run.plan_id, one.item.in_(items)).values(**told))
        count += len(items)
        # A run that is over has sent all that it was to send; what is left is another's.
        own.update(each.action for each in waiting if goes_on and (run.kind != "pilot" or each.run_id == run.id))
    for action, fewer in own.items():
        mine = part.run_id == run.id, part.record_type == "", part.action == action
        store.execute(update(part).where(*mine).values(total=part.total - fewer))
    run.total -= own.total()
    note(
        store,
        run.id,
        "good",
        f"{by} made it a check: {title} {offered.sentence}. {count:,} to come are held by it.",
    )
    record(store, by, "refusal made a check", f"import {kept.id}", run=run.id, formula=offered.formula, held=count)
    return count


class _Meant(NamedTuple):
    """The field that a refusal means, with how many values of it the site took, and the rule, if any can be told."""

    path: str
    title: str
    taken: int = 0
    rule: RuleOffered | None = None


def _found(store: Session, run: models.Run, item: int) -> _Meant | None:
    """What a refusal means; None where no field can be told. Raises NotFound where the item was not refused."""
    members = next((group for group in grouped(store, run).values() if any(one.item == item for one in group)), None)
    if members is None:
        raise NotFound(f"Run {run.id} has no item {item} that was refused.")
    rows = plan_items.told(store, run.plan_id, {one.item: one.chunk for one in members})
    kind = Target.kept(run.plan).record_type
    own = [one for one in members if not one.record_type]
    path = field_meant(own[0].message, rows[own[0].item], kind) if own else None
    if path is None:
        return None
    field = kind.field(path)
    refused = [_text(rows[one.item].changes[path].after) for one in own if path in rows[one.item].changes]
    if field.objects or not refused:
        return _Meant(path, field.title)
    taken = _taken(store, run, path)
    known = sum(value is not None for value in taken)
    return _Meant(path, field.title, known, rule_for(field, words_of(own[0].message), refused, taken))


def _taken(store: Session, run: models.Run, path: str) -> list[str | None]:
    """What a field has of records that the site took in a run."""
    found: list[str | None] = []
    for _, frame in plan_items.in_chunks(store, run.plan_id, "done"):
        if after(path) in frame.columns:
            sent = frame.filter((pl.col("record_type") == "") & pl.col(after(path)).is_not_null())[after(path)]
            found += [_text(loads(text)) for text in sent]
        if len(found) >= _TAKEN_LOOKED_AT:
            break
    return found


def _text(value: object) -> str | None:
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return None if value is None or value == "" else str(value)


def _breaking(store: Session, plan_id: int, path: str, formula: str) -> Iterator[list[int]]:
    """The items that are still to be sent and break a rule of one field, some at a time."""
    node, scope = parse(formula), Scope(now=dt.datetime.now(dt.UTC).replace(tzinfo=None))
    for _, frame in plan_items.in_chunks(store, plan_id, "pending"):
        if after(path) not in frame.columns:
            continue
        there = frame.filter((pl.col("record_type") == "") & pl.col(after(path)).is_not_null())
        values = pl.Series(path, [_text(loads(text)) for text in there[after(path)]], dtype=pl.String)
        told = formula_column(values.to_frame(), node, scope)
        numbers = there[ITEM].filter(told.values.is_in(["false", "0"]).fill_null(False)).to_list()
        for begins in range(0, len(numbers), CHUNK_ITEMS):
            yield numbers[begins : begins + CHUNK_ITEMS]
