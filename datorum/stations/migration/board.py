"""The migration board: imports in layers with how far each is, the links between them, and what is missing."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Sequence
from typing import Literal, NamedTuple

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from datorum.core.layers import Layers
from datorum.core.link import LinkFared
from datorum.core.suggest.recognise import Guess
from datorum.stations.check import latest_checks
from datorum.stations.descriptions import description_of
from datorum.stations.imports import open_imports
from datorum.stations.migration.drop import guesses_of, undecided
from datorum.stations.migration.migrations import get_migration, imports_of
from datorum.stations.migration.order import Between, Linked, in_layers, linked, links_between
from datorum.stations.named_files import held_by
from datorum.stations.overview import Overview, overviews
from datorum.stations.remembered import Remembered, states_of
from datorum.store import models
from datorum.store.contents import Owner

StationName = Literal["read", "map", "check", "rehearse", "run", "verify"]
STATIONS: tuple[StationName, ...] = ("read", "map", "check", "rehearse", "run", "verify")


class StationStand(BaseModel):
    """How far an import is at one station: the ``share`` of its records that are through, 0 to 1, and that of those
    that are not and will not be as things stand. ``stale``: why what was done there does not hold any more; ``going``:
    work on it is under way."""

    station: StationName
    done: float = 0.0
    held: float = 0.0
    stale: str = ""
    going: bool = False
    text: str = ""


class Card(BaseModel):
    """One import of a migration. ``records`` are those that its rows make, once they are checked, else its rows."""

    import_id: int
    sheet_id: int | None
    """The sheet of the migration that it was begun with; none where it was there before."""
    name: str
    record_type: str
    files: list[str]
    records: int
    layer: int
    held: int
    create: int
    update: int
    stations: list[StationStand]
    back: dict[str, int] | None
    """What taking its runs back would do, by action, where that was rehearsed and is not done."""
    problem: str
    """Why its work has failed, where it has."""


class LinkLine(BaseModel):
    """A link between two imports, or from one to what no import brings: how many records of the one mean what is
    ``found`` there or is ``awaited`` of it. ``counted``: it was, by the last check; ``later``: it is
    put right by a second pass, since both need each other."""

    import_id: int
    to_import: int | None
    path: str
    title: str
    to_type: str
    by: list[str]
    found: int
    awaited: int
    missing: int
    counted: bool
    later: bool


class Gap(BaseModel):
    """What the records of an import mean and what is nowhere: so many, of those that mean anything by that field."""

    import_id: int
    name: str
    path: str
    title: str
    to_type: str
    missing: int
    of: int
    brought: bool
    """Whether any sheet brings records of that kind."""
    unread: bool


class Undecided(BaseModel):
    """A sheet of which it is not known what it is."""

    id: int
    filename: str
    sheet: str
    rows: int
    headers: list[str]
    guesses: list[Guess]


class FilesHere(BaseModel):
    """The pictures and other files of a migration that values may name: how many, of how many bytes, those that cannot
    be handed in, and what they came in."""

    files: int
    size: int
    amiss: int
    came_in: list[str]


class Board(BaseModel):
    """All of a migration at a glance."""

    id: int
    name: str
    site_id: int
    site: str
    kinds: list[str]
    """The kinds of record that sheets may be of."""
    held_most: float
    going_to: str | None
    stopped: str
    cards: list[Card]
    layers: int
    lines: list[LinkLine]
    gaps: list[Gap]
    undecided: list[Undecided]
    files: FilesHere | None
    records: int
    held: int
    links_found: int
    links_missing: int
    create: int
    update: int
    seconds_expected: float | None
    read_at: dt.datetime | None
    """When what is known of the site was read, the oldest of it."""
    no_switch: list[str]
    """The imports of whose records the site has no switch for mail."""
    sends_mail: bool


class _Known(NamedTuple):
    """What is known of an import but for how far it is: its links, the titles of its fields, and how the references
    fared at its last check."""

    linked: Linked
    fared: list[LinkFared]


_KNOWN: Remembered[_Known] = Remembered(512)


def _known(store: Session, imports: Sequence[int]) -> dict[int, _Known]:
    checks = latest_checks(store, imports)
    fared = {number: [LinkFared.model_validate(one) for one in check.links] for number, check in checks.items()}
    return {number: _Known(linked(now), fared.get(number, [])) for number, now in open_imports(store, imports).items()}


def board(store: Session, migration_id: int) -> Board:
    """Raises NotFound."""
    migration = get_migration(store, migration_id)
    items = imports_of(store, migration_id)
    numbers = [item.id for item in items]
    # How far the others are says nothing of an import's own links.
    states = states_of(store, numbers, "links_of_imports")
    known = _KNOWN.several(states, lambda changed: _known(store, changed))
    seen = overviews(store, numbers)
    fared = {number: one.fared for number, one in known.items()}
    between = links_between([one.linked for one in known.values()])
    order = in_layers(between, [one.linked for one in known.values()])
    lines = _lines(between, order, fared)
    sheets = _main_sheets(store, migration_id)
    back = _back(store, items)
    cards = [_card(seen[item.id], order.layer[item.id], sheets.get(item.id), back.get(item.id)) for item in items]
    gaps = _gaps(seen, known)
    expected = [one.rehearse.seconds_expected for one in seen.values() if one.rehearse and not _has_run(one)]
    return Board(
        id=migration.id,
        name=migration.name,
        site_id=migration.site_id,
        site=migration.site.name,
        kinds=sorted(description_of(migration.site).usable),
        held_most=migration.held_most,
        going_to=migration.going_to,
        stopped=migration.stopped,
        cards=sorted(cards, key=lambda one: (one.layer, one.import_id)),
        layers=len(order.rows) if items else 0,
        lines=lines,
        gaps=gaps,
        undecided=[
            Undecided(
                id=one.id, filename=one.sheet.original.filename, sheet=one.sheet.dialect.get("sheet") or "",
                rows=one.sheet.rows, headers=one.sheet.headers, guesses=guesses_of(one),
            )
            for one in undecided(store, migration_id)
        ],
        files=_files(store, migration_id),
        records=sum(one.records for one in cards),
        held=sum(one.held for one in cards),
        links_found=sum(part.count for one in fared.values() for link in one for part in link.found),
        links_missing=sum(link.missing for one in fared.values() for link in one),
        create=sum(one.create for one in cards),
        update=sum(one.update for one in cards),
        seconds_expected=sum(one or 0.0 for one in expected) if any(expected) else None,
        read_at=_oldest(store, migration.site_id, [item.record_type for item in items]),
        no_switch=[one.name for one in seen.values() if not one.site_can_be_silenced],
        sends_mail=any(one.policy.send_mail or any(one.policy.mails.values()) for one in seen.values()),
    )  # fmt: skip


def _files(store: Session, migration_id: int) -> FilesHere | None:
    here = held_by(store, Owner(migration_id=migration_id))
    if not here.files:
        return None
    return FilesHere(files=here.files, size=here.size, amiss=here.amiss, came_in=list(here.came_in))


def _oldest(store: Session, site_id: int, names: Sequence[str]) -> dt.datetime | None:
    of = models.Snapshot
    asked = select(of.as_of).where(of.site_id == site_id, of.record_type.in_(names), of.as_of.is_not(None))
    return store.scalar(asked.order_by(of.as_of).limit(1))


def _lines(between: Sequence[Between], order: Layers, fared: dict[int, list[LinkFared]]) -> list[LinkLine]:
    found = []
    for one in between:
        link, others = one.link, one.to or (None,)
        known = next((fared_so for fared_so in fared[one.import_id] if fared_so.path == link.path), None)
        for to in others:
            places = [place for place in known.found if place.of_import == to] if known else []
            found.append(
                LinkLine(
                    import_id=one.import_id, to_import=to, path=link.path, title=one.title, to_type=link.to_type,
                    by=list(link.by),
                    found=sum(place.count for place in places if not place.awaited),
                    awaited=sum(place.count for place in places if place.awaited),
                    missing=known.missing if known is not None and to == others[0] else 0,
                    counted=known is not None, later=to is not None and (one.import_id, to) in order.later,
                )
            )  # fmt: skip
    return found


def _gaps(seen: dict[int, Overview], known: dict[int, _Known]) -> list[Gap]:
    brings = {one.record_type for one in seen.values()}
    gaps = []
    for number, one in known.items():
        for link in one.fared:
            lost = link.missing + link.unread
            if not lost:
                continue
            others = sum(part.count for part in link.found) + link.several + link.settled
            gaps.append(
                Gap(
                    import_id=number, name=seen[number].name, path=link.path,
                    title=one.linked.titles.get(link.path, link.path), to_type=link.to, missing=lost, of=lost + others,
                    brought=link.to in brings, unread=link.unread > 0,
                )
            )  # fmt: skip
    return sorted(gaps, key=lambda gap: -gap.missing)


def _has_run(one: Overview) -> bool:
    return one.run is not None and one.run.kind == "main"


def _main_sheets(store: Session, migration_id: int) -> dict[int, int]:
    """The sheets of a migration that its imports were begun with, by these."""
    of = models.DroppedSheet
    asked = select(of.import_id, of.id).where(of.migration_id == migration_id, of.import_id.is_not(None), of.role == "")
    return {import_id: sheet_id for import_id, sheet_id in store.execute(asked) if import_id is not None}


def _back(store: Session, items: Sequence[models.Import]) -> dict[int, dict[str, int]]:
    """What the undos of some imports would do that are rehearsed and not begun."""
    plan, run = models.Plan, models.Run
    begun = select(run.id).where(run.plan_id == plan.id).exists()
    asked = (
        select(plan.import_id, plan.counts)
        .where(
            plan.import_id.in_([item.id for item in items]), plan.kind == "undo", plan.frozen_at.is_not(None), ~begun
        )
        .ext(distinct_on(plan.of_run_id))
        .order_by(plan.of_run_id, plan.id.desc())
    )
    found: dict[int, Counter[str]] = {}
    for import_id, counts in store.execute(asked):
        found.setdefault(import_id, Counter()).update(counts)
    return {import_id: {action: count for action, count in counts.items() if count}
            for import_id, counts in found.items()}  # fmt: skip


def _card(now: Overview, layer: int, sheet_id: int | None, back: dict[str, int] | None) -> Card:
    check, plan = now.check, now.rehearse
    counts = Counter(plan.counts if plan else {})
    records = check.rows if check else now.sheet.rows
    failed = [part.error for part in (now.checking, plan, now.run, now.verify) if part is not None and part.error]
    return Card(
        import_id=now.id,
        sheet_id=sheet_id,
        name=now.name,
        record_type=now.record_type,
        files=[now.sheet.filename, *(one.filename for one in now.beside)],
        records=records - (check.left_out if check else 0),
        layer=layer,
        held=counts["held"] if plan and plan.state == "ready" else check.held if check else 0,
        create=counts["create"],
        update=counts["update"],
        stations=_stations(now),
        back=back,
        problem=failed[0] if failed else "",
    )


def _stations(now: Overview) -> list[StationStand]:
    return [
        StationStand(station="read", done=1.0, text=f"{now.sheet.rows:,} rows"),
        _mapped(now), _checked(now), _rehearsed(now), _run(now), _verified(now),
    ]  # fmt: skip


def _mapped(now: Overview) -> StationStand:
    lacking, unplaced = len(now.map.required_unfed), len(now.map.unplaced)
    used = now.sheet.columns - unplaced
    done = used / now.sheet.columns if now.sheet.columns else 0.0
    text = f"{now.map.fed} fields fed"
    if lacking:
        text += f", {lacking} required {'one' if lacking == 1 else 'ones'} not"
    if unplaced:
        text += f"; {unplaced} column{'' if unplaced == 1 else 's'} nowhere"
    no_key = not now.map.match_key
    return StationStand(
        station="map", done=done if not lacking and not no_key else min(done, 0.9), held=0.1 * bool(lacking or no_key),
        text=text + (", and no match key" if no_key else ""),
    )  # fmt: skip


def _checked(now: Overview) -> StationStand:
    check = now.check
    if now.checking is not None and now.checking.state != "failed":
        done = now.checking.done / now.checking.total if now.checking.total else 0.0
        return StationStand(station="check", done=done, going=True, text="being checked")
    if check is None:
        return StationStand(station="check", text="not checked")
    total = max(check.rows - check.left_out, 1)
    return StationStand(station="check", done=check.ready / total, held=check.held / total, stale=check.stale,
                        text=f"{check.ready:,} ready, {check.held:,} held")  # fmt: skip


def _rehearsed(now: Overview) -> StationStand:
    plan = now.rehearse
    if plan is None:
        return StationStand(station="rehearse", text="not rehearsed")
    if plan.state != "ready":
        share = plan.records_read / plan.records_on_site if plan.records_on_site else 0.0
        return StationStand(station="rehearse", done=min(share, 1.0) if plan.state == "reading" else 0.0,
                            going=plan.state == "reading", text=plan.error or "the site is read")  # fmt: skip
    goes = sum(plan.counts.get(one, 0) for one in ("create", "update", "unchanged", "delete"))
    held = plan.counts.get("held", 0)
    total = max(goes + held, 1)
    settled = _has_run(now)
    return StationStand(
        station="rehearse", done=goes / total, held=held / total, stale="" if settled else plan.stale,
        text=f"{plan.counts.get('create', 0):,} to create, {plan.counts.get('update', 0):,} to update, {held:,} held",
    )  # fmt: skip


def _run(now: Overview) -> StationStand:
    run = now.run
    if run is None:
        nothing = now.rehearse is not None and now.rehearse.state == "ready" and not now.rehearse.to_send
        return StationStand(station="run", done=float(nothing), text="nothing to send" if nothing else "not run")
    total = max(run.total, 1)
    going = run.state in ("waiting", "running")
    text = f"{run.done:,} of {run.total:,} sent" + (f", {run.failed:,} refused" if run.failed else "")
    if run.kind == "undo":
        return StationStand(station="run", text="taken back", going=going)
    share = run.done / total * (0.5 if run.kind == "pilot" and run.left else 1.0)
    return StationStand(station="run", done=share, held=run.failed / total, going=going, text=text)


def _verified(now: Overview) -> StationStand:
    proof = now.verify
    if proof is None:
        return StationStand(station="verify", text="not verified")
    if proof.state != "done":
        share = proof.records_read / proof.records_on_site if proof.records_on_site else 0.0
        return StationStand(station="verify", done=min(share, 1.0) if proof.state == "reading" else 0.0,
                            going=proof.state == "reading", text=proof.error or "the site is read back")  # fmt: skip
    compared = max(proof.fields_compared, 1)
    wrong = min(proof.mismatches / compared, 1.0)
    return StationStand(station="verify", done=1.0 - wrong, held=wrong,
                        text=f"{proof.compared:,} records, {proof.mismatches:,} fields differ")  # fmt: skip
