"""Rehearse: the site is read, and the plan is frozen record by record, field by field."""

from __future__ import annotations

import asyncio
import datetime as dt
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from contextlib import contextmanager
from typing import Any, NamedTuple

import numpy as np
import polars as pl
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from datorum.core.check import is_fed
from datorum.core.errors import NotFound, NotReady
from datorum.core.link.keys import compared
from datorum.core.model import OF_RECORDS, Action, PlanRow, Policy, SiteRecord
from datorum.core.numbering import Rows
from datorum.core.plan import Made, Matcher, Matches, Planner, held_reasons, made_for
from datorum.core.plan.frame import ITEM, PLAN_SCHEMA, before, frame_of
from datorum.core.plan.plan import nothing_found, said_of_several, said_of_sharing
from datorum.core.verify.spans import spans_of
from datorum.stations import work
from datorum.stations.at_rest import must_be_at_rest
from datorum.stations.awaited import awaited_rows, keep_awaited
from datorum.stations.basis import AWAITS, Target, basis_of, links_known, what_changed
from datorum.stations.check import LandedPart, checker_of, landed_parts, passes
from datorum.stations.described_now import see_description
from datorum.stations.freeze import Freezing, parts_of
from datorum.stations.imports import Opened, get_import, open_import
from datorum.stations.leading import still_to_bring
from datorum.stations.links import addresses_fed, linked_types, links_of
from datorum.stations.new_fields import fields_to_make
from datorum.stations.pointed_at import said_of_pointers
from datorum.stations.proof import site_keys
from datorum.stations.siblings import SIBLINGS, MadeBefore, siblings_known
from datorum.stations.snapshots import held_snapshot, read_fresh
from datorum.stations.surroundings import Surroundings, surroundings_of
from datorum.store import models, snapshots
from datorum.store.buckets import Buckets
from datorum.store.database import session
from datorum.store.latest import latest_of
from datorum.store.people import record


def start_rehearsal(store: Session, by: str, import_id: int) -> models.Plan:
    """A plan to be made by ``rehearse``. Raises NotReady where the mapping has no match key."""
    must_be_at_rest(store, get_import(store, import_id))
    now = open_import(store, import_id)
    if not now.mapping.keys or not all(is_fed(now.mapping, path) for path in now.mapping.keys):
        raise NotReady(
            "No match key is chosen, so rows cannot be told from records that are already on the site.",
            remedy="At Map, feed the e-mail or another unique field and choose it as match key.",
        )
    _forget_earlier(store, import_id)
    plan = models.Plan(
        import_id=import_id,
        sheet_id=now.sheet.id,
        policy=now.item.policy,
        basis=basis_of(now),
        target=Target.of(now).model_dump(mode="json"),
        created_by=by,
    )
    store.add(plan)
    record(store, by, "rehearsed", f"import {import_id}")
    store.flush()
    work.ask(store, "rehearse", plan.id, by, import_id=import_id)
    return plan


def stop_rehearsal(store: Session, by: str, import_id: int) -> None:
    """Have the rehearsal of an import that is under way stop; what it has read of the site is kept, to go on from."""
    plan = latest_plan(store, import_id)
    if plan is not None:
        work.stop(store, "rehearse", plan.id)
        record(store, by, "rehearsal stopped", f"import {import_id}")


def _forget_earlier(store: Session, import_id: int) -> None:
    """Let go of the plans of an import that nobody has carried out, but for the last: the next is held against it."""
    kept = models.Plan
    of_import = kept.import_id == import_id, kept.kind == "main", kept.frozen_at.is_not(None)
    last = select(func.max(kept.id)).where(*of_import).scalar_subquery()
    ran = select(models.Run.plan_id)
    store.execute(
        delete(kept).where(
            kept.import_id == import_id,
            kept.kind == "main",
            kept.state != "reading",
            kept.id.is_distinct_from(last),
            kept.id.not_in(ran),
        )
    )


async def rehearse(plan_id: int) -> None:
    """Read the site and freeze the plan; on an error the plan says what happened and the error is raised."""
    with work.doing("rehearse", plan_id) as now:
        if now is not None:
            await _rehearse(plan_id, now)


