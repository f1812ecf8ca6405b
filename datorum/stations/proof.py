"""What a verification tells beside what differs: how each field fared, which keys are there, and whether links hold
from both sides."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from typing import Any

import polars as pl
from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.core.model import Field
from datorum.core.values import all_at
from datorum.core.verify import Compared
from datorum.core.verify.spans import KeySpans, said_of, spans_of
from datorum.sites.rest.model import Link
from datorum.stations.basis import Target
from datorum.stations.descriptions import description_of
from datorum.stations.link_targets import parts_with_key
from datorum.stations.snapshots import ready_snapshots
from datorum.store import models, snapshots


def site_keys(store: Session, snapshot_id: int, path: str) -> pl.Series:
    """The values of a key that all records of a snapshot have."""
    chunks = snapshots.chunks(store, snapshot_id, snapshots.columns_for([path]))
    found = [snapshots.key_values(chunk, path) for chunk in chunks]
    return pl.concat(found) if found else pl.Series(dtype=pl.String)


def keys_now(store: Session, plan: models.Plan, site_id: int) -> dict[str, Any]:
    """Which stretch the keys of a plan's sheet cover, those of the site before, and those that it has now."""
    if not plan.key_spans:
        return {}
    target, sheet = Target.kept(plan), KeySpans.model_validate(plan.key_spans["sheet"])
    now = ready_snapshots(store, site_id).get(target.record_type.name)
    found = spans_of(site_keys(store, now.id, target.match_key), sheet) if now is not None else None
    return {**plan.key_spans, "now": found.model_dump() if found else None}


def links_of_type(target: Target) -> list[Link]:
    """The links of the records that a plan makes, as their site describes them."""
    return list(target.description.type(target.record_type.name).links)


class Seen:
    """What is seen of the records that a run has sent, as they are compared with those of the site. ``found_by``: by
    which fields the records that links mean were looked for, by the path of each link."""

    def __init__(self, links: Collection[Link], found_by: Mapping[str, Sequence[str]]) -> None:
        self._links = links
        self._found_by = found_by
        self._compared: Counter[str] = Counter()
        self._differ: Counter[str] = Counter()
        self._tolerated: Counter[str] = Counter()
        self._example: dict[str, tuple[Any, Any]] = {}
        self._meant: dict[str, Counter[str]] = {link.field: Counter() for link in links}

    def see(self, compared: Compared, accepted: Collection[tuple[str, str]]) -> None:
        """Take some records that were compared."""
        for path, field in compared.fields.items():
            self._compared[path] += field.records
            self._example.setdefault(path, (field.sent, field.found))
        for link in self._links:
            self._meant[link.field].update(
                str(value) for record in compared.records for value in all_at(record.body, link.field)
                if value is not None
            )  # fmt: skip
        for one in compared.differ:
            (self._tolerated if (one.field, one.rule) in accepted else self._differ)[one.field] += 1

    def told(self, store: Session, site_id: int, back: Mapping[str, dict[str, int]]) -> dict[str, Any]:
        """What is kept of it with the verification; ``back``: for each link what was seen from the other side."""
        fields = {
            path: {"compared": count, "differ": self._differ[path], "tolerated": self._tolerated[path],
                   "sent": self._example[path][0], "found": self._example[path][1]}
            for path, count in self._compared.items()
        }  # fmt: skip
        return {"fields": fields, "links": [self._held(store, site_id, link) | back.get(link.field, {})
                                            for link in self._links if self._meant[link.field]]}  # fmt: skip

    def _held(self, store: Session, site_id: int, link: Link) -> dict[str, Any]:
        """How many of the records that a link means are there, as far as the site was read."""
        meant = self._meant[link.field]
        kept = ready_snapshots(store, site_id).get(link.to)
        told: dict[str, Any] = {"field": link.field, "to": link.to, "links": meant.total(), "records": len(meant)}
        if kept is None:
            return told | {"there": None}
        there: set[str] = set()
        # A code may be that of a part of the record, as of a variant.
        kind = description_of(kept).type(link.to)
        keys = dict.fromkeys((link.by, *self._found_by.get(link.field, ())))
        parts = [part for key in keys for part in parts_with_key(kind, [Field(path=key, title=key)])]
        by = dict.fromkeys((*keys, *parts))
        for chunk in snapshots.chunks(store, kept.id):
            for path in by:
                inner = snapshots.inner_values(chunk, path)["value"] if "." in path else None
                values = snapshots.key_values(chunk, path) if inner is None else inner
                there |= set(values.drop_nulls().to_list()) & meant.keys()
        return told | {"there": sum(meant[one] for one in there)}


