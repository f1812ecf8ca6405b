"""The tree that a site would have after a run: what stands there, what comes, and what moves."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel
from sqlalchemy.orm import Session

from datorum.core.link import row_meant
from datorum.core.model import Action, Change, PlanRow
from datorum.core.plan.frame import rows_of
from datorum.core.values import at
from datorum.sites import SiteType
from datorum.sites.rest.model import Link
from datorum.stations.basis import Target
from datorum.stations.imports import get_import
from datorum.stations.snapshots import ready_snapshots
from datorum.store import models, plan_items, snapshots


class TreeNode(BaseModel):
    """One record in its place, ``deep`` levels below the top. ``was_below``: what it stands below now, where it would
    move; ``lost``: what it is to stand below is not there."""

    label: str
    deep: int
    mark: Literal["new", "changed", "moved", "same"]
    was_below: str | None = None
    lost: bool = False
    page: str | None = None


class TreeView(BaseModel):
    """``nodes`` from a place on, each below the one above it; ``total`` of all."""

    total: int
    nodes: list[TreeNode]


class _Nodes:
    """Records by what others mean them by: of each its node, and what it stands below."""

    def __init__(self) -> None:
        self.nodes: dict[str, TreeNode] = {}
        self.above: dict[str, str | None] = {}

    def put(self, own: str, node: TreeNode, above: str | None) -> None:
        self.nodes[own], self.above[own] = node, above

    def leave(self, own: str) -> None:
        del self.nodes[own], self.above[own]

    def in_order(self) -> list[TreeNode]:
        """All, each below the one above it and by name; what stands above itself last."""
        below: dict[str | None, list[str]] = {}
        for own, above in self.above.items():
            below.setdefault(above if above in self.nodes else None, []).append(own)
        found: list[TreeNode] = []
        seen: set[str] = set()

        def ordered(above: str | None) -> list[str]:
            return sorted(below.get(above, []), key=lambda own: self.nodes[own].label.lower(), reverse=True)

        waiting = [(own, 0) for own in ordered(None)]
        while waiting or len(seen) < len(self.nodes):
            if not waiting:
                waiting = [(next(own for own in self.nodes if own not in seen), 0)]
            own, deep = waiting.pop()
            if own in seen:
                continue
            seen.add(own)
            lost = self.above[own] is not None and self.above[own] not in self.nodes
            found.append(self.nodes[own].model_copy(update={"deep": deep, "lost": lost}))
            waiting += [(one, deep + 1) for one in ordered(own)]
        return found


def has_tree(target: Target) -> bool:
    """Whether the records of a plan stand in a tree."""
    return target.description.type(target.record_type.name).way_up is not None


def tree_after(store: Session, plan: models.Plan, offset: int, count: int) -> TreeView:
    """A part of the tree as a plan would leave it; none where its records do not stand in one."""
    target = Target.kept(plan)
    kind = target.description.type(target.record_type.name)
    up = kind.way_up
    if up is None:
        return TreeView(total=0, nodes=[])
    nodes = _Nodes()
    kept = ready_snapshots(store, get_import(store, plan.import_id).site_id).get(kind.name)
    if kept is not None:
        _on_site(store, kept.id, kind, up, nodes)
    _planned(store, plan, kind, up, nodes)
    ordered = nodes.in_order()
    return TreeView(total=len(ordered), nodes=ordered[offset : offset + count])


def _on_site(store: Session, snapshot_id: int, kind: SiteType, up: Link, nodes: _Nodes) -> None:
    called = kind.called_at or ""
    for chunk in snapshots.chunks(store, snapshot_id):
        for record in snapshots.records_in(chunk):
            own = record.id if up.by == (kind.id_field or "id") else _text(at(record.body, up.by))
            above = _text(at(record.body, up.field))
            node = TreeNode(label=_text(at(record.body, called)) or record.id, deep=0, mark="same", page=record.page)
            nodes.put(own or record.id, node, None if above == "0" else above)


def _planned(store: Session, plan: models.Plan, kind: SiteType, up: Link, nodes: _Nodes) -> None:
    for number in plan_items.chunk_numbers(store, plan.id):
        # What goes at a later time stands where it goes in the end.
        for row in rows_of(plan_items.chunk(store, plan.id, number)):
            if row.action.sends and row.record_type in ("", kind.name):
                _place(row, kind, up, nodes)


def _place(one: PlanRow, kind: SiteType, up: Link, nodes: _Nodes) -> None:
    """Put a record of a plan where it is to stand."""
    called = kind.called_at or ""
    change = one.changes.get(up.field)
    named = one.changes.get(called)
    if one.action is Action.CREATE:
        label = _text(named.after if named else None) or one.key or ""
        # What means it says its item, or what the link takes of it once it is there.
        nodes.put(f"row {one.item}", TreeNode(label=label, deep=0, mark="new"), _above(change))
        return
    if one.of_item is not None and change is not None:
        nodes.above[f"row {one.of_item}"] = _above(change)
        return
    own = one.record_id if up.by == (kind.id_field or "id") else _text(at(one.on_site or {}, up.by))
    before = nodes.nodes.get(own or "")
    if own is None or before is None:
        return
    if one.action is Action.DELETE:
        nodes.leave(own)
        return
    stood = nodes.above[own]
    moved = change is not None
    was_below = nodes.nodes[stood].label if moved and stood in nodes.nodes else "the top" if moved else None
    label = _text(named.after if named else None) or before.label
    node = before.model_copy(update={"label": label, "mark": "moved" if moved else "changed", "was_below": was_below})
    nodes.put(own, node, _above(change) if moved else stood)


def _above(change: Change | None) -> str | None:
    """What a record is to stand below."""
    after = change.after if change else None
    number = row_meant(after)
    return _text(after) if number is None else f"row {number}"


def _text(value: Any) -> str | None:
    return None if value is None or value == "" else str(value)