async def _rehearse(plan_id: int, doing: work.Doing) -> None:
    with session() as store:
        plan = get_plan(store, plan_id)
        by, import_id = plan.created_by, plan.import_id
    await see_description(by, import_id)
    with session() as store:
        plan = get_plan(store, plan_id)
        now = open_import(store, plan.import_id)
        if why_stale(now, plan):
            raise NotReady(f"While the site was being read, {why_stale(now, plan)}.", remedy="Rehearse again.")
        # Whom links mean is looked up as the site is now.
        wanted = [now.item.record_type, *(kind.name for kind in linked_types(now))]
        site_id = now.item.site_id

    await read_fresh(by, site_id, list(dict.fromkeys(wanted)), doing.tell)
    await asyncio.to_thread(_freeze, plan_id)


def _freeze(plan_id: int) -> None:
    with session() as store:
        plan = get_plan(store, plan_id, lock=True)
        if plan.frozen_at is not None:
            # Another worker, thought dead, was faster; one plan is frozen once.
            return
        now = open_import(store, plan.import_id)
        plan.basis = {**plan.basis, "links": links_known(now)}
        if why_stale(now, plan):
            raise NotReady(f"While the site was being read, {why_stale(now, plan)}.", remedy="Rehearse again.")
        snapshot = held_snapshot(store, now.item.site_id, now.item.record_type)
        texts = addresses_fed(now, now.mapping)
        kind = Target.kept(plan).description.type(now.item.record_type)
        planner = Planner(now.record_type, now.mapping, now.policy, links_of(now), texts, kind.why_no_update)
        around = surroundings_of(now)
        made_before = MadeBefore(store, now, around, planner.ways, snapshot.as_of)
        look = _first_look(store, now, planner, made_before)
        with Freezing(store, plan_id, [*links_of(now), *texts], _files_apart(Target.kept(plan))) as freezing:
            awaits = _frozen(store, plan, now, planner, look, freezing, snapshot.id)
        plan.frozen_at = dt.datetime.now(dt.UTC)
        plan.records_read = snapshot.records_read
        plan.snapshot_at = snapshot.as_of
        plan.basis = {**plan.basis, "newest": snapshot.newest or "", "links": links_known(now, awaits),
                      AWAITS: " ".join(map(str, sorted(awaits))), SIBLINGS: siblings_known(now, around)}  # fmt: skip


def _frozen(
    store: Session, plan: models.Plan, now: Opened, planner: Planner, look: _Look, freezing: Freezing, snapshot_id: int
) -> frozenset[int]:
    """Have all items of a plan frozen, and the plan say how many of what they are. Gives the imports that were to bring
    something."""
    with _whom_they_mean(store, snapshot_id, planner, look) as meant:
        # Only links ask for it, and there may be as many as the site has records.
        planner.known = meant.known() if links_of(now) and not now.policy.clear_first else {}
        keys: list[pl.Series] = []
        for frame in _plan(store, now, planner, look, meant):
            freezing.add(frame)
            here = frame.filter(pl.col("row").is_not_null())["key"]
            # Of keys that are neither numbers nor days nothing is told, and there may be very many.
            if keys or spans_of(here) is not None:
                keys.append(here)
        for frame in meant.unnamed(store, now.policy, lambda going: said_of_pointers(store, now.item, going)):
            # What goes for those that come goes before them; else what is left goes when all else is done.
            freezing.add(frame, -1 if now.policy.clear_first else _LAST)
    awaited = planner.awaited.items
    freezing.add(frame_of(awaited_rows(store, awaited)))
    # Fields that the site lacks are made before anything that has them.
    lacking = list(fields_to_make(store, now, meant.next_item)) if freezing.sends else []
    meant.next_item -= len(lacking)
    freezing.add(frame_of(lacking), -1)
    # What only held records mean is not made.
    needed = look.made.needed(freezing.meant())
    freezing.add(frame_of(needed))
    kinds = {name: kind for name, kind, _ in Target.kept(plan).destinations}
    further = meant.next_item - len(needed)
    held = freezing.put_in_order(kinds, further)
    freezing.hand_in(further - freezing.put_right)
    still = look.made.needed(freezing.meant_by_others(held))
    counts = freezing.done(without={row.item for row in needed} - {row.item for row in still})
    keep_awaited(store, plan.id, awaited)
    plan.put_right, plan.handed_in = freezing.put_right, freezing.handed_in
    plan.key_spans = _spans(store, now, keys, snapshot_id, meant.count)
    plan.made = dict(Counter(row.record_type for row in (*lacking, *still)))
    plan.counts = {action.value: counts[action.value] for action in OF_RECORDS}
    plan.changed_fields = freezing.changed_fields
    # What another import was to bring was known of, be any of it meant or not.
    return frozenset(one.import_id for one in awaited.values()) | still_to_bring(store, now)