class FieldProof(BaseModel):
    """How a field fared: of so many ``compared`` some differ, others in what somebody has accepted; the first that was
    sent, and what the site has of it."""

    field: str
    title: str
    compared: int
    differ: int
    tolerated: int
    sent: Any
    found: Any


class SpanView(BaseModel):
    low: int
    high: int
    count: int


class KeyStrip(BaseModel):
    """Which stretch keys cover, in the sheet, on the site before and now: ``first`` and ``last`` of all, as they are
    written; what a person is told of it."""

    title: str
    first: str
    last: str
    low: int
    high: int
    sheet: list[SpanView]
    before: list[SpanView]
    now: list[SpanView]
    said: list[str]


class LinkProof(BaseModel):
    """How many ``links`` there are in a field to so many ``records``, and how many of those links lead to one that is
    there; none where the site was not read. ``asked``: of how many of those records the site was asked for what links
    to them, ``back``: and how many showed it."""

    field: str
    title: str
    to: str
    links: int
    records: int
    there: int | None
    asked: int = 0
    back: int = 0


class WrongPage(BaseModel):
    address: str
    status: int | None


class PagesProof(BaseModel):
    """Of so many pages ``asked`` for, those that do not answer as a page that is there does."""

    asked: int
    wrong: list[WrongPage]


class HandedIn(BaseModel):
    """Files that were handed in: so many were fetched back and compared by their bytes, so many by the size that the
    site says, and of the others it tells nothing; how many ``differ``."""

    by_bytes: int
    by_size: int
    untold: int
    differ: int


class SignInProof(BaseModel):
    """Somebody was signed in, or could not be, with a password of before."""

    name: str
    ok: bool
    why: str
    at: str
    by: str


class Proof(BaseModel):
    """What was looked at beside the differences."""

    fields: list[FieldProof] = []
    keys: KeyStrip | None = None
    links: list[LinkProof] = []
    pages: PagesProof | None = None
    files: HandedIn | None = None
    sign_ins: list[SignInProof] = []


def proof_of(store: Session, run: models.Run) -> Proof:
    """What the last reading back of a run has looked at."""
    kept = models.Verification
    asked = select(kept).where(kept.run_id == run.id, kept.ended_at.is_not(None)).order_by(kept.id.desc()).limit(1)
    found = store.scalars(asked).first()
    if found is None:
        return Proof()
    target = Target.kept(run.plan)
    titles = {field.path: field.title for field in target.record_type.fields}
    # What was accepted since counts as no difference any more.
    mismatch = models.StoredMismatch
    left = select(mismatch.field, func.count()).where(mismatch.verification_id == found.id).group_by(mismatch.field)
    differ = dict(store.execute(left).all())
    proof = found.proof
    order = {path: number for number, path in enumerate(titles)}
    return Proof(
        fields=[
            FieldProof(field=path, title=titles.get(path, path), compared=one["compared"], differ=differ.get(path, 0),
                       tolerated=one["tolerated"] + one["differ"] - differ.get(path, 0), sent=one["sent"],
                       found=one["found"])
            for path, one in sorted(proof.get("fields", {}).items(), key=lambda item: order.get(item[0], len(order)))
        ],
        keys=_strip(proof.get("keys") or {}, titles.get(target.match_key, target.match_key)),
        links=[LinkProof(title=titles.get(one["field"], one["field"]), **one) for one in proof.get("links", [])],
        pages=proof.get("pages"),
        files=proof.get("files"),
        sign_ins=proof.get("sign_ins", []),
    )  # fmt: skip


def _strip(told: Mapping[str, Any], title: str) -> KeyStrip | None:
    if not told.get("sheet"):
        return None
    sheet, before, now = (
        KeySpans.model_validate(told[name] or {"kind": told["sheet"]["kind"]}) for name in ("sheet", "site", "now")
    )
    every = [span for spans in (sheet, before, now) for span in spans.spans]
    low, high = min(span.low for span in every), max(span.high for span in every)
    views = [[SpanView(**span.model_dump()) for span in spans.spans] for spans in (sheet, before, now)]
    return KeyStrip(title=title, first=sheet.shown(low), last=sheet.shown(high), low=low, high=high, sheet=views[0],
                    before=views[1], now=views[2], said=said_of(sheet, before, int(told["both"])))  # fmt: skip
