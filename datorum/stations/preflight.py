"""Preflight: what is to be in order before a run. What is not is agreed to by name, or set right."""

from __future__ import annotations

import datetime as dt
import shutil
from collections.abc import Collection, Iterator
from pathlib import Path

import polars as pl
from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.errors import Conflict
from datorum.core.model import Action
from datorum.settings import settings
from datorum.stations.awaited import lacking
from datorum.stations.descriptions import description_of
from datorum.stations.imports import Opened, open_import
from datorum.stations.links import types_made, types_meant
from datorum.stations.mail_of import mail_of_types
from datorum.stations.map import unplaced_columns
from datorum.stations.rehearse import NO_ROW, why_stale
from datorum.stations.site_now import SiteNow
from datorum.stations.sites import limits_of
from datorum.stations.snapshots import ready_snapshots
from datorum.stations.verify import count_mismatches, latest_verification
from datorum.store import models, plan_items
from datorum.store.plan_items import counts_by_state
from datorum.store.queries import QUERIES
from datorum.store.sheets import load_profiles

_FRESH = dt.timedelta(hours=1)
_ROOM = 2 * 1024**3


class Point(BaseModel):
    """One thing to be in order: ``state`` is good, warned or held; ``remedy`` sets it right where it is not."""

    name: str
    state: str
    text: str
    remedy: str = ""


def preflight(store: Session, plan: models.Plan, there: SiteNow, *, pilot: bool = False) -> list[Point]:
    """The points of a plan before it, or a ``pilot`` of it, runs, with the site as it is ``there`` now."""
    now = open_import(store, plan.import_id)
    points = [
        _mail(now, plan), _plan(store, now, plan), *_snapshot(store, now, plan), _site(there), _described(there),
        *_room_on_site(now, plan, there), *_linked(store, now, plan), *_pointed_at(store, plan), _quiet(now),
        _worker(store), _disk(), _columns(store, now),
    ]  # fmt: skip
    return points if pilot else [*points, _pilot(store, plan)]


def must_be_agreed_to(points: list[Point], agreed: Collection[str]) -> list[str]:
    """The points that are not in order and were agreed to, in words. Raises Conflict where one was not, or is one that
    nobody can agree to: it is to be set right."""
    open_points = [one for one in points if one.state != "good"]
    missing = [one for one in open_points if one.state == "held" or one.name not in agreed]
    if missing:
        said = "; ".join(one.text for one in missing)
        raise Conflict(
            f"Before the run: {said}.",
            remedy=" ".join(dict.fromkeys(one.remedy for one in missing if one.remedy))
            or f"Agree to it by name: {', '.join(one.name for one in missing)}.",
            current={"points": [one.model_dump() for one in missing]},
        )
    return [one.text for one in open_points]


def _mail(now: Opened, plan: models.Plan) -> Point:
    description = description_of(now.item)
    mail = mail_of_types((description.type(name) for name in (now.item.record_type, *types_made(now))), now.policy)
    if mail.silent:
        return Point(name="mail", state="good", text=mail.text)
    count = f"{plan.to_send:,} record{'' if plan.to_send == 1 else 's'}"
    ours = mail.sent or mail.as_a_rule
    return Point(name="mail", state="warned", text=f"{mail.text}, for up to {count}",
                 remedy="Have it silenced in the policy, and rehearse again." if ours
                 else "Switch it off on the site.")  # fmt: skip


def _plan(store: Session, now: Opened, plan: models.Plan) -> Point:
    if plan.state != "ready":
        return Point(name="plan", state="held", text="there is no plan", remedy="Rehearse.")
    begun = store.scalar(select(models.Run.id).where(models.Run.plan_id == plan.id).limit(1)) is not None
    stale = why_stale(now, plan, begun=begun)
    if stale:
        return Point(name="plan", state="held", text=f"the plan is stale: {stale}", remedy="Rehearse again.")
    return Point(name="plan", state="good", text="the plan is what sheet, mapping and policy say")