def _files_apart(target: Target) -> dict[str, str]:
    """By the names that rows of a plan have for their record types, the field whose file goes by a request of its
    own."""
    own = target.record_type.name
    fields = {name: target.description.type(name or own).file_field for name, _, _ in target.destinations}
    return {name: field.path for name, field in fields.items() if field is not None}


def _spans(store: Session, now: Opened, keys: list[pl.Series], snapshot_id: int, both: int) -> dict[str, Any]:
    """Which stretch the keys of a sheet cover, and those of the site; nothing where they are neither numbers nor
    days, or have several parts."""
    sheet = None if now.mapping.key_with or not keys else spans_of(pl.concat(keys))
    if sheet is None or now.mapping.match_key is None:
        return {}
    site = spans_of(site_keys(store, snapshot_id, now.mapping.match_key), sheet)
    return {"sheet": sheet.model_dump(), "site": site.model_dump() if site else None, "both": both}


NO_ROW = "no row names it"
"""Why a record of the site is told of."""
_LAST = 2**30
"""The wave of what is sent when all else is."""


class _Look(NamedTuple):
    """What is known of a whole sheet before the plan of its first record is made: what holds records, by their numbers,
    what links have made, either of which may stand far behind the first record that it concerns, and whom its records
    mean. ``sizes``: of how many records each part of a pass is; ``parts``: the pass itself, where it need not be made
    again."""

    held: dict[int, str]
    made: Made
    matcher: Matcher
    sizes: list[int]
    parts: list[LandedPart] | None


_KEPT_BYTES = 160 * 2**20
"""A pass that takes more memory than that is made again."""


def _first_look(store: Session, now: Opened, planner: Planner, made_before: MadeBefore) -> _Look:
    held: dict[int, str] = {}
    matcher, sizes = Matcher(len(planner.ways)), []
    checker = checker_of(store, now)
    # What links make is found by them in another pass.
    parts: list[LandedPart] | None = None if checker.makers else []
    room = _KEPT_BYTES
    for one in passes(store, now, checker):
        for row, why in held_reasons(one.findings, now.titles).items():
            held.setdefault(row, why)
        if one.checked is not None:
            # A key may be a link: what it means on the site is what that has.
            part = LandedPart(one.checked.where, one.checked.sent, one.left_out)
            keys = planner.keys(part.sent)
            matcher.see_sheet(one.checked.records, keys)
            held = made_before.reasons(one.checked.records, keys) | held
            sizes.append(len(one.checked.records))
            room -= part.size
            parts = None if parts is None or room < 0 else [*parts, part]
            # What was checked goes before the next is there.
            del one, part
    return _Look(held, made_for(checker.makers, planner.awaited), matcher, sizes, parts)


