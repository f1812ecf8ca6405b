"""In which order the rows of a plan go: what is meant before what means it, and what means each other put right at the
end."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.link import rows_meant
from datorum.core.model import Action, RecordType
from datorum.core.plan import Waves, waves
from datorum.store import plan_rows
from datorum.store.models import StoredPlanRow
from datorum.store.plan_rows import RowToSend


class Ordered(NamedTuple):
    """``held``: the rows that are held besides, with what was to become of them; ``put_right``: how many records are
    changed once more, when all that they mean is there."""

    held: dict[int, str]
    put_right: int


def put_in_order(
    store: Session, plan_id: int, waiting: Mapping[int, set[int]], kinds: Mapping[str, RecordType]
) -> Ordered:
    """Have rows wait for the records that they mean. Where these mean each other, each is sent without what its circle
    has, and given it afterwards. What means a row that goes nowhere is held with it, and so is what means itself in a
    field that the site requires. ``kinds``: the record types of the plan, by the names that its rows have for them."""
    if not waiting:
        return Ordered({}, 0)
    known = StoredPlanRow
    mentioned = sorted(set(waiting) | set().union(*waiting.values()))
    asked = select(known.row, known.action, known.record_id).where(known.plan_id == plan_id, known.row.in_(mentioned))
    rows = {row: (action, record_id) for row, action, record_id in store.execute(asked)}
    there = {row for row, (action, record_id) in rows.items() if record_id is not None or action == Action.CREATE}
    # What has a record already need not be waited for.
    on_site = {row for row, (_, record_id) in rows.items() if record_id is not None}
    waits = {row: meant - on_site for row, meant in waiting.items()}
    reasons: dict[int, str] = {}
    while True:
        found = waves(waits, there)
        circling = plan_rows.rows_to_send(store, plan_id, found.later)
        later = {row: _later(one, found.later[row]) for row, one in circling.items()}
        stuck = [row for row, paths in later.items() if any(_is_needed(kinds, circling[row], path) for path in paths)]
        if not stuck:
            break
        there -= set(stuck)
        reasons |= dict.fromkeys(stuck, "it means itself, by way of others")
    for row, lacking in found.lacking.items():
        reasons.setdefault(row, f"it means row {lacking:,}, which does not go")
    plan_rows.put_in_waves(store, plan_id, found.wave)
    plan_rows.hold(store, plan_id, reasons)
    _put_right(store, plan_id, found, circling, later)
    return Ordered({row: rows[row][0] for row in reasons if row in rows}, len(circling))


def _later(row: RowToSend, circle: set[int]) -> list[str]:
    """The fields in which a row means what shares a circle with it."""
    return [path for path, change in row.changes.items() if rows_meant({path: change}) & circle]


def _is_needed(kinds: Mapping[str, RecordType], row: RowToSend, path: str) -> bool:
    """Whether the site takes no record without a field, or the field is one of a list that goes as a whole."""
    field = kinds[row.record_type].field(path)
    return field.required or bool(field.objects)


def _put_right(
    store: Session, plan_id: int, found: Waves, circling: Mapping[int, RowToSend], later: Mapping[int, list[str]]
) -> None:
    """Take out of rows what they can mean only later, and have that follow."""
    first, fewer, further = plan_rows.next_number(store, plan_id), [], []
    for at, (row, one) in enumerate(circling.items()):
        changes = {path: change for path, change in one.changes.items() if path not in later[row]}
        fewer.append(replace(one, changes=changes))
        rest = {path: one.changes[path] for path in later[row]}
        wave = found.after(row, rows_meant(rest) & found.wave.keys())
        put_right = replace(one, row=first - at, action=Action.UPDATE.value, changes=rest, of_row=row)
        further.append((put_right, wave))
    plan_rows.keep_changes(store, plan_id, fewer)
    plan_rows.add(store, plan_id, further)
