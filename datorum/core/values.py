"""JSON values of fields: the question whether two are the same, and where they stand in a record's body."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from decimal import Decimal, InvalidOperation
from functools import lru_cache
from typing import Any

from datorum.core.model import Field, FieldType


def same(field: Field, left: Any, right: Any) -> bool:
    """Whether two values of a field mean the same: numbers by amount, times by instant, blank as blank. What is never
    given back counts as the same: nobody can tell."""
    if left is right or field.write_only:
        return True
    if _blank(left) or _blank(right):
        return _blank(left) and _blank(right)
    if left == right and not isinstance(left, bool) and not isinstance(right, bool):
        return True
    match field.type:
        case FieldType.INTEGER | FieldType.NUMBER:
            try:
                return Decimal(str(left)) == Decimal(str(right))
            except InvalidOperation:
                return False
        case FieldType.DATE_TIME:
            return bool(instant(left) == instant(right))
        case FieldType.BOOLEAN:
            return left is right
        case FieldType.LIST:
            return _same_objects(field, left, right) if field.objects else bool(left == right)
    return str(left) == str(right)


def _same_objects(field: Field, left: Any, right: Any) -> bool:
    """Whether the objects of two lists are the same one by one, in what both have: a site adds numbers of its own."""
    if not isinstance(left, list) or not isinstance(right, list) or len(left) != len(right):
        return False
    for one, other in zip(left, right, strict=True):
        if not isinstance(one, dict) or not isinstance(other, dict):
            return False
        for inner in field.objects:
            if inner.read_only:
                continue
            ours, theirs = at(one, inner.path), at(other, inner.path)
            if ours is not None and theirs is not None and not same(inner, ours, theirs):
                return False
    return True


def at(body: dict[str, Any], path: str) -> Any:
    """The value at a dotted path, None where there is none."""
    value: Any = body
    for part in _parts(path):
        if isinstance(value, list):
            value = value[0] if value else None
        if not isinstance(value, dict):
            return None
        value = value.get(part)
    return value


def all_at(value: Any, path: str) -> Iterator[Any]:
    """Every value at a dotted path, in each object of the lists on it and of those in which it ends."""
    yield from _all_at(value, _parts(path) if path else ())


def _all_at(value: Any, path: tuple[str, ...]) -> Iterator[Any]:
    if isinstance(value, list):
        for item in value:
            yield from _all_at(item, path)
    elif not path:
        yield value
    elif isinstance(value, dict):
        yield from _all_at(value.get(path[0]), path[1:])


@lru_cache(maxsize=1024)
def _parts(path: str) -> tuple[str, ...]:
    return tuple(path.split("."))


def nest(values: dict[str, Any], lists: frozenset[str] = frozenset()) -> dict[str, Any]:
    """Dotted paths into objects: ``{"address.city": "Bergen"}`` → ``{"address": {"city": "Bergen"}}``.

    An object at a path of ``lists`` is the one item of a list: a row makes one line of its order.
    """
    body: dict[str, Any] = {}
    for path, value in values.items():
        if "." not in path:
            body[path] = value
            continue
        *parents, last = path.split(".")
        inner = body
        for depth, part in enumerate(parents, 1):
            listed = ".".join(parents[:depth]) in lists
            found = inner.setdefault(part, [{}] if listed else {})
            inner = found[0] if isinstance(found, list) else found
        inner[last] = value
    return body


def put(body: dict[str, Any], path: str, value: Any) -> dict[str, Any]:
    """A body with a value at a dotted path; the first object of a list on it is what stands for the list, as ``at``
    reads it."""
    first, _, rest = path.partition(".")
    if not rest:
        return {**body, first: value}
    inner = body.get(first)
    if isinstance(inner, list):
        objects = inner or [{}]
        head = objects[0] if isinstance(objects[0], dict) else {}
        return {**body, first: [put(head, rest, value), *objects[1:]]}
    return {**body, first: put(inner if isinstance(inner, dict) else {}, rest, value)}


def without(body: dict[str, Any], path: str) -> dict[str, Any]:
    """A body without what stands at a dotted path."""
    first, _, rest = path.partition(".")
    if not rest:
        return {name: part for name, part in body.items() if name != first}
    inner = body.get(first)
    return {**body, first: without(inner, rest)} if isinstance(inner, dict) else body


def _blank(value: Any) -> bool:
    return value is None or value == "" or value == []


def instant(value: Any) -> Any:
    """The moment that a value says, in UTC where it names no offset; a value that says none, as it is."""
    try:
        moment = dt.datetime.fromisoformat(str(value))
    except ValueError:
        return value
    return (moment if moment.tzinfo else moment.replace(tzinfo=dt.UTC)).astimezone(dt.UTC)
