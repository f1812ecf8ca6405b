"""Verify: the site is read back and compared with what was sent, field by field."""

from __future__ import annotations

import asyncio
import datetime as dt
from collections.abc import Collection, Iterator
from typing import NamedTuple

import polars as pl
from psycopg.types.json import Jsonb
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.core.errors import NotFound, NotReady
from datorum.core.json_text import dumps, loads
from datorum.core.link import MEANS_ROW, with_records
from datorum.core.model import Change, FieldType, RecordType, SiteRecord
from datorum.core.plan.frame import ITEM, after, mentions, rows_of, sent_paths
from datorum.core.verify import Mismatch, compare, touched_besides
from datorum.stations import work
from datorum.stations.basis import Target
from datorum.stations.file_proof import FilesProof, SentFile, files_proven, files_sent
from datorum.stations.freeze import parts_of
from datorum.stations.imports import get_import, open_import
from datorum.stations.led_to import known_of
from datorum.stations.proof import Seen, keys_now, links_of_type
from datorum.stations.run import get_run
from datorum.stations.snapshots import held_snapshot, read_fresh
from datorum.stations.use import Used, proven_by_use
from datorum.store import models, plan_items, snapshots
from datorum.store.accepted import accepted_by_name
from datorum.store.buckets import Buckets
from datorum.store.bulk import copy_rows
from datorum.store.database import session
from datorum.store.latest import latest_of
from datorum.store.people import record
from datorum.store.plan_items import told


def start_verification(store: Session, by: str, run_id: int) -> models.Verification:
    """A verification to be made by ``verify``. Raises NotReady while the run goes on."""
    run = get_run(store, run_id)
    if run.state in ("waiting", "running"):
        raise NotReady("The run is not over.", remedy="Wait for it, or pause it.")
    verification = models.Verification(run_id=run_id)
    store.add(verification)
    record(store, by, "verified", f"run {run_id}")
    store.flush()
    work.ask(store, "verify", verification.id, by, import_id=run.plan.import_id)
    return verification


def stop_verification(store: Session, by: str, run_id: int) -> None:
    """Have the reading back of a run that is under way stop."""
    found = latest_verification(store, run_id)
    if found is not None:
        work.stop(store, "verify", found.id)
        record(store, by, "reading back stopped", f"run {run_id}")


async def verify(verification_id: int) -> None:
    """Read the site back and keep every mismatch; on an error the verification says what happened."""
    with work.doing("verify", verification_id) as now:
        if now is not None:
            await _verify(verification_id, now)


async def _verify(verification_id: int, doing: work.Doing) -> None:
    with session() as store:
        run = get_run(store, get_verification(store, verification_id).run_id)
        target, site_id = Target.kept(run.plan), get_import(store, run.plan.import_id).site_id
        by, run_id = run.started_by, run.id

    names = [name or target.record_type.name for name, _, _ in target.destinations]
    await read_fresh(by, site_id, names, doing.tell, anyhow=True)
    used = await proven_by_use(run_id)
    files = await files_proven(await asyncio.to_thread(_files_sent, run_id))
    await asyncio.to_thread(_compare, verification_id, used, files)


def _files_sent(run_id: int) -> list[SentFile]:
    """The files that a run has handed in, with what the site says of each."""
    sent: list[SentFile] = []
    with session() as store:
        run = get_run(store, run_id)
        target, site_id = Target.kept(run.plan), get_import(store, run.plan.import_id).site_id
        for name, record_type, _ in target.destinations:
            if any(field.type is FieldType.FILE for field in record_type.fields):
                kind = target.description.type(record_type.name)
                snapshot = held_snapshot(store, site_id, record_type.name)
                for back, found in read_back(store, run, name, record_type, snapshot.id):
                    sent += files_sent(kind, rows_of(back), found)
    return sent


