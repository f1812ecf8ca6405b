"""What was sent against what is found."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from pydantic import BaseModel

from datorum.core.model import Action, PlanRow, RecordType, SiteRecord
from datorum.core.plan import at, same
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


def compared_fields(record_type: RecordType, row: PlanRow) -> list[str]:
    """The fields of an item that can be compared with what the site has: a password is never given back."""
    return [path for path in row.changes if not record_type.field(path).write_only]


def compare(record_type: RecordType, sent: Iterable[PlanRow], found: Mapping[str, SiteRecord]) -> list[Mismatch]:
    """Every difference between the items that were carried out and the records the site gives back, by record id."""
    mismatches = []
    for row in sent:
        # What is changed once more is of the item that it changes.
        item = row.item if row.of_item is None else row.of_item
        record = found.get(row.record_id or "")
        known = {"item": item, "record_id": row.record_id, "key": row.key}
        if row.action is Action.DELETE:
            if record is not None:
                mismatches.append(Mismatch(**known, field="", sent=None, found=row.key))
        elif record is None:
            mismatches.append(Mismatch(**known, field="", sent=row.key, found=None))
        else:
            for path, change in row.changes.items():
                value = at(record.body, path)
                if not same(record_type.field(path), change.after, value):
                    rule = explained(record_type.field(path), change.after, value)
                    mismatches.append(Mismatch(**known, field=path, sent=change.after, found=value, rule=rule))
    return mismatches
