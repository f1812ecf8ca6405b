"""The items of a plan on their way: pending → sending → done or failed. What each is stands in the plan's chunks."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import polars as pl
from sqlalchemy import ColumnElement, delete, func, insert, select
from sqlalchemy.dialects.postgresql import insert as upsert
from sqlalchemy.exc import NoResultFound
from sqlalchemy.orm import Session

from datorum.core.in_order import in_order
from datorum.core.model import PlanRow
from datorum.core.plan.frame import ITEM, rows_of
from datorum.core.table.packed import packed, unpacked
from datorum.store.bulk import copy_frame
from datorum.store.database import session
from datorum.store.models import PlanAddress, PlanChunk, PlanField, PlanItem, Run
from datorum.store.queries import QUERIES

CHUNK_ITEMS = 8_192
"""As many items a chunk of a plan has at most."""


@dataclass(frozen=True)
class Settled:
    """What became of one item. ``state``: done, failed, or pending where it is to be tried another time."""

    item: int
    state: str
    record_id: str | None = None
    etag: str | None = None
    page: str | None = None
    status: int | None = None
    message: str = ""
    took_ms: int | None = None


def keep_chunk(store: Session, plan_id: int, number: int, data: bytes) -> None:
    """Keep what some items of a plan are: a packed frame with the columns of ``PLAN_SCHEMA``, and those of fields."""
    store.execute(insert(PlanChunk).values(plan_id=plan_id, number=number, parquet=data))


def forget_items(store: Session, plan_id: int) -> None:
    """Keep nothing of what is to become of the items of a plan."""
    store.execute(delete(PlanItem).where(PlanItem.plan_id == plan_id))


def keep_items(store: Session, plan_id: int, items: pl.DataFrame) -> None:
    """Keep what is to become of the items of a plan: the columns of ``PlanItem`` that they have."""
    copy_frame(store, "plan_item", items.select(pl.lit(plan_id).alias("plan_id"), pl.all()))


def keep_changing(store: Session, plan_id: int, changing: Iterable[tuple[str, pl.Series]]) -> None:
    """Keep in which items each field changes."""
    for path, data in in_order(lambda one: (one[0], packed(pl.DataFrame({ITEM: one[1]}))), changing):
        store.execute(insert(PlanField).values(plan_id=plan_id, field=path, items=data))


def items_changing(store: Session, plan_id: int, path: str) -> pl.Series:
    """The items in which a field changes, in order."""
    data = store.scalar(select(PlanField.items).where(PlanField.plan_id == plan_id, PlanField.field == path))
    return pl.Series(dtype=pl.Int64) if data is None else unpacked(data)[ITEM]


@lru_cache(maxsize=12)
def _chunk(plan_id: int, number: int) -> pl.DataFrame:
    with session() as store:
        return _read_chunk(store, plan_id, number)


def _read_chunk(store: Session, plan_id: int, number: int) -> pl.DataFrame:
    wanted = PlanChunk.plan_id == plan_id, PlanChunk.number == number
    return unpacked(store.scalars(select(PlanChunk.parquet).where(*wanted)).one())


def chunk(store: Session, plan_id: int, number: int) -> pl.DataFrame:
    """A chunk of a plan. It is remembered: nobody alters it."""
    try:
        return _chunk(plan_id, number)
    except NoResultFound:
        # It was kept in a transaction that is not over yet.
        return _read_chunk(store, plan_id, number)


def chunk_numbers(store: Session, plan_id: int) -> list[int]:
    """The numbers of a plan's chunks in order."""
    return list(store.scalars(select(PlanChunk.number).where(PlanChunk.plan_id == plan_id).order_by(PlanChunk.number)))


def told(store: Session, plan_id: int, places: Mapping[int, int]) -> dict[int, PlanRow]:
    """What some items are, each in the chunk of a number."""
    by_chunk: dict[int, list[int]] = {}
    for item, number in places.items():
        by_chunk.setdefault(number, []).append(item)
    found: dict[int, PlanRow] = {}
    for number, items in by_chunk.items():
        wanted = chunk(store, plan_id, number).filter(pl.col(ITEM).is_in(items))
        found |= {row.item: row for row in rows_of(wanted)}
    return found


