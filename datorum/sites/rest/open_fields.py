"""The parts of a record that take fields of any name: objects without an end, and lists of names with values."""

from __future__ import annotations

from collections.abc import Iterator

from datorum.core.model import FieldType
from datorum.sites.rest.model import OpenField
from datorum.sites.rest.schema import DEEPEST, Json, Resolver, field_type, merged, pair_of, titled_part, without_null

_LANGUAGES = ("language", "locale", "lang", "culture")
_BY_LANGUAGE = ("by language", "per language", "language code", "locale")


def open_fields_of(schema: Json, resolver: Resolver) -> tuple[OpenField, ...]:
    """Those of a record that are no part of a list, in the order of their paths' properties."""
    return tuple(_open(merged(schema, resolver), resolver, ()))


def _open(whole: Json, resolver: Resolver, path: tuple[str, ...]) -> Iterator[OpenField]:
    for name, part in whole.get("properties", {}).items():
        inner, _ = without_null(merged(part, resolver), resolver)
        here = (*path, str(name))
        if inner.get("readOnly"):
            continue
        if inner.get("type") == "array" and isinstance(inner.get("items"), dict):
            yield from _pairs(inner, resolver, here)
        elif inner.get("type") == "object" or inner.keys() & {"properties", "additionalProperties"}:
            yield from _map(inner, resolver, here)
            if len(path) < DEEPEST:
                yield from _open(inner, resolver, here)


def _map(inner: Json, resolver: Resolver, path: tuple[str, ...]) -> Iterator[OpenField]:
    further = inner.get("additionalProperties", not inner.get("properties"))
    if further is False or (further is True and inner.get("properties")):
        # Many documents say of any object that it takes more, and mean nothing by it.
        return
    values, _ = without_null(merged(further, resolver), resolver) if isinstance(further, dict) else ({}, False)
    kind = field_type(values)
    if kind is None:
        return
    said = str(inner.get("description", "")).lower()
    languages = any(word in said for word in _BY_LANGUAGE)
    why = "its description says so" if languages else "its document lets it have properties of any name"
    yield OpenField(path=".".join(path), title=titled_part(path[-1]), type=kind, languages=languages, why=why)


def _pairs(inner: Json, resolver: Resolver, path: tuple[str, ...]) -> Iterator[OpenField]:
    items = merged(inner["items"], resolver)
    found = pair_of(items)
    if found is None:
        return
    name_at, value_at = found
    values, _ = without_null(merged(items["properties"][value_at], resolver), resolver)
    yield OpenField(
        path=".".join(path), title=titled_part(path[-1]), kind="pairs", type=field_type(values) or FieldType.TEXT,
        name_at=name_at, value_at=value_at, languages=name_at.lower() in _LANGUAGES,
        why=f"it is a list of objects that each have a {name_at} and a {value_at}",
    )  # fmt: skip
