"""What a change of one record sends of the rest of it, so that nothing of the record is lost.

A request that replaces the whole has the whole: what was read, without what the site alone writes, and the change laid
over it. One that changes parts has each object that the change is in as a whole: not every site merges those.
"""

from __future__ import annotations

from typing import Any

from datorum.core.model import Field, FieldType, RecordType
from datorum.core.values import at, put, without
from datorum.sites.rest.bodies import in_maps, in_pairs
from datorum.sites.rest.model import SiteType, Writing

_MERGED = "merge-patch+json"
"""Objects within are merged, by what the media type means (RFC 7396)."""


def whole_with(given: dict[str, Any], values: dict[str, Any], one: SiteType, writing: Writing) -> dict[str, Any]:
    """A record as the site gave it, with some values by dotted path over it, as ``writing`` takes it."""
    raw = taken_of({name: part for name, part in given.items() if name not in one.parents}, writing)
    raw = _without_nulls(raw, one.record_type)
    return _laid(raw, values, one, writing)


def parts_with(given: dict[str, Any] | None, values: dict[str, Any], one: SiteType, writing: Writing) -> dict[str, Any]:
    """Some values by dotted path, and beside those that stand in an object what else the record, as the site gave it,
    has in there. ``given`` may be None where ``needs_record`` says so."""
    around = {path.partition(".")[0] for path in _in_objects(values, one, writing)}
    beside = {name: part for name, part in (given or {}).items() if name in around}
    return _laid(_without_nulls(taken_of(beside, writing), one.record_type), values, one, writing)


def needs_record(values: dict[str, Any], one: SiteType, writing: Writing) -> bool:
    """Whether a change can only be sent with what else the record has."""
    return writing.replaces or bool(_in_objects(values, one, writing))


def _in_objects(values: dict[str, Any], one: SiteType, writing: Writing) -> list[str]:
    """The paths of values that can only be sent with what else is in the object around them."""
    if _MERGED not in (writing.media or ""):
        return [path for path in values if "." in path]
    # A list is replaced, be it one of pairs that stand for an object.
    pairs = tuple(f"{part.path}." for part in one.open_fields if part.kind == "pairs")
    return [path for path in values if path.startswith(pairs)]


def taken_of(body: dict[str, Any], writing: Writing) -> dict[str, Any]:
    """A record, or some properties of it, without what an operation does not take."""
    not_taken, closed = frozenset(writing.not_taken), writing.closed

    def kept(part: Any, path: str) -> Any:
        if isinstance(part, list):
            return [kept(item, path) for item in part]
        if not isinstance(part, dict):
            return part
        found = {}
        for name, inner in part.items():
            here = f"{path}.{name}" if path else name
            if here not in not_taken and (path not in closed or name in closed[path]):
                found[name] = kept(inner, here)
        return found

    whole: dict[str, Any] = kept(body, "")
    return whole


def _laid(raw: dict[str, Any], values: dict[str, Any], one: SiteType, writing: Writing) -> dict[str, Any]:
    """Values laid over a body in the site's own form. What is to be blank and may not be null is left out where the
    whole is replaced: that is blank."""
    fields = {field.path: field for field in one.record_type.fields}
    body = in_maps(raw, one.open_fields)
    for path, value in values.items():
        field = fields.get(path)
        if value is None and writing.replaces and not (field is not None and field.nullable):
            body = without(body, path)
        else:
            inside = taken_of(_around(path, value), writing)
            body = put(body, path, at(inside, path) if isinstance(value, dict | list) else value)
    return in_pairs(body, one.open_fields, raw)


def _around(path: str, value: Any) -> dict[str, Any]:
    for name in reversed(path.split(".")):
        value = {name: value}
    return dict(value)


def _without_nulls(body: dict[str, Any], record_type: RecordType) -> dict[str, Any]:
    """A body without the fields that a site gives as null and does not take so."""
    for field in record_type.fields:
        if not field.nullable and not field.in_list and _is_null(body, field):
            body = without(body, field.path)
    return body


def _is_null(body: dict[str, Any], field: Field) -> bool:
    around, _, last = field.path.rpartition(".")
    inner = at(body, around) if around else body
    return isinstance(inner, dict) and last in inner and inner[last] is None and field.type is not FieldType.FILE
