"""What was sent against what is found."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from pydantic import BaseModel

from datorum.core.model import Action, Field, PlanRow, RecordType, SiteRecord
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


def never_given_back(record_type: RecordType) -> frozenset[str]:
    """The fields of which nobody can tell what a site has: a password, say."""
    return frozenset(field.path for field in record_type.fields if field.write_only)


def compare(record_type: RecordType, sent: Iterable[PlanRow], found: Mapping[str, SiteRecord]) -> list[Mismatch]:
    """Every difference between the items that were carried out and the records the site gives back, by record id."""
    mismatches = []
    fields: dict[str, Field] = {}
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
                field = fields.get(path) or fields.setdefault(path, record_type.field(path))
                if not same(field, change.after, value):
                    rule = explained(field, change.after, value)
                    mismatches.append(Mismatch(**known, field=path, sent=change.after, found=value, rule=rule))
    return mismatches
