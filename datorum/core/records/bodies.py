"""Bodies of records from the frames of their grains."""

from __future__ import annotations

from collections.abc import Iterator
from collections.abc import Mapping as AnyMapping
from typing import Any

import polars as pl

from datorum.core.check.findings import places
from datorum.core.formula import Scope
from datorum.core.link.keys import parted
from datorum.core.model import Field, FieldType, LinkRule, Mapping, RecordType
from datorum.core.records.values import values_by_record
from datorum.core.shape.grains import Grains
from datorum.core.steps.landing import Landed, land
from datorum.core.typed import as_json, typed
from datorum.core.values import nest


def bodies(
    mapping: Mapping,
    record_type: RecordType,
    grains: Grains,
    scope: Scope,
    keys: AnyMapping[tuple[str, str], Field] | None = None,
) -> Iterator[dict[str, Any]]:
    """Each record with what has landed, blank and unreadable values left out; the record that a link means as an
    object with the key that it is looked for by. ``keys``: the fields of linked records, by link and key."""
    landed = {}
    for field in record_type.writable:
        fed = mapping.fields.get(field.path)
        if fed is not None and fed.fed:
            frame = grains.seen_from(field.in_list, fed.seen_columns())
            landed[field.path] = land(frame, mapping.resolved(fed, field.path), scope)

    def meant(field: Field, of: Landed) -> list[Any]:
        """Of each distinct value the keys by which the records that it means are looked for."""
        rule = mapping.links[field.path]
        if field.type is not FieldType.LIST:
            # The key of another record is of that one's type, whatever the field takes.
            return _sought(field, rule, of.distinct.values, keys or {})
        given = of.typed(field).values
        each = iter(_sought(field, rule, given.explode(empty_as_null=False, keep_nulls=False), keys or {}))
        return [None if count is None else [next(each) for _ in range(count)] for count in given.list.len()]

    reading = {path: meant for path, rule in mapping.links.items() if rule.by}
    for values in values_by_record(places(grains, record_type), record_type, landed, reading):
        yield nest({path: cell for path, cell in values.items() if cell is not None})


def _sought(
    field: Field, rule: LinkRule, values: pl.Series, keys: AnyMapping[tuple[str, str], Field]
) -> list[dict[str, Any] | None]:
    """The key of each record that some values mean, by its parts; None where it is not whole."""
    count = len(rule.by)
    parts = [[None if text is None else parted(text, count)[at] for text in values] for at in range(count)]
    read = {}
    for by, part in zip(rule.by, parts, strict=True):
        known = keys.get((field.path, by))
        # A key that the site does not describe is text.
        read[by] = as_json(known, typed(known, pl.Series(part, dtype=pl.String))) if known else part
    cells = (dict(zip(read, one, strict=True)) for one in zip(*read.values(), strict=True))
    return [None if None in one.values() else one for one in cells]