def rows(store: Session, plan_id: int, items: Collection[int]) -> dict[int, PlanRow]:
    """What some items are, with the record on the site that each has by now."""
    asked = select(PlanItem.item, PlanItem.chunk, PlanItem.record_id).where(
        PlanItem.plan_id == plan_id, PlanItem.item.in_(items)
    )
    known = {item: (number, record_id) for item, number, record_id in store.execute(asked)}
    found = told(store, plan_id, {item: number for item, (number, _) in known.items()})
    return {item: _with_record(found[item], record_id) for item, (_, record_id) in known.items()}


def _with_record(row: PlanRow, record_id: str | None) -> PlanRow:
    return row if record_id is None or record_id == row.record_id else replace(row, record_id=record_id)


def in_chunks(
    store: Session, plan_id: int, *states: str, since: dt.datetime | None = None
) -> Iterator[tuple[int, pl.DataFrame]]:
    """Of each chunk its number, and what those of its items are that are in some states, or were done ``since``, with
    the record that each has by now."""
    wanted: ColumnElement[bool] = PlanItem.state.in_(states)
    if since is not None:
        wanted |= (PlanItem.state == "done") & (PlanItem.ended_at > since)
    for number in chunk_numbers(store, plan_id):
        asked = select(PlanItem.item, PlanItem.record_id).where(
            PlanItem.plan_id == plan_id, PlanItem.chunk == number, wanted
        )
        known = pl.DataFrame(store.execute(asked).all(), schema={ITEM: pl.Int64, "now": pl.String}, orient="row")
        if known.height:
            yield number, with_records_now(chunk(store, plan_id, number), known)


def with_records_now(frame: pl.DataFrame, known: pl.DataFrame) -> pl.DataFrame:
    """Those of a chunk's items that are ``known``, each with the id of the record that it has ``now``, if any."""
    found = frame.join(known.select(ITEM, "now"), on=ITEM, how="inner", maintain_order="left")
    return found.with_columns(record_id=pl.coalesce("now", "record_id")).drop("now")


def claim(plan_id: int, run_id: int, turn_id: int, count: int, wave: int, *, part: bool = False) -> list[PlanRow]:
    """Mark the next items of a wave as being sent, and commit that before anything leaves. ``part``: those only that
    are of the run already."""
    return _taken("claim_part" if part else "claim", plan_id, run_id, turn_id, count, wave)


def in_doubt(plan_id: int, run_id: int, turn_id: int, count: int, wave: int) -> list[PlanRow]:
    """Take over items that were being sent in a turn that is over."""
    return _taken("take_over", plan_id, run_id, turn_id, count, wave)


def _taken(query: str, plan_id: int, run_id: int, turn_id: int, count: int, wave: int) -> list[PlanRow]:
    asked = {"plan": plan_id, "run": run_id, "turn": turn_id, "count": count, "wave": wave}
    with session() as store:
        taken = {row.item: row for row in store.execute(QUERIES[query], asked)}
    with session() as store:
        found = told(store, plan_id, {item: row.chunk for item, row in taken.items()})
    return [_with_record(found[item], taken[item].record_id) for item in sorted(taken)]


def open_wave(plan_id: int, run_id: int, *, part: bool = False) -> int | None:
    """The first wave of which anything is still to be sent, or on its way; None where there is none."""
    with session() as store:
        query = QUERIES["open_wave_of_part" if part else "open_wave"]
        found: int | None = store.scalar(query, {"plan": plan_id, "run": run_id})
        return found


def known_addresses(plan_id: int, items: Collection[int]) -> dict[int, str | None]:
    """The addresses that the records of some items have, as far as a run has been told them."""
    kept = PlanAddress
    with session() as store:
        asked = select(kept.item, kept.address).where(kept.plan_id == plan_id, kept.item.in_(items))
        return dict(store.execute(asked).all())


def keep_addresses(plan_id: int, told: Mapping[int, str | None]) -> None:
    """Keep the addresses that a run was told; of two workers the first counts."""
    rows = [{"plan_id": plan_id, "item": item, "address": address} for item, address in told.items()]
    with session() as store:
        store.execute(upsert(PlanAddress).on_conflict_do_nothing(), rows)