class _Meant:
    """Whom the records of a sheet mean on the site, by the parts of a pass over it."""

    def __init__(self, matches: Matches, look: _Look, buckets: Buckets, ids: pl.Series, snapshot_id: int) -> None:
        self._matches = matches
        self._bounds = parts_of(look.sizes)
        self._buckets = buckets
        self._ids = ids
        self._snapshot_id = snapshot_id
        lowest = min((row.item for row in look.made.rows), default=0)
        self.next_item = lowest - 1
        self._there = np.flatnonzero(matches.places >= 0)
        self.count = len(self._there)

    def known(self) -> dict[int, str]:
        """The ids of the records that are on the site, by the numbers of those that mean them."""
        found = self._ids.gather(self._matches.places[self._there]).to_list()
        return dict(zip(self._matches.records[self._there].tolist(), found, strict=True))

    def part(self, number: int) -> pl.DataFrame:
        """What is known of those that the records of a part mean."""
        begins, ends = self._bounds[number : number + 2]
        records = self._matches.records[begins:ends].tolist()
        found = nothing_found(len(records)).with_columns(count=pl.Series(self._matches.counts[begins:ends]))
        frame, at = self._buckets.take(number)
        if frame is not None and frame.height == len(records):
            found = found.select("count").hstack(frame)
        elif frame is not None:
            there = pl.DataFrame({"at": pl.Series(at)}).hstack(frame)
            found = found.select("count").with_row_index("at").with_columns(pl.col("at").cast(pl.Int64))
            found = found.join(there, on="at", how="left", maintain_order="left")
        why = [self._why(record, count) for record, count in zip(records, found["count"], strict=True)]
        return found.with_columns(several=pl.Series(why, dtype=pl.String))

    def _why(self, record: int, count: int) -> str | None:
        """Why a record is held by whom it means."""
        if record in self._matches.several:
            return said_of_several(self._ids.gather(self._matches.several[record]).to_list(), count)
        if record in self._matches.sharing:
            return said_of_sharing(self._matches.sharing[record])
        return None

    def unnamed(
        self, store: Session, policy: Policy, pointed_at: Callable[[Iterable[SiteRecord]], dict[str, str]]
    ) -> Iterator[pl.DataFrame]:
        """The records of the site that no row names, or all of them where it is to be cleared first, with what becomes
        of them; they are items below 0. ``pointed_at``: by the ids of records that go who points at them, in words."""
        if policy.unnamed == "leave" and not policy.clear_first:
            return
        wanted = np.arange(len(self._ids)) if policy.clear_first else self._matches.unnamed
        action = Action.DELETE if policy.clear_first or policy.unnamed == "delete" else Action.UNNAMED
        said = pointed_at(self._records_at(store, wanted)) if action is Action.DELETE else {}
        first = 0
        for chunk in snapshots.chunks(store, self._snapshot_id):
            here = wanted[(wanted >= first) & (wanted < first + chunk.height)] - first
            first += chunk.height
            if not len(here):
                continue
            items = self.next_item - pl.int_range(len(here), dtype=pl.Int64, eager=True)
            self.next_item -= len(here)
            yield _of_site(chunk[here], items, action, said)

    def _records_at(self, store: Session, places: Rows) -> Iterator[SiteRecord]:
        """The records of the site at some places, in order."""
        first = 0
        for chunk in snapshots.chunks(store, self._snapshot_id):
            here = places[(places >= first) & (places < first + chunk.height)] - first
            first += chunk.height
            yield from snapshots.records_in(chunk[here])


def _of_site(chunk: pl.DataFrame, items: pl.Series, action: Action, said: Mapping[str, str]) -> pl.DataFrame:
    """Records of a site that no row names, as items of a plan; ``said``: who points at some of them."""
    reasons = [f"no row names it; {said[one]}" if one in said else NO_ROW for one in chunk[snapshots.ID]]
    known: dict[str, pl.Expr] = {
        "action": pl.lit(action.value), "key": pl.coalesce(snapshots.LABEL, snapshots.ID),
        "reason": pl.lit(pl.Series(reasons, dtype=pl.String)), "record_id": pl.col(snapshots.ID),
        "etag": pl.col(snapshots.ETAG), "page": pl.col(snapshots.PAGE), "on_site": pl.col(snapshots.BODY),
        "record_type": pl.lit(""), ITEM: pl.lit(items),
    }  # fmt: skip
    return chunk.select(known.get(name, pl.lit(None)).cast(kind).alias(name) for name, kind in PLAN_SCHEMA.items())


