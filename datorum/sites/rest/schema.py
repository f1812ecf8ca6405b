"""JSON Schema 2020-12, as OpenAPI uses it, into fields."""

from __future__ import annotations

import re
from typing import Any

from datorum.core.errors import SiteUnavailable
from datorum.core.model import Field, FieldType

Json = dict[str, Any]
_DEEPEST = 4


class Resolver:
    """Follows local references (``#/components/…``) of one document; never fetches another."""

    def __init__(self, document: Json) -> None:
        self._document = document

    def follow(self, part: Json) -> Json:
        """The part that a chain of references ends at, other keywords beside ``$ref`` laid over it."""
        seen: set[str] = set()
        beside: Json = {}
        while "$ref" in part:
            reference = str(part["$ref"])
            if reference in seen or not reference.startswith("#/"):
                raise SiteUnavailable(f"The site's description has a reference that leads nowhere: {reference}.")
            seen.add(reference)
            beside = {key: value for key, value in part.items() if key != "$ref"} | beside
            part = self._at(reference)
        return {**part, **beside} if beside else part

    def _at(self, reference: str) -> Json:
        found: Any = self._document
        for step in reference.removeprefix("#/").split("/"):
            name = step.replace("~1", "/").replace("~0", "~")
            found = found.get(name) if isinstance(found, dict) else None
        if not isinstance(found, dict):
            raise SiteUnavailable(f"The site's description has a reference that leads nowhere: {reference}.")
        return found


def fields_of(schema: Json, resolver: Resolver) -> list[Field]:
    """The scalar fields of an object schema; those of inner objects have dotted paths. Lists are left out."""
    return _fields(schema, resolver, (), (), True)


def _fields(
    schema: Json, resolver: Resolver, path: tuple[str, ...], titles: tuple[str, ...], required: bool
) -> list[Field]:
    whole = _merged(schema, resolver)
    found: list[Field] = []
    for name, part in whole.get("properties", {}).items():
        inner, nullable = _without_null(_merged(part, resolver), resolver)
        must = required and name in whole.get("required", ())
        title = _title(inner.get("title") if _says_more(inner.get("title"), name) else None, name)
        if inner.get("type") == "object" or "properties" in inner:
            if len(path) < _DEEPEST:
                found += _fields(inner, resolver, (*path, name), (*titles, _title(None, name)), must)
        elif _type(inner) is not None:
            found.append(_field(inner, (*path, name), (*titles, title), must, nullable))
    return found


def _field(schema: Json, path: tuple[str, ...], titles: tuple[str, ...], required: bool, nullable: bool) -> Field:
    kind = _type(schema) or FieldType.TEXT
    values = [schema["const"]] if "const" in schema else schema.get("enum", ())
    first, *rest = titles
    return Field(
        path=".".join(path),
        title=", ".join([first, *(title.lower() for title in rest)]),
        type=kind,
        description=str(schema.get("description", "")),
        format=schema.get("format"),
        required=required,
        nullable=nullable,
        read_only=bool(schema.get("readOnly")),
        enum=tuple(str(value) for value in values if value is not None),
        min_length=schema.get("minLength"),
        max_length=schema.get("maxLength"),
        pattern=schema.get("pattern"),
        minimum=_bound(schema, "minimum", "exclusiveMinimum"),
        maximum=_bound(schema, "maximum", "exclusiveMaximum"),
    )


def _bound(schema: Json, plain: str, exclusive: str) -> float | None:
    bound = schema.get(plain)
    if bound is None and isinstance(schema.get(exclusive), (int, float)) and not isinstance(schema[exclusive], bool):
        bound = schema[exclusive]
    return float(bound) if bound is not None else None


def _merged(schema: Json, resolver: Resolver) -> Json:
    """References followed and ``allOf`` laid together."""
    whole = dict(resolver.follow(schema))
    for part in whole.pop("allOf", ()):
        inner = _merged(part, resolver)
        properties = {**inner.get("properties", {}), **whole.get("properties", {})}
        required = [*inner.get("required", ()), *whole.get("required", ())]
        whole = {**inner, **whole, "properties": properties, "required": required}
        if not properties:
            del whole["properties"]
    return whole


def _without_null(schema: Json, resolver: Resolver) -> tuple[Json, bool]:
    """The schema without its null branch (3.1: type lists and anyOf; 3.0: ``nullable``), and whether it had one."""
    kinds = schema.get("type")
    if isinstance(kinds, list):
        others = [kind for kind in kinds if kind != "null"]
        return {**schema, "type": others[0] if len(others) == 1 else "string"}, "null" in kinds
    for keyword in ("anyOf", "oneOf"):
        branches = [_merged(branch, resolver) for branch in schema.get(keyword, ())]
        others = [branch for branch in branches if branch.get("type") != "null"]
        if len(branches) > len(others) and len(others) == 1:
            outer = {key: value for key, value in schema.items() if key != keyword}
            title = others[0].get("title") or schema.get("title")
            return {**others[0], **outer, **({"title": title} if title else {})}, True
    return schema, bool(schema.get("nullable"))


def _type(schema: Json) -> FieldType | None:
    """The field type; None for lists and for schemas that say nothing a cell could be held to."""
    match schema.get("type"):
        case "string":
            return {"date": FieldType.DATE, "date-time": FieldType.DATE_TIME}.get(
                str(schema.get("format")), FieldType.TEXT
            )
        case "integer":
            return FieldType.INTEGER
        case "number":
            return FieldType.NUMBER
        case "boolean":
            return FieldType.BOOLEAN
        case None if "enum" in schema or "const" in schema:
            return FieldType.TEXT
    return None


def _says_more(title: Any, name: str) -> bool:
    """Whether a title is more than the property's name in other letters, or the name of a shared schema."""
    return isinstance(title, str) and re.sub(r"[\s_]", "", title).lower() != re.sub(r"[\s_]", "", name).lower()


def _title(title: str | None, name: str) -> str:
    if title:
        return title
    words = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", " ", name).replace("_", " ").replace("-", " ").lower().split()
    return " ".join(words).capitalize()
