"""Bodies of records from the frames of their grains."""

from __future__ import annotations

from collections.abc import Iterator
from collections.abc import Mapping as AnyMapping
from typing import Any

import polars as pl

from datorum.core.formula import Scope
from datorum.core.model import Field, FieldMapping, Mapping, RecordType
from datorum.core.shape.grains import RECORD, Grains, grains_of
from datorum.core.steps.landing import land
from datorum.core.values import nest, to_json


def shaped(mapping: Mapping, frame: pl.DataFrame, sheets: AnyMapping[str, pl.DataFrame] | None = None) -> Grains:
    """A sheet as the frames of a mapping's grains."""
    grains = grains_of(frame, sheets)
    for shape in mapping.shape:
        grains = shape.apply(grains)
    return grains


def bodies(
    mapping: Mapping,
    record_type: RecordType,
    grains: Grains,
    scope: Scope,
    keys: AnyMapping[tuple[str, str], Field] | None = None,
) -> Iterator[dict[str, Any]]:
    """Each record with what has landed, blank and unreadable values left out; the record that a link means as an
    object with the key that it is looked for by. ``keys``: the fields of linked records, by link and key."""
    lists = {
        path: _lists(
            mapping, [field for field in record_type.writable if field.in_list == path], frame, scope, keys or {}
        )
        for path, frame in grains.lists.items()
    }
    own = [field for field in record_type.writable if not field.in_list]
    columns = _landed(mapping, own, grains.records, scope, keys or {})
    for at, number in enumerate(grains.records[RECORD]):
        values = {path: cells[at] for path, cells in columns.items() if cells[at] is not None}
        for path, by_record in lists.items():
            if number in by_record:
                values[path] = by_record[number]
        yield nest(values)


def _lists(
    mapping: Mapping, fields: list[Field], frame: pl.DataFrame, scope: Scope,
    keys: AnyMapping[tuple[str, str], Field],
) -> dict[int, list[dict[str, Any]]]:  # fmt: skip
    """The objects of a list by the record that they are of; an object in which nothing has landed is none."""
    columns = _landed(mapping, fields, frame, scope, keys)
    found: dict[int, list[dict[str, Any]]] = {}
    for at, number in enumerate(frame[RECORD]):
        values = {
            path.removeprefix(f"{field.in_list}."): columns[path][at]
            for field in fields
            if (path := field.path) in columns and columns[path][at] is not None
        }
        if values:
            found.setdefault(number, []).append(nest(values))
    return found


def _landed(
    mapping: Mapping, fields: list[Field], frame: pl.DataFrame, scope: Scope,
    keys: AnyMapping[tuple[str, str], Field],
) -> dict[str, list[Any]]:  # fmt: skip
    """The values of fed fields in JSON, by path."""
    found = {}
    for field in fields:
        fed = mapping.fields.get(field.path)
        if fed is None or not fed.fed:
            continue
        by = mapping.links.get(field.path)
        known = keys.get((field.path, by)) if by else None
        texts = _texts(mapping, fed, frame, scope, field.path)
        if by is None:
            found[field.path] = [_value(field, text) for text in texts]
        else:
            # A key that the site does not describe is text.
            cells = [_value(known, text) for text in texts] if known else texts
            found[field.path] = [None if cell is None else {by: cell} for cell in cells]
    return found


def _texts(mapping: Mapping, fed: FieldMapping, frame: pl.DataFrame, scope: Scope, path: str) -> list[str | None]:
    return land(frame, mapping.resolved(fed, path), scope).values.to_list()


def _value(field: Field, text: str | None) -> Any:
    try:
        return to_json(field, text)
    except (ValueError, ArithmeticError):
        return None
