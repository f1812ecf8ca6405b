"""Records of a plan in the ledger. At Rehearse: on the site now, after the run. At Verify: sent, found on the site."""

from __future__ import annotations

from typing import Any, NamedTuple

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

from datorum.core.link import row_meant, rows_meant
from datorum.core.model import Field as SiteField
from datorum.core.model import RecordType
from datorum.core.plan import at, same
from datorum.stations.ledger.shown import BETWEEN_ITEMS, Cell, Mark, Question, RecordHead
from datorum.stations.made import keys_of_rows
from datorum.stations.run import run_of
from datorum.stations.verify import latest_verification
from datorum.store import models

_MARKS: dict[str, Mark] = {"create": "good", "update": "changed", "held": "held", "unchanged": "same"}


class _Mismatched(NamedTuple):
    sent: Any
    found: Any


class PlannedView:
    """The records of a plan that answer a question; ``total`` of them there are."""

    def __init__(self, store: Session, plan: models.Plan, record_type: RecordType, question: Question) -> None:
        self._type = record_type
        self._verifying = question.station == "verify"
        self._mismatches = _mismatches(store, plan) if self._verifying else {}
        asked = self._wanted(plan, question)
        kept = models.StoredPlanRow
        self.total = store.scalar(asked.with_only_columns(func.count())) or 0
        # The same order for one seed, whatever the plan's size.
        order = func.md5(func.concat(kept.row, "-", question.seed)) if question.records == "random" else kept.row
        part = asked.order_by(order, kept.row).offset(question.offset).limit(question.count)
        self._rows = list(store.scalars(part))
        self._changes = {row.row: {**row.changes} for row in self._rows}
        for row, further in store.execute(
            select(kept.of_row, kept.changes).where(kept.plan_id == plan.id, kept.of_row.in_(self._changes))
        ):
            self._changes[row] |= further
        self._meant = keys_of_rows(store, plan, set().union(*(rows_meant(one) for one in self._changes.values())))

    def _wanted(self, plan: models.Plan, question: Question) -> Select[Any]:
        kept = models.StoredPlanRow
        wanted = select(kept).where(kept.plan_id == plan.id, kept.record_type == "", kept.of_row.is_(None))
        if self._verifying:
            wanted = wanted.where(kept.state == "done")
        if question.records == "action" and question.action:
            wanted = wanted.where(kept.action == question.action)
        if question.records == "finding" and question.field:
            wanted = wanted.where(kept.action == "update", kept.changes.has_key(question.field))
        if question.records == "mismatched":
            wanted = wanted.where(kept.row.in_({row for row, _ in self._mismatches}))
        return wanted

    def heads(self) -> list[RecordHead]:
        return [self._head(row) for row in self._rows]

    def cells(self, field: SiteField) -> list[list[Cell]]:
        cell = self._verified if self._verifying else self._rehearsed
        if field.in_list is None:
            return [[cell(row, field)] for row in self._rows]
        top = _top(field.in_list, self._type)
        return [self._objects(row, field, top) for row in self._rows]

    def _head(self, row: models.StoredPlanRow) -> RecordHead:
        mismatched = any(number == row.row for number, _ in self._mismatches)
        mark = "held" if mismatched else _MARKS.get(row.action, "")
        lines = {
            path: len(self._both(row, path)) for path in sorted(self._type.lists) if _top(path, self._type) == path
        }
        return RecordHead(
            row=row.row,
            label=row.key or "",
            place=f"row {row.row:,}",
            mark=mark,
            note=row.reason or row.action,
            page=row.page,
            lines={path: count for path, count in lines.items() if count or path in self._changes[row.row]},
        )

    def _rehearsed(self, row: models.StoredPlanRow, field: SiteField) -> Cell:
        before = at(row.on_site or {}, field.path)
        change = self._changes[row.row].get(field.path)
        if row.action == "held":
            return Cell()
        if change is None:
            return Cell(upper=self._text(before), lower=self._text(before), mark="same")
        mark: Mark = "good" if row.action == "create" else "changed"
        return Cell(upper=self._text(before), lower=self._text(change["after"]), mark=mark)

    def _verified(self, row: models.StoredPlanRow, field: SiteField) -> Cell:
        change = self._changes[row.row].get(field.path)
        if change is None and row.action == "update":
            # Only what changes is sent of a record that is on the site.
            value = self._text(at(row.on_site or {}, field.path))
            return Cell(lower=value, mark="same", note="not sent: the site has it so")
        if change is None:
            return Cell()
        sent = self._text(change["after"])
        different = self._mismatches.get((row.row, field.path))
        if (row.row, "") in self._mismatches:
            return Cell(upper=sent, lower=None, mark="held", note="not found on the site")
        if different:
            return Cell(upper=sent, lower=self._text(different.found), mark="held", note="differs")
        return Cell(upper=sent, lower=sent, mark="good")

    def _text(self, value: Any) -> str | None:
        """A value as it is read; a record that is not there yet by its key."""
        number = row_meant(value)
        if number is not None:
            return f"→ {self._meant[number] or f'row {number:,}'}"
        if isinstance(value, list):
            return BETWEEN_ITEMS.join(self._text(item) or "" for item in value)
        if isinstance(value, float) and value.is_integer():
            return str(int(value))
        if value is None or isinstance(value, bool):
            return None if value is None else str(value).lower()
        return str(value)

    def _both(self, row: models.StoredPlanRow, path: str) -> list[tuple[Any, Any]]:
        """The objects of a list before and after or, at Verify, sent and found, side by side."""
        change = self._changes[row.row].get(path)
        before = at(row.on_site or {}, path)
        if self._verifying:
            sent = change["after"] if change else before
            different = self._mismatches.get((row.row, path))
            left, right = _listed(sent), _listed(different.found if different else sent)
        else:
            left, right = _listed(before), _listed(change["after"] if change else before)
        return [
            (left[place] if place < len(left) else None, right[place] if place < len(right) else None)
            for place in range(max(len(left), len(right)))
        ]

    def _objects(self, row: models.StoredPlanRow, field: SiteField, top: str) -> list[Cell]:
        if row.action == "held":
            return []
        behind = field.path[len(top) + 1 :]
        cells = []
        for before, after in self._both(row, top):
            left, right = at(before or {}, behind), at(after or {}, behind)
            mark: Mark = "same"
            if self._verifying:
                mark = "good" if left is None or same(field, left, right) else "held"
            elif not same(field, left, right):
                mark = "good" if before is None else "changed"
            note = "differs" if mark == "held" else "no longer there" if after is None else ""
            cells.append(Cell(upper=self._text(left), lower=self._text(right), mark=mark, note=note))
        return cells


def _mismatches(store: Session, plan: models.Plan) -> dict[tuple[int, str], _Mismatched]:
    run = run_of(store, plan.id)
    verification = latest_verification(store, run.id) if run else None
    if verification is None:
        return {}
    kept = store.scalars(select(models.StoredMismatch).where(models.StoredMismatch.verification_id == verification.id))
    return {(one.row, one.field): _Mismatched(one.sent, one.found) for one in kept}


def _top(path: str, record_type: RecordType) -> str:
    """The list, of the record itself, in which a list stands."""
    return min((other for other in record_type.lists if f"{path}.".startswith(f"{other}.")), key=len)


def _listed(value: Any) -> list[Any]:
    return value if isinstance(value, list) else []
