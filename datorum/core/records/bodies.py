"""Bodies of records from the frames of their grains."""

from __future__ import annotations

from collections.abc import Iterator
from collections.abc import Mapping as AnyMapping
from typing import Any

from datorum.core.check.findings import places
from datorum.core.formula import Scope
from datorum.core.link.keys import parted
from datorum.core.link.resolve import items_of
from datorum.core.model import Field, FieldType, LinkRule, Mapping, RecordType
from datorum.core.records.values import readable, values_by_record
from datorum.core.shape.grains import Grains
from datorum.core.steps.landing import land
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

    def value(field: Field, text: str | None) -> Any:
        rule = mapping.links.get(field.path)
        if rule is None or not rule.by or text is None:
            return readable(field, text)
        if field.type is FieldType.LIST:
            return [looked_for(field, rule, item) for item in items_of(text)]
        return looked_for(field, rule, text)

    def looked_for(field: Field, rule: LinkRule, text: str) -> Any:
        cells = {}
        for by, part in zip(rule.by, parted(text, len(rule.by)), strict=True):
            known = (keys or {}).get((field.path, by))
            # A key that the site does not describe is text.
            cells[by] = readable(known, part) if known else part
        return None if None in cells.values() else cells

    for values in values_by_record(places(grains, record_type), record_type, landed, value):
        yield nest({path: cell for path, cell in values.items() if cell is not None})
