"""The frozen plan as frames: a row a record, and of each field that is sent the JSON before and after."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

import polars as pl

from datorum.core.json_text import dumps, loads
from datorum.core.model import Action, Change, PlanRow

ITEM = "item"
PLAN_SCHEMA = {
    ITEM: pl.Int64, "row": pl.Int64, "action": pl.String, "key": pl.String, "reason": pl.String,
    "record_id": pl.String, "etag": pl.String, "page": pl.String, "on_site": pl.Binary, "record_type": pl.String,
    "of_item": pl.Int64,
}  # fmt: skip
"""The columns that every frame of a plan has. ``on_site``: the record as the site had it, as JSON."""
_BEFORE, _AFTER = "before:", "after:"


def before(path: str) -> str:
    """The column with what a field has on the site, as JSON, where it is sent."""
    return _BEFORE + path


def after(path: str) -> str:
    """The column with what a field is sent as, as JSON; null where it is not sent."""
    return _AFTER + path


def sent_paths(frame: pl.DataFrame) -> list[str]:
    """The fields that are sent of any record of a frame."""
    return [name.removeprefix(_AFTER) for name in frame.columns if name.startswith(_AFTER)]


def frame_of(rows: Iterable[PlanRow]) -> pl.DataFrame:
    """Rows of a plan as a frame."""
    listed = list(rows)
    paths = dict.fromkeys(path for row in listed for path in row.changes)
    own = {name: [getattr(row, name) for row in listed] for name in PLAN_SCHEMA if name not in ("action", "on_site")}
    body = [None if row.on_site is None else dumps(row.on_site).encode() for row in listed]
    frame = pl.DataFrame(
        {**own, "action": [row.action.value for row in listed], "on_site": body}, schema_overrides=PLAN_SCHEMA
    )
    changes = {}
    for path in paths:
        of = [row.changes.get(path) for row in listed]
        deleted = [row.action is Action.DELETE for row in listed]
        changes[before(path)] = pl.Series([None if one is None else dumps(one.before) for one in of], dtype=pl.String)
        changes[after(path)] = pl.Series([None if one is None or gone else dumps(one.after)
                                          for one, gone in zip(of, deleted, strict=True)], dtype=pl.String)  # fmt: skip
    return frame.select(*PLAN_SCHEMA).with_columns(**changes)


def mentions(frame: pl.DataFrame, text: str) -> bool:
    """Whether a text stands in what any field of a frame is sent as."""
    found = [pl.col(name).str.contains(text, literal=True).any() for name in frame.columns if name.startswith(_AFTER)]
    return bool(found) and any(frame.select(one.alias(str(at)) for at, one in enumerate(found)).row(0))


def rows_of(frame: pl.DataFrame) -> Iterator[PlanRow]:
    """The rows of a frame of a plan."""
    # Column by column: a plan has very many rows, and as dictionaries they take several times as long.
    fields = [(path, frame[_BEFORE + path].to_list(), frame[_AFTER + path].to_list()) for path in sent_paths(frame)]
    for at, one in enumerate(frame.select(PLAN_SCHEMA.keys()).iter_rows()):
        item, row, name, key, reason, record_id, etag, page, on_site, record_type, of_item = one
        action = _ACTIONS[name]
        changes = {}
        if action in _SENDING:
            deleted = action is Action.DELETE
            for path, before_it, after_it in fields:
                was, will_be = before_it[at], after_it[at]
                if will_be is not None or (deleted and was is not None):
                    changes[path] = Change(_value(was), _value(will_be))
        body = None if on_site is None else loads(on_site)
        yield PlanRow(item, action, row, key, reason, record_id, etag, page, changes, body, record_type, of_item)


_ACTIONS = {action.value: action for action in Action}
_SENDING = frozenset(action for action in Action if action.sends)


def _value(text: str | None) -> Any:
    """What a JSON text of the plan says; most are texts that stand there as they are."""
    if text is None:
        return None
    return text[1:-1] if text[0] == '"' and "\\" not in text else loads(text)
