"""What was not sent of a record, held against the record as it was before the run."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping
from typing import Any

import polars as pl

from datorum.core.json_text import loads
from datorum.core.model import Action, Field, FieldType, RecordType, SiteRecord
from datorum.core.plan.frame import ITEM
from datorum.core.values import same
from datorum.core.verify.compare import Mismatch
from datorum.core.verify.tolerance import UNTOUCHED

_OF_THE_SITE = re.compile(
    r"(?i)^_?(e?tag|version|revision|rev|lock_?version|(updated?|modified|changed|last_?(updated?|modified|changed)|"
    r"date_?(updated|modified|changed))(_?(at|on|by|date|time|gmt))*|links?|self|href|meta|metadata_version)$"
)
"""Undescribed properties that a site writes with every change."""


def touched_besides(
    record_type: RecordType,
    done: pl.DataFrame,
    found: Mapping[str, SiteRecord],
    sent: Mapping[int, Collection[str]],
) -> list[Mismatch]:
    """The fields in which updated records are otherwise than before a run, and which it did not send. ``done``: items
    as a frame of the plan; ``found``: records of the site by id; ``sent``: the paths that were sent of each item."""
    there = _Watched(record_type)
    updates = done.filter(
        (pl.col("action") == Action.UPDATE.value) & pl.col("of_item").is_null() & pl.col("on_site").is_not_null()
    )
    mismatches = []
    for item, record_id, key, before in updates.select(ITEM, "record_id", "key", "on_site").iter_rows():
        now = found.get(record_id)
        was = None if now is None else loads(before)
        if now is None or was is None or was == now.body:
            continue
        mismatches += [
            Mismatch(item=item, record_id=record_id, key=key, field=path, sent=one, found=other, rule=UNTOUCHED)
            for path, one, other in there.differences(was, now.body, sent.get(item, ()))
        ]
    return mismatches


class _Watched:
    """What of a record stays as it is when nobody changes it."""

    def __init__(self, record_type: RecordType) -> None:
        self._fields: dict[str, Field] = {field.path: field for field in record_type.fields}
        self._around = {
            ".".join(path.split(".")[:count]) for path in self._fields for count in range(1, path.count(".") + 1)
        }

    def differences(
        self, was: dict[str, Any], now: dict[str, Any], sent: Collection[str], around: str = ""
    ) -> Iterator[tuple[str, Any, Any]]:
        """The paths at which two states of an object are not the same, but for what was sent, with both values."""
        for name in dict.fromkeys((*was, *now)):
            one, other = was.get(name), now.get(name)
            path = f"{around}.{name}" if around else name
            if one == other or path in sent or self._is_of_the_site(path, name):
                continue
            inner = isinstance(one, dict | None) and isinstance(other, dict | None)
            if inner or any(each.startswith(f"{path}.") for each in sent):
                yield from self.differences(_object(one), _object(other), sent, path)
            elif not self._is_same(path, one, other):
                yield path, one, other

    def _is_of_the_site(self, path: str, name: str) -> bool:
        field = self._fields.get(path)
        if field is not None:
            return field.read_only or field.write_only or field.type is FieldType.FILE
        if path in self._around:
            within = (one for one in self._fields.values() if one.path.startswith(f"{path}."))
            return all(one.read_only for one in within)
        return _OF_THE_SITE.match(name) is not None

    def _is_same(self, path: str, one: Any, other: Any) -> bool:
        if isinstance(one, list) and isinstance(other, list) and len(one) == len(other):
            return all(self._is_same_item(path, ours, theirs) for ours, theirs in zip(one, other, strict=True))
        field = self._fields.get(path)
        return same(field or Field(path=path, title=path), one, other)

    def _is_same_item(self, path: str, one: Any, other: Any) -> bool:
        if isinstance(one, dict) and isinstance(other, dict):
            # An object of a list may get a number anew when the list is written.
            unlike = self.differences({**one, "id": None}, {**other, "id": None}, (), path)
            return next(unlike, None) is None
        return bool(one == other)


def _object(value: Any) -> dict[str, Any]:
    return value if isinstance(value, dict) else {}