def _compare(verification_id: int, used: Used, files: FilesProof) -> None:
    with session() as store:
        kept = get_verification(store, verification_id, lock=True)
        if kept.ended_at is not None:
            return
        run = get_run(store, kept.run_id)
        target, site_id = Target.kept(run.plan), get_import(store, run.plan.import_id).site_id
        accepted = accepted_by_name(store, get_import(store, run.plan.import_id))
        compared: set[int] = set()
        rules = open_import(store, run.plan.import_id).mapping.links
        later = _given_later(store, run)
        seen = Seen(links_of_type(target), {path: rule.by for path, rule in rules.items()})
        for name, record_type, _ in target.destinations:
            snapshot = held_snapshot(store, site_id, name or record_type.name)
            if not name:
                kept.records_on_site = snapshot.records_read
            for back, found in read_back(store, run, name, record_type, snapshot.id):
                held = compare(record_type, back, found)
                besides = touched_besides(record_type, back, found, _paths_sent(back, later))
                held = held._replace(differ=[*held.differ, *besides])
                # What is of records that links have made was accepted of none.
                other = [one for one in held.differ if name or (one.field, one.rule) not in accepted]
                kept.tolerated += len(held.differ) - len(other)
                _keep(store, verification_id, other)
                if not name:
                    seen.see(held, accepted)
                compared |= set(back.select(pl.coalesce("of_item", ITEM)).to_series())
                kept.fields_compared += sum(field.records for field in held.fields.values())
        _keep(store, verification_id, files.differ)
        kept.proof = {
            **seen.told(store, site_id, used.back), "keys": keys_now(store, run.plan, site_id), "pages": used.pages,
            "files": files.told,
        }  # fmt: skip
        kept.compared, kept.ended_at = len(compared), dt.datetime.now(dt.UTC)


def _keep(store: Session, verification_id: int, mismatches: list[Mismatch]) -> None:
    copy_rows(
        store,
        "mismatch",
        ("verification_id", "item", "record_id", "key", "field", "sent", "found", "rule"),
        (
            (verification_id, one.item, one.record_id, one.key, one.field, Jsonb(one.sent), Jsonb(one.found), one.rule)
            for one in mismatches
        ),
    )


_Found = dict[str, SiteRecord]


def read_back(
    store: Session, run: models.Run, name: str, record_type: RecordType, snapshot_id: int
) -> Iterator[tuple[pl.DataFrame, _Found]]:
    """What a run has done with records of a type, some at a time, as a frame of its plan, and what the site has of them
    now, by id."""
    item = models.PlanItem
    asked = select(item.chunk, item.item, item.record_id).where(
        item.plan_id == run.plan_id, item.run_id == run.id, item.state == "done", item.record_type == name
    )
    done = pl.DataFrame(
        store.execute(asked.order_by(item.chunk, item.item)).all(),
        schema={"chunk": pl.Int64, ITEM: pl.Int64, "now": pl.String}, orient="row",
    )  # fmt: skip
    later = _given_later(store, run)
    numbers = done["chunk"].unique(maintain_order=True).to_list()
    sizes = done.group_by("chunk", maintain_order=True).len()["len"].to_list()
    places = done.select("now").with_row_index("at", 0).with_columns(pl.col("at").cast(pl.Int64))
    with Buckets(parts_of(sizes)) as buckets:
        for chunk in snapshots.chunks(
            store, snapshot_id, [snapshots.ID, snapshots.ETAG, snapshots.PAGE, snapshots.BODY]
        ):
            there = chunk.join(places, left_on=snapshots.ID, right_on="now", how="inner")
            if there.height:
                buckets.put(there.drop("at"), there["at"].to_numpy())
        for at_part, number in enumerate(numbers):
            here = done.filter(pl.col("chunk") == number)
            frame, _ = buckets.take(at_part)
            found = {} if frame is None else {one.id: one for one in snapshots.records_in(frame)}
            yield _without(_as_sent(store, run, record_type, number, here), later), found


def _given_later(store: Session, run: models.Run) -> dict[str, set[int]]:
    """By field the items in which it was sent once more when all that it means was there: what it was at first is not
    what it is to be."""
    kept = models.PlanItem
    asked = select(kept.item, kept.chunk).where(
        kept.plan_id == run.plan_id, kept.run_id == run.id, kept.state == "done", kept.of_item.is_not(None)
    )
    again = told(store, run.plan_id, dict(store.execute(asked).all()))
    later: dict[str, set[int]] = {}
    for row in again.values():
        for path in row.changes:
            later.setdefault(path, set()).add(row.of_item or 0)
    return later


