"""What has landed in the frames of the grains, record by record: lists of objects with what they hold."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any

import polars as pl

from datorum.core.check.findings import Where
from datorum.core.json_text import dumps
from datorum.core.model import Field, RecordType
from datorum.core.steps.landing import Landed
from datorum.core.typed import as_json
from datorum.core.values import nest

Reading = Callable[[Field, Landed], list[Any]]
"""Gives the JSON value of each distinct value of a landed field."""


def values_by_record(
    where: Mapping[str | None, Where],
    record_type: RecordType,
    landed: Mapping[str, Landed],
    special: Mapping[str, Reading] | None = None,
) -> Iterator[dict[str, Any]]:
    """Of each record the JSON values of its own fields by path, blank ones as None, and by the path of each list of
    objects the objects in which anything has landed, None where there is none. ``special``: how single fields are read,
    by path; of any other what is not of its type is blank."""
    reading = special or {}
    fields = [field for field in record_type.writable if field.path in landed]
    own = [(field.path, _column(field, landed, reading)) for field in fields if not field.in_list]
    tops = {path for path in record_type.lists if not _outer(path, record_type)}
    objects = {
        path: _objects(path, [field for field in fields if _top(field, record_type) == path], where, record_type,
                       landed, reading)
        for path in sorted(tops)
    }  # fmt: skip
    fed = {path for path in tops if any(_top(field, record_type) == path for field in fields)}
    for at, number in enumerate(where[None].records.to_list()):
        found = {path: column[at] for path, column in own}
        for path in fed:
            found[path] = objects[path].get(number)
        yield found


def json_by_record(
    where: Mapping[str | None, Where],
    record_type: RecordType,
    landed: Mapping[str, Landed],
    special: Mapping[str, Reading] | None = None,
) -> dict[str, pl.Series]:
    """``values_by_record`` as columns: by path the JSON text of each record, null where the field is blank."""
    reading = special or {}
    found: dict[str, pl.Series] = {}
    fields = [field for field in record_type.writable if field.path in landed]
    for field in (one for one in fields if not one.in_list):
        distinct = reading.get(field.path, in_json)(field, landed[field.path])
        texts = pl.Series([None if value is None else dumps(value) for value in distinct], dtype=pl.String)
        found[field.path] = landed[field.path].over_rows(texts)
    numbers = where[None].records.to_list()
    for path in sorted(path for path in record_type.lists if not _outer(path, record_type)):
        within = [field for field in fields if _top(field, record_type) == path]
        if within:
            objects = _objects(path, within, where, record_type, landed, reading)
            listed = [objects.get(number) for number in numbers]
            found[path] = pl.Series([None if one is None else dumps(one) for one in listed], dtype=pl.String)
    return found


def _objects(
    path: str, fields: list[Field], where: Mapping[str | None, Where], record_type: RecordType,
    landed: Mapping[str, Landed], reading: Mapping[str, Reading],
) -> dict[int, list[dict[str, Any]]]:  # fmt: skip
    """The objects of a list by the record that they are of; an object in which nothing has landed is none."""
    if not fields:
        return {}
    behind = len(path) + 1
    inner = frozenset(one[behind:] for one in record_type.lists if one.startswith(f"{path}."))
    flat = not inner and not any("." in field.path[behind:] for field in fields)
    columns = [(field.path[behind:], _column(field, landed, reading)) for field in fields]
    found: dict[int, list[dict[str, Any]]] = {}
    for at, number in enumerate(where[fields[0].in_list].records.to_list()):
        values = {name: cell for name, column in columns if (cell := column[at]) is not None}
        if values:
            found.setdefault(number, []).append(values if flat else nest(values, inner))
    return found


def _column(field: Field, landed: Mapping[str, Landed], reading: Mapping[str, Reading]) -> list[Any]:
    one = landed[field.path]
    # Each distinct value is read once, and shared by the rows that have it.
    distinct = reading.get(field.path, in_json)(field, one)
    return distinct if one.codes is None else [distinct[code] for code in one.codes]


def in_json(field: Field, landed: Landed) -> list[Any]:
    """What a site is sent of each distinct value; None where there is none."""
    return as_json(field, landed.typed(field))


def _top(field: Field, record_type: RecordType) -> str | None:
    """The list, of the record itself, that a field stands in."""
    return None if field.in_list is None else _outer(field.in_list, record_type) or field.in_list


def _outer(path: str, record_type: RecordType) -> str | None:
    outer = [other for other in record_type.lists if path.startswith(f"{other}.")]
    return min(outer, key=len, default=None)