def _snapshot(store: Session, now: Opened, plan: models.Plan) -> Iterator[Point]:
    age = dt.datetime.now(dt.UTC) - plan.snapshot_at if plan.snapshot_at else None
    read = f"the site was read {_ago(age)}: {plan.records_read:,} records" if age else "the site was not read"
    fresh = age is not None and age < _FRESH
    yield Point(name="snapshot", state="good" if fresh else "warned", text=read,
                remedy="" if fresh else "Rehearse again.")  # fmt: skip
    kept = ready_snapshots(store, now.item.site_id).get(now.item.record_type)
    taken = kept is not None and kept.downloaded_at is not None
    yield Point(name="backup", state="good" if taken else "warned",
                text="what the site has was downloaded" if taken else "nobody has downloaded what the site has now",
                remedy="" if taken else "Download the snapshot.")  # fmt: skip


def _site(there: SiteNow) -> Point:
    remedy = "Rehearse again, so that the plan knows of it."
    if there.away:
        # A run that begins all the same waits for it.
        said = f"the site does not answer: {there.away.rstrip('.')}"
        return Point(name="site", state="warned", text=said, remedy="Look at it.")
    if there.more:
        count = f"{abs(there.more):,} record{'' if abs(there.more) == 1 else 's'}"
        said = f"the site has {count} {'more' if there.more > 0 else 'fewer'} than when it was rehearsed"
        return Point(name="site", state="warned", text=said, remedy=remedy)
    if there.changed:
        return Point(name="site", state="warned", text="a record was changed on the site since", remedy=remedy)
    if there.more is None:
        return Point(name="site", state="good", text="the site does not say how many records it has now")
    told = "" if there.changed is None else ", and none was changed since"
    return Point(name="site", state="good", text=f"the site has as many records as when it was rehearsed{told}")


def _described(there: SiteNow) -> Point:
    """Whether the site still describes its records as the plan takes them."""
    found = there.described
    if found.uses:
        said = f"the site describes otherwise what this import uses: {'; '.join(found.uses[:_SOME])}"
        return Point(name="description", state="held", text=said,
                     remedy="Read the description again on the site's page, go on with it, then rehearse.")  # fmt: skip
    if found.unknown:
        said = f"whether the site still describes these records so is not known: {found.unknown.rstrip('.')}"
        return Point(name="description", state="warned", text=said, remedy="Look at the page of the site.")
    if found.others:
        said = f"the site describes other fields otherwise by now: {'; '.join(found.others[:_SOME])}"
        return Point(name="description", state="warned", text=said, remedy="Look whether that matters.")
    return Point(name="description", state="good", text="the site describes these records as when they were rehearsed")


_SOME = 5


def _room_on_site(now: Opened, plan: models.Plan, there: SiteNow) -> Iterator[Point]:
    """Whether the site has room for what the plan would make, where somebody has said how much it has."""
    most = limits_of(now.item.site).room.get(now.item.record_type)
    if most is None:
        return
    made = int(plan.counts.get("create", 0)) - int(plan.counts.get("delete", 0))
    then = plan.records_read + made + (there.more or 0)
    said = f"the site would have {then:,} of at most {most:,} {now.item.record_type}"
    over = then > most
    yield Point(name="room", state="held" if over else "good", text=said,
                remedy="Leave some out, or have the site allow more." if over else "")  # fmt: skip


