"""Records of a plan in the ledger. At Rehearse: on the site now, after the run. At Verify: sent, found on the site."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, NamedTuple

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

from datorum.core.link import addresses_meant, read_text, row_meant, rows_meant, text_parts, with_records
from datorum.core.model import Action, Change, PlanRow, RecordType
from datorum.core.model import Field as SiteField
from datorum.core.plan import at, same
from datorum.stations.led_to import known_of
from datorum.stations.ledger.shown import BETWEEN_ITEMS, Cell, Mark, Question, RecordHead
from datorum.stations.made import keys_of_items
from datorum.stations.run import run_of
from datorum.stations.verify import latest_verification
from datorum.store import models
from datorum.store.plan_items import items_changing, told

_MARKS: dict[str, Mark] = {"create": "good", "update": "changed", "held": "held", "delete": "held", "unchanged": "same"}


class _Mismatched(NamedTuple):
    sent: Any
    found: Any


class _Shown(NamedTuple):
    """An item of a plan: what it is, what became of it, and all that changes, once more too. What it means has its
    record by now where there is one."""

    item: models.PlanItem
    row: PlanRow
    changes: dict[str, Change]


class PlannedView:
    """The records of a plan that answer a question; ``total`` of them there are."""

    def __init__(self, store: Session, plan: models.Plan, record_type: RecordType, question: Question) -> None:
        self._type = record_type
        self._verifying = question.station == "verify"
        self._mismatches = _mismatches(store, plan) if self._verifying else {}
        kept = models.PlanItem
        if question.records == "finding" and question.field:
            numbers = items_changing(store, plan.id, question.field)
            self.total = len(numbers)
            wanted = numbers.slice(question.offset, question.count).to_list()
            items = list(store.scalars(_own(plan).where(kept.item.in_(wanted)).order_by(kept.item)))
        else:
            asked = self._wanted(plan, question)
            self.total = store.scalar(asked.with_only_columns(func.count())) or 0
            # The same order for one seed, whatever the plan's size.
            chance = func.md5(func.concat(kept.item, "-", question.seed))
            order = chance if question.records == "random" else kept.item
            items = list(store.scalars(asked.order_by(order, kept.item).offset(question.offset).limit(question.count)))
        self._rows = self._shown(store, plan, items)
        meant = set().union(*(rows_meant(one.changes) | addresses_meant(one.changes) for one in self._rows))
        self._meant = keys_of_items(store, plan, meant)

    def _wanted(self, plan: models.Plan, question: Question) -> Select[Any]:
        kept = models.PlanItem
        wanted = _own(plan)
        if self._verifying:
            wanted = wanted.where(kept.state == "done")
        if question.records == "action" and question.action:
            wanted = wanted.where(kept.action == question.action)
        if question.records == "mismatched":
            wanted = wanted.where(kept.item.in_({item for item, _ in self._mismatches}))
        return wanted

    def _shown(self, store: Session, plan: models.Plan, items: list[models.PlanItem]) -> list[_Shown]:
        again = models.PlanItem
        numbers = [one.item for one in items]
        more = list(store.scalars(select(again).where(again.plan_id == plan.id, again.of_item.in_(numbers))))
        told_rows = told(store, plan.id, {one.item: one.chunk for one in (*items, *more)})
        for one in items:
            if one.action != told_rows[one.item].action.value:
                # It was held after the plan was frozen.
                row = told_rows[one.item]
                told_rows[one.item] = replace(row, action=Action(one.action), reason=one.message)
        further = {one.of_item: told_rows[one.item].changes for one in more}
        found = [_Shown(one, told_rows[one.item], told_rows[one.item].changes | further.get(one.item, {}))
                 for one in items]  # fmt: skip
        if not self._verifying:
            return found
        known = known_of(plan.id, [one.changes for one in found])
        return [one._replace(changes=with_records(one.changes, known, self._type)) for one in found]

    def heads(self) -> list[RecordHead]:
        return [self._head(row) for row in self._rows]

    def cells(self, field: SiteField) -> list[list[Cell]]:
        cell = self._verified if self._verifying else self._rehearsed
        if field.in_list is None:
            return [[cell(row, field)] for row in self._rows]
        top = _top(field.in_list, self._type)
        return [self._objects(row, field, top) for row in self._rows]

    def _head(self, row: _Shown) -> RecordHead:
        mismatched = any(number == row.item.item for number, _ in self._mismatches)
        mark = "held" if mismatched else _MARKS.get(row.row.action.value, "")
        lines = {
            path: len(self._both(row, path)) for path in sorted(self._type.lists) if _top(path, self._type) == path
        }
        return RecordHead(
            row=row.item.item,
            label=row.row.key or "",
            place=f"row {row.row.row:,}" if row.row.row is not None else "on the site",
            mark=mark,
            note=row.row.reason or row.row.action.value,
            page=row.item.page or row.row.page,
            lines={path: count for path, count in lines.items() if count or path in row.changes},
        )

    def _rehearsed(self, row: _Shown, field: SiteField) -> Cell:
        before = at(row.row.on_site or {}, field.path)
        change = row.changes.get(field.path)
        if row.row.action is Action.HELD:
            return Cell()
        if change is None:
            return Cell(upper=self._text(before), lower=self._text(before), mark="same")
        mark: Mark = "good" if row.row.action is Action.CREATE else "changed"
        return Cell(upper=self._text(before), lower=self._text(change.after), mark=mark)

    def _verified(self, row: _Shown, field: SiteField) -> Cell:
        change = row.changes.get(field.path)
        if change is None and row.row.action is Action.UPDATE:
            # Only what changes is sent of a record that is on the site.
            value = self._text(at(row.row.on_site or {}, field.path))
            return Cell(lower=value, mark="same", note="not sent: the site has it so")
        if change is None:
            return Cell()
        sent = self._text(change.after)
        different = self._mismatches.get((row.item.item, field.path))
        if (row.item.item, "") in self._mismatches:
            return Cell(upper=sent, lower=None, mark="held", note="not found on the site")
        if different:
            return Cell(upper=sent, lower=self._text(different.found), mark="held", note="differs")
        return Cell(upper=sent, lower=sent, mark="good")

    def _text(self, value: Any) -> str | None:
        """A value as it is read; a record that is not there yet by its key."""
        number = row_meant(value)
        if number is not None:
            return f"→ {self._meant[number] or f'row {number:,}'}"
        parts = text_parts(value)
        if parts is not None:
            return read_text(parts, lambda item: f"→ {self._meant[item] or f'row {item:,}'}")
        if isinstance(value, list):
            return BETWEEN_ITEMS.join(self._text(item) or "" for item in value)
        if isinstance(value, float) and value.is_integer():
            return str(int(value))
        if value is None or isinstance(value, bool):
            return None if value is None else str(value).lower()
        return str(value)

    def _both(self, row: _Shown, path: str) -> list[tuple[Any, Any]]:
        """The objects of a list before and after or, at Verify, sent and found, side by side."""
        change = row.changes.get(path)
        before = at(row.row.on_site or {}, path)
        if self._verifying:
            sent = change.after if change else before
            different = self._mismatches.get((row.item.item, path))
            left, right = _listed(sent), _listed(different.found if different else sent)
        else:
            left, right = _listed(before), _listed(change.after if change else before)
        return [
            (left[place] if place < len(left) else None, right[place] if place < len(right) else None)
            for place in range(max(len(left), len(right)))
        ]

    def _objects(self, row: _Shown, field: SiteField, top: str) -> list[Cell]:
        if row.row.action is Action.HELD:
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


def _own(plan: models.Plan) -> Select[Any]:
    """The items of a plan that are records of the import's own type, each once."""
    kept = models.PlanItem
    return select(kept).where(kept.plan_id == plan.id, kept.record_type == "", kept.of_item.is_(None))


def _mismatches(store: Session, plan: models.Plan) -> dict[tuple[int, str], _Mismatched]:
    run = run_of(store, plan.id)
    verification = latest_verification(store, run.id) if run else None
    if verification is None:
        return {}
    kept = store.scalars(select(models.StoredMismatch).where(models.StoredMismatch.verification_id == verification.id))
    return {(one.item, one.field): _Mismatched(one.sent, one.found) for one in kept}


def _top(path: str, record_type: RecordType) -> str:
    """The list, of the record itself, in which a list stands."""
    return min((other for other in record_type.lists if f"{path}.".startswith(f"{other}.")), key=len)


def _listed(value: Any) -> list[Any]:
    return value if isinstance(value, list) else []
