"""After a run what was not sent is as it was, or is told."""

from __future__ import annotations

from typing import Any

import pytest

from datorum.core.model import Action, Change, Field, FieldType, PlanRow, RecordType, SiteRecord
from datorum.core.plan.frame import frame_of
from datorum.core.verify import touched_besides

ORDERS = RecordType(
    name="orders", title="Orders",
    fields=(
        Field(path="id", title="Id", type=FieldType.INTEGER, read_only=True), Field(path="stage", title="Stage"),
        Field(path="total", title="Total", type=FieldType.NUMBER), Field(path="tax", title="Tax", read_only=True),
        Field(path="pin", title="Pin", write_only=True), Field(path="ship.city", title="City"),
        Field(path="ship.zone", title="Zone", read_only=True),
        Field(path="lines.sku", title="Sku", in_list="lines"), Field(path="lines.note", title="Note", in_list="lines"),
        Field(path="placed", title="Placed", type=FieldType.DATE_TIME),
    ),
)  # fmt: skip
BEFORE: dict[str, Any] = {
    "id": 7, "stage": "new", "total": 3, "tax": 1, "ship": {"city": "Quillham", "zone": "N"},
    "lines": [{"id": 1, "sku": "A", "note": "dry"}, {"id": 2, "sku": "B"}], "meta_own": {"till": 1},
    "placed": "2026-01-02T10:00:00+01:00", "updated_at": "then", "version": 1,
}  # fmt: skip


def told(after: dict[str, Any], sent: tuple[str, ...] = ("stage",), now: Any = None) -> list[str]:
    changes = {path: Change(None, "x") for path in sent}
    row = PlanRow(item=1, action=Action.UPDATE, record_id="7", key="7", changes=changes, on_site=BEFORE)
    found = {"7": SiteRecord("7", now if now is not None else BEFORE | after)}
    return [one.field for one in touched_besides(ORDERS, frame_of([row]), found, {1: sent})]


@pytest.mark.parametrize(
    ("after", "fields"),
    [
        ({"stage": "sent"}, []),
        ({"tax": 9, "updated_at": "now", "version": 2, "id": 7}, []),
        ({"total": 3.0, "placed": "2026-01-02T09:00:00Z"}, []),
        ({"total": 4}, ["total"]),
        ({"total": None}, ["total"]),
        ({"lines": BEFORE["lines"][:1]}, ["lines"]),
        ({"lines": [{"id": 8, "sku": "A", "note": "dry"}, {"id": 9, "sku": "B"}]}, []),
        ({"lines": [{"id": 1, "sku": "A"}, {"id": 2, "sku": "B"}]}, ["lines"]),
        ({"ship": {"city": "Ryewick", "zone": "S"}}, ["ship.city"]),
        ({"ship": None}, ["ship.city"]),
        ({"meta_own": {}}, ["meta_own.till"]),
        ({"more": 1}, ["more"]),
    ],
)
def test_what_else_has_changed_is_told(after: dict[str, Any], fields: list[str]) -> None:
    assert told(after) == fields


def test_what_was_sent_is_not_told_again() -> None:
    assert told({"ship": {"city": "Ryewick"}, "lines": []}, ("ship.city", "lines")) == []
    assert told({}, now={"id": 7, "stage": "sent"}) == ["total", "ship.city", "lines", "meta_own.till", "placed"]