def _paths_sent(done: pl.DataFrame, later: dict[str, set[int]]) -> dict[int, set[str]]:
    """The paths that were sent of each item that changes a record, be it at first or ``later``."""
    found: dict[int, set[str]] = {}
    for path in sent_paths(done):
        for item in done.filter(pl.col(after(path)).is_not_null())[ITEM]:
            found.setdefault(item, set()).add(path)
    for path, items in later.items():
        for item in items:
            found.setdefault(item, set()).add(path)
    return found


def _without(sent: pl.DataFrame, later: dict[str, set[int]]) -> pl.DataFrame:
    """Items without the fields that were sent of them ``later``."""
    first = {
        after(path): pl.col("of_item").is_null() & pl.col(ITEM).is_in(list(items)) for path, items in later.items()
    }
    return sent.with_columns(
        pl.when(~again).then(name).alias(name) for name, again in first.items() if name in sent.columns
    )


def _as_sent(store: Session, run: models.Run, record_type: RecordType, number: int, here: pl.DataFrame) -> pl.DataFrame:
    """Items of a chunk as the site has taken them, with the records that they mean."""
    sent = plan_items.with_records_now(plan_items.chunk(store, run.plan_id, number), here)
    if not mentions(sent, MEANS_ROW):
        return sent
    texts = {path: sent[after(path)].unique().drop_nulls() for path in sent_paths(sent)}
    meaning = {path: each.filter(each.str.contains(MEANS_ROW, literal=True)).to_list() for path, each in texts.items()}
    changes = {path: [Change(None, loads(text)) for text in each] for path, each in meaning.items()}
    known = known_of(run.plan_id, [{path: change} for path, each in changes.items() for change in each])
    filled = {
        path: [dumps(with_records({path: change}, known, record_type)[path].after) for change in each]
        for path, each in changes.items()
    }
    return sent.with_columns(
        pl.col(after(path)).replace(meaning[path], texts) for path, texts in filled.items() if texts
    )


def get_verification(store: Session, verification_id: int, *, lock: bool = False) -> models.Verification:
    """Raises NotFound. ``lock`` keeps others from changing it until the transaction ends."""
    found = store.get(models.Verification, verification_id, with_for_update=lock)
    if found is None:
        raise NotFound(f"There is no verification {verification_id}.")
    return found


def latest_verification(store: Session, run_id: int) -> models.Verification | None:
    """The newest verification of a run, if any."""
    return latest_verifications(store, [run_id]).get(run_id)


def latest_verifications(store: Session, runs: Collection[int]) -> dict[int, models.Verification]:
    """The newest verifications of some runs, of those that have any."""
    return latest_of(store, models.Verification.run_id, runs, kind=models.Verification)


class PlaceOnSite(NamedTuple):
    """Of what type the record of an item is, where it is not the import's own, and the page that shows it."""

    record_type: str
    page: str | None


def places_of(store: Session, plan_id: int, items: set[int]) -> dict[int, PlaceOnSite]:
    """Where the records of some items of a plan are on the site, by item."""
    kept = models.PlanItem
    wanted = select(kept.item, kept.record_type, kept.page).where(kept.plan_id == plan_id, kept.item.in_(items))
    return {item: PlaceOnSite(record_type, page) for item, record_type, page in store.execute(wanted)}


def mismatches_of(store: Session, verification_id: int, limit: int = 500) -> list[models.StoredMismatch]:
    """The mismatches in the sheet's order."""
    return list(
        store.scalars(
            select(models.StoredMismatch)
            .where(models.StoredMismatch.verification_id == verification_id)
            .order_by(models.StoredMismatch.item, models.StoredMismatch.field)
            .limit(limit)
        )
    )


def count_mismatches(store: Session, verification_id: int) -> int:
    """How many fields the site holds otherwise than they were sent."""
    return counts_of_mismatches(store, [verification_id]).get(verification_id, 0)


def counts_of_mismatches(store: Session, verifications: Collection[int]) -> dict[int, int]:
    """How many fields the site holds otherwise than they were sent, by the verifications that found any."""
    of = models.StoredMismatch.verification_id
    asked = select(of, func.count()).where(of.in_(verifications)).group_by(of)
    return dict(store.execute(asked).all()) if verifications else {}