def _ago(age: dt.timedelta | None) -> str:
    minutes = int(age.total_seconds() // 60) if age else 0
    if minutes < 1:
        return "just now"
    if minutes < 90:
        return f"{minutes} minute{'' if minutes == 1 else 's'} ago"
    return f"{minutes // 60} hours ago" if minutes < 2880 else f"{minutes // 1440} days ago"


def _linked(store: Session, now: Opened, plan: models.Plan) -> Iterator[Point]:
    """Imports of the records that links mean come first."""
    if not types_meant(now):
        return
    waiting = lacking(store, plan.id)
    if not waiting:
        yield Point(name="linked imports", state="good", text="all that links mean is there")
        return
    parts = [f"{one.records:,} record{'' if one.records == 1 else 's'} of {one.name}" for one in waiting]
    said = f"it means {' and '.join(parts)}, not on the site yet"
    remedy = "Run that first, or have what means them refused."
    yield Point(name="linked imports", state="warned", text=said, remedy=remedy)


def _pointed_at(store: Session, plan: models.Plan) -> Iterator[Point]:
    """Records that would be deleted, and that others of the site point at."""
    if not plan.counts.get("delete"):
        return
    gone = (pl.col("action") == Action.DELETE.value) & (pl.col("reason") != NO_ROW)
    frames = (plan_items.chunk(store, plan.id, number) for number in plan_items.chunk_numbers(store, plan.id))
    count = sum(frame.filter(gone).height for frame in frames)
    if count:
        said = f"other records of the site point at {count:,} of those that are deleted, and would point at nothing"
        yield Point(name="pointed at", state="warned", text=said, remedy="Look at them at Rehearse, or keep them.")
    else:
        yield Point(name="pointed at", state="good", text="no record that was read points at those that are deleted")


def _quiet(now: Opened) -> Point:
    until = limits_of(now.item.site).quiet_until(dt.datetime.now(dt.UTC))
    if until is None:
        return Point(name="quiet hours", state="good", text="the site has no quiet hours now")
    return Point(
        name="quiet hours", state="warned", text=f"the site has quiet hours until {until:%H:%M}; it begins then"
    )


def _worker(store: Session) -> Point:
    alive = store.execute(QUERIES["workers_alive"], {"seconds": settings().stalled_after}).scalar_one()
    if alive:
        return Point(name="worker", state="good", text=f"{alive} worker{'' if alive == 1 else 's'} to carry it out")
    return Point(
        name="worker", state="warned", text="no worker is there to carry it out", remedy="Start `datorum worker`."
    )


def _disk() -> Point:
    home = settings().home
    free = shutil.disk_usage(home if home.exists() else Path.cwd()).free
    said = f"{free / 1024**3:,.0f} GB of disk are free"
    return Point(
        name="disk", state="good" if free > _ROOM else "warned", text=said, remedy="" if free > _ROOM else "Make room."
    )


def _columns(store: Session, now: Opened) -> Point:
    unplaced = unplaced_columns(now)
    if not unplaced:
        return Point(name="columns", state="good", text="every column is used or left out")
    said = f"{len(unplaced)} column{'' if len(unplaced) == 1 else 's'} neither used nor left out"
    profiles = load_profiles(store, now.sheet.id)
    hashes = [one for one in unplaced if one in profiles and profiles[one].by_kind.get("password hash", 0.0) >= 0.5]
    if hashes:
        said += f"; {' and '.join(hashes)} holds stored passwords, which nobody will have then"
    return Point(name="columns", state="warned", text=said, remedy="Place them at Map, or leave them out there.")


def _pilot(store: Session, plan: models.Plan) -> Point:
    pilots = models.Run
    asked = select(pilots).where(pilots.plan_id == plan.id, pilots.kind == "pilot").order_by(pilots.id.desc())
    run = store.scalars(asked.limit(1)).first()
    if run is None:
        if counts_by_state(store, plan.id).get("pending", 0) < 2:
            return Point(name="pilot", state="good", text="there is nothing to be tried first")
        return Point(name="pilot", state="warned", text="no pilot went first", remedy="Send a pilot first.")
    proof = latest_verification(store, run.id)
    if proof is None or proof.state != "done":
        return Point(name="pilot", state="warned", text="the pilot was not verified", remedy="Verify it.")
    if run.failed or count_mismatches(store, proof.id):
        said = "not all of the pilot is on the site as it was sent"
        return Point(name="pilot", state="warned", text=said, remedy="Look at what differs.")
    return Point(name="pilot", state="good", text=f"the pilot of {run.total:,} was verified, all of it as sent")