@contextmanager
def _whom_they_mean(store: Session, snapshot_id: int, planner: Planner, look: _Look) -> Iterator[_Meant]:
    """Whom the records of a sheet mean, with the records of the site brought into the sheet's order."""
    keys = sorted({field.path for way in planner.ways for field in way})
    ids = []
    for chunk in snapshots.chunks(store, snapshot_id, snapshots.columns_for(keys)):
        values = {path: snapshots.key_values(chunk, path) for path in keys}
        look.matcher.see_site([compared(way, [values[field.path] for field in way]) for way in planner.ways])
        ids.append(chunk[snapshots.ID])
    matches = look.matcher.done(look.held)
    with Buckets(parts_of(look.sizes)) as buckets:
        order = np.argsort(matches.places, kind="stable")
        order = order[np.searchsorted(matches.places[order], 0) :]
        sorted_places = matches.places[order]
        first = 0
        texts = {path: before(path) for path in planner.held_against}
        for chunk in snapshots.chunks(store, snapshot_id, [*_TOLD, *snapshots.field_columns(texts)]):
            begins, ends = np.searchsorted(sorted_places, [first, first + chunk.height])
            if begins < ends:
                here = snapshots.with_texts(chunk[sorted_places[begins:ends] - first], texts)
                buckets.put(here.rename(_TOLD), order[begins:ends])
            first += chunk.height
        whole = pl.concat(ids) if ids else pl.Series(dtype=pl.String)
        yield _Meant(matches, look, buckets, whole, snapshot_id)


_TOLD = {snapshots.ID: "record_id", snapshots.ETAG: "etag", snapshots.PAGE: "page", snapshots.BODY: "on_site"}
"""What a chunk of a snapshot tells of a record, and what a planner calls it."""


def _plan(store: Session, now: Opened, planner: Planner, look: _Look, meant: _Meant) -> Iterator[pl.DataFrame]:
    """The plan of the sheet's records, some at a time."""
    # What is found in them was told by the first look.
    parts = look.parts or landed_parts(store, now, checker_of(store, now, made=look.made))
    for part, (where, sent, left_out) in enumerate(parts):
        if left_out.height:
            yield frame_of(
                PlanRow(item=row, row=row, action=Action.LEFT_OUT, reason=reason)
                for row, reason in left_out.iter_rows()
            )
        yield planner.decide(where, sent, meant.part(part), look.held)


def get_plan(store: Session, plan_id: int, *, lock: bool = False) -> models.Plan:
    """Raises NotFound. ``lock`` keeps others from changing it until the transaction ends."""
    plan = store.get(models.Plan, plan_id, with_for_update=lock)
    if plan is None:
        raise NotFound(f"There is no rehearsal {plan_id}.", remedy="Rehearse again.")
    return plan


def latest_plan(store: Session, import_id: int) -> models.Plan | None:
    """The newest rehearsal of an import, if any."""
    return latest_plans(store, [import_id]).get(import_id)


def latest_plans(store: Session, imports: Collection[int]) -> dict[int, models.Plan]:
    """The newest rehearsals of some imports, of those that have any."""
    plan = models.Plan
    return latest_of(store, plan.import_id, imports, plan.kind == "main", kind=plan)


def why_stale(now: Opened, plan: models.Plan, *, begun: bool = False) -> str:
    """Why a plan no longer says what a run would do; empty while it does. Of one that was ``begun`` what links mean is
    settled: its own records are among it by now."""
    around = surroundings_of(now)
    return stale_by(now, plan, basis_of(now, around), around, begun=begun)


def stale_by(
    now: Opened, plan: models.Plan, basis: Mapping[str, str], around: Surroundings, *, begun: bool
) -> str:  # fmt: skip
    """Why a plan does not hold by the ``basis`` that its import has now."""
    links = basis["links"]
    if begun:
        links = plan.basis.get("links", "")
    elif brought := frozenset(map(int, plan.basis.get(AWAITS, "").split())):
        links = links_known(now, brought, around)
    changed = what_changed(plan.basis, {**basis, "links": links})
    if not changed and plan.frozen_at is not None and not begun:
        known = plan.basis.get(SIBLINGS, "") == siblings_known(now, around)
        changed = "" if known else "a sheet before it of the same records was rehearsed again"
    return changed or ("the policy changed" if Policy.model_validate(plan.policy) != now.policy else "")
