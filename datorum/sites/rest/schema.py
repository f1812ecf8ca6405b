"""JSON Schema 2020-12, as OpenAPI uses it, into fields."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any, NamedTuple

from referencing import Registry, Specification
from referencing.exceptions import Unresolvable

from datorum.core.errors import SiteUnavailable
from datorum.core.formula.codes import language_code
from datorum.core.model import Field, FieldType

Json = dict[str, Any]
DEEPEST = 4


class Resolver:
    """Follows local references (``#/components/…``) of one document; never fetches another."""

    def __init__(self, document: Json) -> None:
        whole = Specification.OPAQUE.create_resource(document)
        self._resolver = Registry().with_resource("", whole).resolver()

    def follow(self, part: Json) -> Json:
        """The part that a chain of references ends at, other keywords beside ``$ref`` laid over it."""
        seen: set[str] = set()
        beside: Json = {}
        while "$ref" in part:
            reference = str(part["$ref"])
            if reference in seen or not reference.startswith("#"):
                raise _nowhere(reference)
            seen.add(reference)
            beside = {key: value for key, value in part.items() if key != "$ref"} | beside
            part = self._at(reference)
        return {**part, **beside} if beside else part

    def _at(self, reference: str) -> Json:
        try:
            found = self._resolver.lookup(reference).contents
        except (Unresolvable, ValueError, TypeError, LookupError):
            raise _nowhere(reference) from None
        if not isinstance(found, dict):
            raise _nowhere(reference)
        return found


def _nowhere(reference: str) -> SiteUnavailable:
    return SiteUnavailable(
        f"The site's description has a reference that leads nowhere: {reference[:200]}.",
        remedy="Tell the site's maker.",
    )


def fields_of(schema: Json, resolver: Resolver) -> list[Field]:
    """The fields of an object schema that hold one value or a list of values.

    Those of inner objects, and of the objects of a list, have dotted paths.
    """
    return list(_fields(schema, resolver, _Place((), (), True, False, None)))


def record_rules(schema: Json, resolver: Resolver) -> Json | None:
    """The keywords that hold a record as a whole, references resolved; None where there are none."""
    whole = resolver.follow(schema)
    rules = [part for part in (_rules_of(one, resolver) for one in _all_of(whole, resolver)) if part]
    return {"allOf": rules} if rules else None


class Property(NamedTuple):
    """A property of a record, at any depth and of any kind. ``required``: in every record; what stands in the objects
    of a list is not. ``closed``: an object that takes no properties beside those described."""

    path: str
    required: bool = False
    read_only: bool = False
    write_only: bool = False
    closed: bool = False


def properties_of(schema: Json, resolver: Resolver) -> Iterator[Property]:
    """The properties of an object schema, those of inner objects and of the objects of lists by dotted paths; the
    object itself comes first, with an empty path."""
    yield from _properties(schema, resolver, Property("", required=True), 0)


def _properties(schema: Json, resolver: Resolver, place: Property, depth: int) -> Iterator[Property]:
    whole, _ = without_null(merged(schema, resolver), resolver)
    place = place._replace(
        read_only=place.read_only or whole.get("readOnly") is True,
        write_only=place.write_only or whole.get("writeOnly") is True,
    )
    listed = whole.get("type") == "array" and isinstance(whole.get("items"), dict)
    inner = merged(whole["items"], resolver) if listed else whole
    yield place._replace(closed=inner.get("additionalProperties") is False)
    if depth > DEEPEST:
        return
    required = inner.get("required")
    required = required if isinstance(required, list) else []
    for name, part in plain_properties(inner).items():
        if isinstance(part, dict):
            path = f"{place.path}.{name}" if place.path else str(name)
            always = place.required and not listed and name in required
            yield from _properties(part, resolver, place._replace(path=path, required=always), depth + 1)


_RECORD_KEYWORDS = (
    "if", "then", "else", "anyOf", "oneOf", "not", "dependentRequired", "dependentSchemas", "minProperties",
    "maxProperties",
)  # fmt: skip
_FIELD_KEYWORDS = (
    "if", "then", "else", "anyOf", "oneOf", "not", "contains", "minContains", "maxContains", "prefixItems",
)  # fmt: skip


def _all_of(schema: Json, resolver: Resolver) -> list[Json]:
    """A schema and every part that ``allOf`` lays over it."""
    parts = [schema]
    for part in schema.get("allOf", ()):
        parts += _all_of(resolver.follow(part), resolver)
    return parts


def _rules_of(schema: Json, resolver: Resolver) -> Json:
    return {key: _resolved(schema[key], resolver) for key in _RECORD_KEYWORDS if key in schema}


def _resolved(part: Any, resolver: Resolver, depth: int = 0) -> Any:
    """A part of a schema with its references put in, as deep as records go."""
    if isinstance(part, list):
        return [_resolved(one, resolver, depth) for one in part]
    if not isinstance(part, dict) or depth > 3 * DEEPEST:
        return part if not isinstance(part, dict) else {}
    return {key: _resolved(one, resolver, depth + 1) for key, one in resolver.follow(part).items()}


class _Place(NamedTuple):
    """Where a schema stands in its record: path and titles, whether all above it is required, or read-only, and the
    list of objects that it is in, of which all above it is required where it is not ``list_optional``."""

    path: tuple[str, ...]
    titles: tuple[str, ...]
    required: bool
    read_only: bool
    in_list: str | None
    list_optional: bool = False


def _fields(schema: Json, resolver: Resolver, place: _Place) -> Iterator[Field]:
    whole = merged(schema, resolver)
    language = _by_language(whole, resolver)
    for name, part in whole.get("properties", {}).items():
        inner, nullable = without_null(merged(part, resolver), resolver)
        title = _title(inner.get("title") if _says_more(inner.get("title"), name, part) else None, name)
        here = _Place(
            (*place.path, name),
            (*place.titles, title),
            place.required and name in whole.get("required", ()),
            place.read_only or bool(inner.get("readOnly")),
            place.in_list,
            place.list_optional,
        )
        # What stands inside another field is told by its parent's plain name.
        beneath = here._replace(titles=(*place.titles, titled_part(name)))
        items = merged(inner["items"], resolver) if isinstance(inner.get("items"), dict) else {}
        if inner.get("type") == "object" or "properties" in inner:
            if len(place.path) < DEEPEST:
                yield from _fields(inner, resolver, beneath)
        elif inner.get("type") == "array" and "properties" in items:
            if len(place.path) < DEEPEST and pair_of(items) is None:
                # What an object of a list requires it requires in each, be the list itself required or not.
                optional = place.list_optional or not here.required
                inside = beneath._replace(in_list=".".join(here.path), required=True, list_optional=optional)
                yield from _fields(items, resolver, inside)
        elif inner.get("type") == "array":
            item, _ = without_null(items, resolver)
            yield _field(inner, here, nullable, resolver).model_copy(
                update={"type": FieldType.LIST, "items": _field(item, here, False, resolver)}
            )
        elif field_type(inner) is not None:
            found = _field(inner, here, nullable, resolver)
            yield found.model_copy(update={"language": language_code(name)}) if language else found


_NAMES = ("key", "name", "code", "field", "field_name", "attribute", "property", "language", "locale", "lang")
_VALUES = ("value", "text", "content", "val")
_BESIDE = ("id", "display_key", "display_value", "type", "position", "label")


def pair_of(items: Json) -> tuple[str, str] | None:
    """The properties of a list's objects that are the name and the value of a field, where they are that: a list of
    metadata, a text in each language."""
    properties = {str(name).lower(): str(name) for name in plain_properties(items)}
    name = next((properties[one] for one in _NAMES if one in properties), None)
    value = next((properties[one] for one in _VALUES if one in properties), None)
    if name is None or value is None or properties.keys() - {name.lower(), value.lower(), *_BESIDE}:
        return None
    return name, value


def plain_properties(schema: Json) -> Json:
    """The properties of an object, none where they are out of order."""
    properties = schema.get("properties")
    return properties if isinstance(properties, dict) else {}


def _by_language(schema: Json, resolver: Resolver) -> bool:
    """Whether an object has a text in each of some languages, by their codes."""
    properties = plain_properties(schema)
    return (
        len(properties) > 1
        and all(_LANGUAGE.fullmatch(str(name)) and language_code(str(name)) for name in properties)
        and all(merged(part, resolver).get("type") == "string" for part in properties.values())
    )


_LANGUAGE = re.compile(r"[a-z]{2,3}([-_][A-Za-z]{2})?")


def _field(schema: Json, place: _Place, nullable: bool, resolver: Resolver) -> Field:
    kind = field_type(schema) or FieldType.TEXT
    values = [schema["const"]] if "const" in schema else schema.get("enum", ())
    first, *rest = place.titles
    # In OpenAPI 3.0 a flag beside the bound says that it is exclusive.
    low, high = schema.get("exclusiveMinimum"), schema.get("exclusiveMaximum")
    others = {key: _resolved(schema[key], resolver) for key in _FIELD_KEYWORDS if key in schema}
    return Field(
        path=".".join(place.path),
        title=", ".join([first, *(title.lower() for title in rest)]),
        type=kind,
        description=str(schema.get("description", "")),
        format=schema.get("format"),
        required=place.required,
        nullable=nullable,
        read_only=place.read_only,
        write_only=schema.get("writeOnly") is True,
        enum=tuple(_spelled(value) for value in values if value is not None),
        min_length=schema.get("minLength"),
        max_length=schema.get("maxLength"),
        pattern=schema.get("pattern"),
        minimum=None if low is True else _bound(schema.get("minimum")),
        maximum=None if high is True else _bound(schema.get("maximum")),
        above=_bound(schema.get("minimum") if low is True else low),
        below=_bound(schema.get("maximum") if high is True else high),
        multiple_of=_bound(schema.get("multipleOf")),
        min_items=schema.get("minItems"),
        max_items=schema.get("maxItems"),
        unique_items=bool(schema.get("uniqueItems")),
        other_keywords=others or None,
        in_list=place.in_list,
        list_optional=place.list_optional,
    )


def _spelled(value: Any) -> str:
    """A value of an enum as it lands."""
    return ("true" if value else "false") if isinstance(value, bool) else str(value)


def _bound(bound: Any) -> float | None:
    return float(bound) if isinstance(bound, int | float) and not isinstance(bound, bool) else None


def merged(schema: Json, resolver: Resolver) -> Json:
    """References followed and ``allOf`` laid together."""
    whole = dict(resolver.follow(schema))
    for part in whole.pop("allOf", ()):
        inner = merged(part, resolver)
        properties = {**inner.get("properties", {}), **whole.get("properties", {})}
        required = [*inner.get("required", ()), *whole.get("required", ())]
        whole = {**inner, **whole, "properties": properties, "required": required}
        if not properties:
            del whole["properties"]
    return whole


def without_null(schema: Json, resolver: Resolver) -> tuple[Json, bool]:
    """The schema without its null branch (3.1: type lists and anyOf; 3.0: ``nullable``), and whether it had one."""
    kinds = schema.get("type")
    if isinstance(kinds, list):
        others = [kind for kind in kinds if kind != "null"]
        return {**schema, "type": others[0] if len(others) == 1 else "string"}, "null" in kinds
    for keyword in ("anyOf", "oneOf"):
        branches = [merged(branch, resolver) for branch in schema.get(keyword, ())]
        others = [branch for branch in branches if branch.get("type") != "null"]
        if len(branches) > len(others) and len(others) == 1:
            outer = {key: value for key, value in schema.items() if key != keyword}
            title = others[0].get("title") or schema.get("title")
            return {**others[0], **outer, **({"title": title} if title else {})}, True
    return schema, bool(schema.get("nullable"))


def field_type(schema: Json) -> FieldType | None:
    """The field type; None for what no cell can hold."""
    match schema.get("type"):
        case "string":
            return {"date": FieldType.DATE, "date-time": FieldType.DATE_TIME, "binary": FieldType.FILE}.get(
                str(schema.get("format")), FieldType.TEXT
            )
        case "integer":
            return FieldType.INTEGER
        case "number":
            return FieldType.NUMBER
        case "boolean":
            return FieldType.BOOLEAN
        case None if not schema.keys() & {"items", "properties", "additionalProperties"}:
            # A schema that names no type takes a text as well as anything.
            return FieldType.TEXT
    return None


def _says_more(title: Any, name: str, part: Json) -> bool:
    """Whether a title is more than the property's name in other letters, or the name of the schema that the property
    shares with others."""
    if not isinstance(title, str):
        return False
    branches = [part, *(one for word in ("anyOf", "oneOf", "allOf") for one in part.get(word, ()))]
    shared = [str(one["$ref"]).rsplit("/", 1)[-1] for one in branches if isinstance(one, dict) and "$ref" in one]
    others = [name] if part.get("title") == title else [name, *shared]
    return _bare(title) not in map(_bare, others)


def _bare(text: str) -> str:
    return re.sub(r"[\s_]", "", text).lower()


def _title(title: str | None, name: str) -> str:
    return title or titled_part(name)


def titled_part(name: str) -> str:
    """The name of a property as a person reads it."""
    words = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", " ", name).replace("_", " ").replace("-", " ").lower().split()
    return " ".join(words).capitalize()