def made(store: Session, plan_id: int, record_type: str) -> dict[int, str]:
    """The keys of the records of a type that a plan makes since links mean them, by their items."""
    kept = PlanItem
    asked = select(kept.item, kept.chunk).where(
        kept.plan_id == plan_id, kept.record_type == record_type, kept.of_item.is_(None), kept.action == "create"
    )
    found = told(store, plan_id, dict(store.execute(asked).all()))
    return {item: row.key for item, row in found.items() if row.key is not None}


def types_of(plan_id: int, items: Collection[int]) -> dict[int, str]:
    """The names that some items of a plan have for their record types."""
    with session() as store:
        asked = select(PlanItem.item, PlanItem.record_type).where(PlanItem.plan_id == plan_id, PlanItem.item.in_(items))
        return dict(store.execute(asked).all())


def etags(plan_id: int, items: Collection[int]) -> dict[int, str]:
    """The entity tags that the records of some items had when they were done."""
    with session() as store:
        asked = select(PlanItem.item, PlanItem.etag).where(
            PlanItem.plan_id == plan_id, PlanItem.item.in_(items), PlanItem.state == "done"
        )
        return {item: tag for item, tag in store.execute(asked) if tag is not None}


def record_ids(plan_id: int, items: Sequence[int]) -> dict[int, str]:
    """The records on the site of some items, where they have one by now."""
    with session() as store:
        return dict(store.execute(QUERIES["record_ids"], {"plan": plan_id, "items": list(items)}).all())


def record_ids_as_sent(store: Session, run: Run, items: Collection[int]) -> dict[int, str]:
    """The records that some items of a run's plan had when the run sent what means them, whatever became of them
    since."""
    asked = {"plan": run.plan_id, "items": list(items), "at": run.ended_at or dt.datetime.now(dt.UTC)}
    found = store.execute(QUERIES["record_ids_as_sent"], asked).all() if items else []
    return {item: record_id for item, record_id in found if record_id is not None}


def settle(plan_id: int, run_id: int, turn_id: int, settled: Sequence[Settled]) -> None:
    """Keep what became of some items, as far as they are still the turn's."""
    if not settled:
        return
    with session() as store:
        kept = store.execute(
            QUERIES["settle"],
            {
                "plan": plan_id,
                "turn": turn_id,
                "at": dt.datetime.now(dt.UTC),
                "items": [one.item for one in settled],
                "states": [one.state for one in settled],
                "records": [one.record_id for one in settled],
                "etags": [one.etag for one in settled],
                "pages": [one.page for one in settled],
                "statuses": [one.status for one in settled],
                "messages": [one.message for one in settled],
                "took": [one.took_ms for one in settled],
            },
        ).all()
        states = Counter(one.state for one in kept)
        parts = Counter((one.record_type, one.action, one.state) for one in kept)
        for record_type, action in dict.fromkeys(part[:2] for part in parts):
            asked = {"run": run_id, "record_type": record_type, "action": action}
            counts = {state: parts[record_type, action, state] for state in ("done", "failed")}
            store.execute(QUERIES["count_part"], asked | counts)
        store.execute(QUERIES["count_settled"], {"run": run_id, "done": states["done"], "failed": states["failed"]})


def counts_by_state(store: Session, plan_id: int, run_id: int | None = None) -> dict[str, int]:
    """How many items of a plan, or of one run of it, are in each state; ``none`` are those for which nothing is
    sent."""
    asked = select(PlanItem.state, func.count()).where(PlanItem.plan_id == plan_id)
    if run_id is not None:
        asked = asked.where(PlanItem.run_id == run_id)
    return {row.state: row[1] for row in store.execute(asked.group_by(PlanItem.state))}


def sending_in_turns(store: Session, plan_id: int, run_id: int) -> int:
    """How many items of a run are on their way in turns that are not over."""
    return int(store.execute(QUERIES["sending_in_turns"], {"plan": plan_id, "run": run_id}).scalar_one())
