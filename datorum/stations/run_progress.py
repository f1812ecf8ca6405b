"""What one looks at while a run goes on: how far each part of it is, how fast it goes, what happened, the last records,
and what the site refused."""

from __future__ import annotations

import datetime as dt
import re
import time
from collections import Counter

from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.core.model import PlanRow, RecordType
from datorum.core.refusal import words_of
from datorum.stations.at_rest import UNDER_WAY
from datorum.stations.basis import Target
from datorum.stations.remembered import Remembered
from datorum.stations.run import no_such_run
from datorum.store import models, plan_items
from datorum.store.queries import QUERIES
from datorum.store.run_notes import notes_of

_POINTS = 180
_EVENTS = 40
_LATEST = 8
_LOOKED_AT = 5_000
_VARIES = re.compile(r"“[^”]*”|\"[^\"]*\"|'[^']*'|\d[\d.,:-]*")


class PartOfRun(BaseModel):
    """The records of a type for which the same is done. ``record_type`` is empty where it is the import's own."""

    record_type: str
    action: str
    total: int
    done: int
    failed: int


class Pace(BaseModel):
    """How fast a run went at a moment."""

    at: dt.datetime
    rate: float
    response_ms: float | None


class Happened(BaseModel):
    at: dt.datetime
    mark: str
    text: str


class LatestItem(BaseModel):
    """A record that was sent a moment ago."""

    item: int
    key: str | None
    action: str
    state: str
    took_ms: int | None
    page: str | None


class Refusal(BaseModel):
    """What the site said of some records in the same words, but for numbers and what it quotes. ``field``: that it
    means, where that can be told; ``item``: the first of them; ``examples``: the keys of the first of them."""

    item: int
    said: str
    status: int | None
    field: str | None
    title: str | None
    records: int
    examples: list[str]


class RunProgress(BaseModel):
    parts: list[PartOfRun]
    pace: list[Pace]
    happened: list[Happened]
    latest: list[LatestItem]
    refusals: list[Refusal]


_SEEN: Remembered[bytes] = Remembered(64)
_EVERY = 1.0
"""Seconds for which what was worked out for one who looks holds for all."""


def progress_as_json(store: Session, import_id: int, run_id: int) -> bytes:
    """Where a run of an import stands, or stood within the last second while it goes on. Raises NotFound."""
    # Who looks on asks again and again: no more is read than tells whether what others were told still holds.
    found = store.execute(QUERIES["run_of_import"], {"run": run_id, "import": import_id}).first()
    if found is None:
        raise no_such_run(import_id, run_id)

    def work_out() -> bytes:
        return progress_of(store, store.get_one(models.Run, run_id)).model_dump_json().encode()

    if found.state not in UNDER_WAY:
        return work_out()
    return _SEEN.get((run_id, found.created_at), (found.state, time.monotonic() // _EVERY), work_out)


def progress_of(store: Session, run: models.Run) -> RunProgress:
    """Where a run stands."""
    part = models.RunPart
    parts = store.scalars(select(part).where(part.run_id == run.id).order_by(part.record_type.desc(), part.action))
    return RunProgress(
        parts=[PartOfRun.model_validate(one, from_attributes=True) for one in parts],
        pace=_pace(store, run),
        happened=[Happened.model_validate(one, from_attributes=True) for one in notes_of(store, run.id, _EVENTS)],
        latest=_latest(store, run),
        refusals=refusals_of(store, run),
    )


def _pace(store: Session, run: models.Run) -> list[Pace]:
    point = models.RunPoint
    first, last = store.execute(select(func.min(point.at), func.max(point.at)).where(point.run_id == run.id)).one()
    if first is None:
        return []
    each = max(1.0, (last - first).total_seconds() / _POINTS)
    found = store.execute(QUERIES["run_points"], {"run": run.id, "each": each})
    return [Pace(at=at, rate=rate, response_ms=took) for at, rate, took in found]


def _latest(store: Session, run: models.Run) -> list[LatestItem]:
    item = models.PlanItem
    asked = select(item).where(item.run_id == run.id, item.ended_at.is_not(None), item.state.in_(("done", "failed")))
    latest = list(store.scalars(asked.order_by(item.ended_at.desc()).limit(_LATEST)))
    rows = plan_items.told(store, run.plan_id, {one.item: one.chunk for one in latest})
    return [
        LatestItem(item=one.item, key=rows[one.item].key, action=one.action, state=one.state, took_ms=one.took_ms,
                   page=one.page or rows[one.item].page)
        for one in latest
    ]  # fmt: skip


def refusals_of(store: Session, run: models.Run) -> list[Refusal]:
    """What the site refused of a run, by what it said, the commonest first."""
    groups = grouped(store, run)
    if not groups:
        return []
    kinds = {name: kind for name, kind, _ in Target.kept(run.plan).destinations}
    first = {said: members[:3] for said, members in groups.items()}
    places = {one.item: one.chunk for members in first.values() for one in members}
    rows = plan_items.told(store, run.plan_id, places)
    found = []
    for said, members in groups.items():
        example = members[0]
        field = field_meant(example.message, rows[example.item], kinds[example.record_type])
        title = kinds[example.record_type].field(field).title if field else None
        keys = [rows[one.item].key or "" for one in first[said]]
        words = words_of(example.message) or said
        found.append(
            Refusal(item=example.item, said=words, status=example.status, field=field, title=title,
                    records=len(members), examples=keys)
        )  # fmt: skip
    return sorted(found, key=lambda one: -one.records)


def grouped(store: Session, run: models.Run) -> dict[str, list[models.PlanItem]]:
    """The refused items of a run by what the site said, but for what varies in it."""
    item = models.PlanItem
    asked = select(item).where(item.plan_id == run.plan_id, item.run_id == run.id, item.state == "failed")
    found: dict[str, list[models.PlanItem]] = {}
    for one in store.scalars(asked.order_by(item.item).limit(_LOOKED_AT)):
        found.setdefault(_VARIES.sub("…", one.message), []).append(one)
    return found


def refused_alike(store: Session, run: models.Run, item: int) -> list[int]:
    """The items that the site refused in the same words as one of them; none where it refused no such item."""
    groups = ([one.item for one in group] for group in grouped(store, run).values())
    return next((items for items in groups if item in items), [])


def field_meant(message: str, row: PlanRow, kind: RecordType) -> str | None:
    """The field that a refusal speaks of: one that it names or, where just one was sent with a value that it quotes,
    that one."""
    said = words_of(message)
    paths = sorted(row.changes, key=len, reverse=True)
    named = [path for path in paths if re.search(rf"(?<![\w.]){_spelt(path)}(?![\w])", said)]
    if named:
        return named[0]
    by_title = [path for path in paths if re.search(rf"\b{re.escape(kind.field(path).title)}\b", said, re.IGNORECASE)]
    if by_title:
        return by_title[0]
    values = Counter(
        path for path in paths if (text := str(row.changes[path].after or "")) and len(text) > 2 and text in said
    )
    return next(iter(values)) if len(values) == 1 else None


def _spelt(path: str) -> str:
    """A path as sites spell it: with dots, slashes, or brackets, and places in lists between."""
    return r"(?:[./\[]|\.\d+\.|/\d+/|\[\d+\]\.?)".join(re.escape(part) for part in path.split("."))
