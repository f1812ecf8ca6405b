"""A whole plan as a spreadsheet, for somebody to look through and sign; and how it differs from the one before."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from pathlib import Path

import polars as pl
from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.json_text import loads
from datorum.core.link import read_text, row_meant, text_parts
from datorum.core.model import Action, RecordType
from datorum.core.plan.frame import after, before, frame_of, sent_paths
from datorum.core.table.sheets_writer import SheetsWriter
from datorum.stations.basis import Target
from datorum.stations.imports import get_import
from datorum.store import models, plan_items


def write_plan(store: Session, plan: models.Plan, path: Path) -> None:
    """Write a plan as a workbook, with a sheet that sums it up and has room for a signature, or as CSV, by the path's
    name. Raises NotAllowed where a workbook cannot hold it."""
    kinds = {name: kind for name, kind, _ in Target.kept(plan).destinations}
    numbers = plan_items.chunk_numbers(store, plan.id)
    latest = dict(store.execute(select(models.PlanItem.item, models.PlanItem.chunk).where(
        models.PlanItem.plan_id == plan.id)).all()) if len(numbers) > 1 else None  # fmt: skip
    paths = list(dict.fromkeys(path for number in numbers for path in
                               sent_paths(plan_items.chunk(store, plan.id, number))))  # fmt: skip
    called = _awaited(store, plan)
    with SheetsWriter(path) as writer:
        if path.suffix.lower() == ".xlsx":
            writer.add("Summary", _summary(store, plan))
        if not numbers:
            writer.add("Plan", _told(frame_of(()), kinds, paths, {}))
        for number in numbers:
            frame = plan_items.chunk(store, plan.id, number)
            if latest is not None:
                # Of what was put in order afterwards the later state counts.
                frame = frame.filter([latest.get(item) == number for item in frame["item"].to_list()])
            # What stands for the records of other imports is in their plans.
            own = frame.filter(pl.col("action") != Action.AWAITED.value)
            writer.add("Plan", _told(own, kinds, paths, called))


def _awaited(store: Session, plan: models.Plan) -> dict[int, str]:
    """What the records of other imports are called that a plan means."""
    items = list(store.scalars(select(models.Awaited.item).where(models.Awaited.plan_id == plan.id)))
    return {item: f"{row.key}, {row.reason}" for item, row in plan_items.rows(store, plan.id, items).items()}


def _summary(store: Session, plan: models.Plan) -> pl.DataFrame:
    item = get_import(store, plan.import_id)
    sheet = store.get_one(models.StoredSheet, plan.sheet_id)
    lines = [
        ("Import", item.name), ("Site", item.site.name), ("Records", item.record_type),
        ("File", sheet.original.filename), ("SHA-256", sheet.original.sha256),
        ("Rehearsed", f"{plan.created_at:%Y-%m-%d %H:%M} UTC by {plan.created_by}"),
        ("Site read", f"{plan.snapshot_at:%Y-%m-%d %H:%M} UTC" if plan.snapshot_at else ""),
        *((action, f"{count:,}") for action, count in plan.counts.items()),
        *((f"made first, {name}", f"{count:,}") for name, count in plan.made.items()),
        ("Agreed to by", ""), ("On", ""), ("Signature", ""),
    ]  # fmt: skip
    return pl.DataFrame({"What": [what for what, _ in lines], "": [said for _, said in lines]})


def _told(frame: pl.DataFrame, kinds: dict[str, RecordType], paths: list[str], called: dict[int, str]) -> pl.DataFrame:
    """Items of a plan as a person reads them."""
    own = frame.select(
        Row=pl.col("row").cast(pl.String), Key="key", Kind=pl.col("record_type"),
        **{"What happens": pl.col("action"), "Why": pl.col("reason"), "On the site": pl.col("record_id")},
    )  # fmt: skip
    titles = {field.path: field.title for kind in kinds.values() for field in kind.fields}
    columns = {}
    for path in paths:
        title = f"{titles.get(path, path)} ({path})"
        for when, name in (("now", before(path)), ("after", after(path))):
            texts = frame[name] if name in frame.columns else pl.Series([None] * frame.height, dtype=pl.String)
            columns[f"{title}, {when}"] = _read(texts, called)
    return own.with_columns(**columns)


def _read(texts: pl.Series, called: dict[int, str]) -> pl.Series:
    distinct = texts.unique().drop_nulls()
    said = pl.Series([_shown(loads(text), called) for text in distinct], dtype=pl.String)
    return texts.replace_strict(distinct, said, default=None, return_dtype=pl.String) if len(distinct) else texts


def _shown(value: object, called: dict[int, str]) -> str:
    number = row_meant(value)
    if number is not None:
        return called.get(number) or f"the record of row {number:,}"
    parts = text_parts(value)
    if parts is not None:
        return read_text(parts, called.get)
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list):
        return "; ".join(_shown(one, called) for one in value)
    if isinstance(value, dict):
        return ", ".join(f"{name} {_shown(one, called)}" for name, one in value.items())
    return "" if value is None else str(value)


class Drifted(BaseModel):
    """So many records would be dealt with otherwise than in the rehearsal before; none: there was no such record."""

    was: str | None
    now: str | None
    records: int


class PlanDrift(BaseModel):
    """What is otherwise since the rehearsal before, by key."""

    since: dt.datetime | None
    changes: list[Drifted]


def drift_of(store: Session, plan: models.Plan) -> PlanDrift:
    """How a plan differs from the last one of its import before it."""
    kept = models.Plan
    asked = select(kept).where(kept.import_id == plan.import_id, kept.kind == "main", kept.frozen_at.is_not(None),
                               kept.id < plan.id)  # fmt: skip
    earlier = store.scalars(asked.order_by(kept.id.desc()).limit(1)).first()
    if earlier is None or plan.state != "ready":
        return PlanDrift(since=None, changes=[])
    was, now = _keyed(store, earlier.id), _keyed(store, plan.id)
    both = was.join(now, on="key", how="full", coalesce=True, suffix="_now").filter(
        pl.col("action").ne_missing(pl.col("action_now"))
    )
    counted = both.group_by("action", "action_now").len().sort("len", descending=True)
    changes = [
        Drifted(was=before_it, now=after_it, records=count) for before_it, after_it, count in counted.iter_rows()
    ]
    return PlanDrift(since=earlier.created_at, changes=changes)


def _keyed(store: Session, plan_id: int) -> pl.DataFrame:
    """The records of a plan by their keys, with what happens to each."""

    def parts() -> Iterator[pl.DataFrame]:
        for number in plan_items.chunk_numbers(store, plan_id):
            frame = plan_items.chunk(store, plan_id, number)
            own = (pl.col("record_type") == "") & pl.col("of_item").is_null() & pl.col("key").is_not_null()
            yield frame.filter(own).select("key", "action")

    none = pl.DataFrame(schema={"key": pl.String, "action": pl.String})
    return pl.concat([none, *parts()]).unique("key", keep="last")
