"""The pilot: a few telling records of a plan that go first, with all that they mean."""

from __future__ import annotations

from collections.abc import Collection, Iterator

import polars as pl
from sqlalchemy import select, update
from sqlalchemy.orm import Session

from datorum.core.errors import NotReady
from datorum.core.link import addresses_meant, rows_meant
from datorum.core.model import Action
from datorum.core.plan.frame import ITEM, after, sent_paths
from datorum.core.plan.telling import Marks, telling
from datorum.stations.imports import open_import
from datorum.stations.landings import telling_records
from datorum.store import models, plan_items
from datorum.store.plan_items import CHUNK_ITEMS

_CHUNKS_LOOKED_AT = 8
_FEW_VALUES, _ITEMS_EACH = 12, 2


def telling_items(store: Session, plan: models.Plan) -> list[int]:
    """The fewest items of a plan that show all that it does: each kind of action, field, step, common value and number
    of lines. Raises NotReady where nothing is to be sent."""
    if plan.state != "ready":
        raise NotReady("The rehearsal is not finished.", remedy="Wait for it, or rehearse again.")
    now = open_import(store, plan.import_id)
    chosen = _pending(store, plan.id, telling_records(now, now.mapping))
    seen: list[pl.DataFrame] = []
    for number in plan_items.chunk_numbers(store, plan.id)[:_CHUNKS_LOOKED_AT]:
        frame = plan_items.chunk(store, plan.id, number)
        there = _pending(store, plan.id, frame[ITEM].to_list())
        seen.append(frame.filter(pl.col(ITEM).is_in(list(there))))
    whole = pl.concat(seen, how="diagonal") if seen else pl.DataFrame()
    if not whole.height:
        raise NotReady("The plan has nothing left to send.", remedy="There is nothing to run.")
    exercised = telling(list(_marks(whole)), whole.height)
    return sorted({*chosen, *whole[ITEM].gather(exercised).to_list()})


def _marks(frame: pl.DataFrame) -> Iterator[Marks]:
    """What each item does: its action, its kind, and of each field whether it is sent, to which of few values, or of
    how many lines."""
    labels = [frame["action"], "type " + frame["record_type"], (frame["of_item"].is_not_null()).cast(pl.String)]
    for path in sent_paths(frame):
        texts = frame[after(path)]
        sent = pl.select(pl.when(texts.is_not_null()).then(frame["action"])).to_series()
        labels.append(sent)
        if texts.n_unique() <= min(_FEW_VALUES, frame.height // _ITEMS_EACH):
            labels.append(texts)
        lines = texts.str.count_matches('{"', literal=True)
        listed = texts.str.starts_with("[{")
        labels.append(pl.select(pl.when(listed).then(lines.clip(upper_bound=2)).cast(pl.String)).to_series())
    for one in labels:
        if one.null_count() < len(one):
            yield one.to_dummies(drop_nulls=True).to_numpy().T.astype(bool)


def _pending(store: Session, plan_id: int, items: Collection[int]) -> set[int]:
    """Those of some items that are still to be sent."""
    kept = models.PlanItem
    found: set[int] = set()
    listed = list(items)
    for begin in range(0, len(listed), CHUNK_ITEMS):
        asked = select(kept.item).where(
            kept.plan_id == plan_id, kept.state == "pending", kept.item.in_(listed[begin : begin + CHUNK_ITEMS])
        )
        found |= set(store.scalars(asked))
    return found


def with_all_meant(store: Session, plan_id: int, items: Collection[int]) -> set[int]:
    """Some items with all of the plan that they mean, and what is put right of any of these."""
    found: set[int] = set()
    wanted = set(items)
    once_more = models.PlanItem
    while wanted:
        found |= wanted
        rows = plan_items.rows(store, plan_id, wanted)
        further = set[int]().union(*(rows_meant(row.changes) | addresses_meant(row.changes) for row in rows.values()))
        again = select(once_more.item).where(once_more.plan_id == plan_id, once_more.of_item.in_(wanted))
        wanted = (further | set(store.scalars(again))) - found
    return found


def assign(store: Session, plan_id: int, run_id: int, items: Collection[int]) -> int:
    """Have some items be of a run, as far as they are still to be sent. How many these are."""
    kept = models.PlanItem
    asked = (
        update(kept)
        .where(kept.plan_id == plan_id, kept.state == "pending", kept.item.in_(items))
        .values(run_id=run_id)
        .returning(kept.item)
    )
    return len(store.scalars(asked).all())


def kinds_told(store: Session, plan_id: int, items: Collection[int]) -> dict[str, int]:
    """How many of some items are of each action."""
    rows = plan_items.rows(store, plan_id, items)
    counts = dict.fromkeys((action.value for action in Action if action.sends), 0)
    for row in rows.values():
        if row.action.sends:
            counts[row.action.value] += 1
    return counts
