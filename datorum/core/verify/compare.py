"""What was sent against what is found."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

import polars as pl
from pydantic import BaseModel

from datorum.core.json_columns import differ, texts_at
from datorum.core.json_text import loads
from datorum.core.model import Action, RecordType, SiteRecord
from datorum.core.plan.frame import ITEM, after, sent_paths
from datorum.core.verify.tolerance import explained


class Mismatch(BaseModel, frozen=True):
    """One field of one record that the site holds otherwise than it was sent; ``field`` is empty for a record that
    is not found at all, or is still there though it was deleted. ``rule``: what explains
    the difference, if anything does."""

    item: int
    rule: str = ""
    record_id: str | None
    key: str | None
    field: str
    sent: Any
    found: Any


class ComparedField(NamedTuple):
    """In so many ``records`` a field was compared; what was ``sent`` in the first of them, and what is ``found``."""

    records: int
    sent: Any
    found: Any


class Compared(NamedTuple):
    """What was sent held against ``records``, those of them that the site has: every difference, and the fields that
    were compared by their paths. One of which nobody can tell what a site has, a password, say, is not among these."""

    records: list[SiteRecord]
    differ: list[Mismatch]
    fields: dict[str, ComparedField]


def compare(record_type: RecordType, sent: pl.DataFrame, found: Mapping[str, SiteRecord]) -> Compared:
    """Items that were carried out, as a frame of the plan, and the records that the site gives back, by id."""
    # What is changed once more is of the item that it changes.
    sent = sent.with_columns(pl.coalesce("of_item", ITEM).alias(ITEM))
    there = pl.Series([record_id in found for record_id in sent["record_id"]], dtype=pl.Boolean)
    deleted = sent["action"] == Action.DELETE.value
    mismatches = [
        Mismatch(**known, field="", sent=None, found=known["key"]) for known in _named(sent.filter(deleted & there))
    ]
    mismatches += [Mismatch(**known, field="", sent=known["key"], found=None)
                   for known in _named(sent.filter(~deleted & ~there))]  # fmt: skip
    sent = sent.filter(~deleted & there)
    records = [found[record_id] for record_id in sent["record_id"]]
    # A chunk of a plan has the fields of records of other types beside.
    paths = [path for path in sent_paths(sent)
             if sent[after(path)].null_count() < sent.height and not record_type.field(path).write_only]  # fmt: skip
    on_site = texts_at((record.body for record in records), paths)
    fields = {}
    for path in paths:
        field, given = record_type.field(path), sent[after(path)].is_not_null().arg_true()
        ours = sent[after(path)].gather(given)
        theirs = on_site[path].gather(given)
        fields[path] = ComparedField(len(given), loads(ours[0]), loads(theirs[0]))
        other = differ(field, ours, theirs)
        for known, *texts in zip(
            _named(sent[given.filter(other)]), ours.filter(other), theirs.filter(other), strict=True
        ):
            was, now = map(loads, texts)
            mismatches.append(Mismatch(**known, field=path, sent=was, found=now, rule=explained(field, was, now)))
    return Compared(records, mismatches, fields)


def _named(sent: pl.DataFrame) -> list[dict[str, Any]]:
    """By what items are known."""
    return sent.select(ITEM, "record_id", "key").to_dicts()
