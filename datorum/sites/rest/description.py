"""What an OpenAPI 3.0 or 3.1 document says about a site: its collections, their fields, and how to ask for them."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import Any
from urllib.parse import urljoin

from pydantic import BaseModel

from datorum.core.errors import NotFound, SiteUnavailable
from datorum.core.model import Field, FieldType, RecordType
from datorum.sites.rest.schema import Resolver, fields_of, record_rules

Json = dict[str, Any]

_PAGE_NAMES = ("page", "page_number", "pageNumber")
_SIZE_NAMES = ("per_page", "perPage", "page_size", "pageSize", "limit")
_OFFSET_NAMES = ("offset", "skip", "start")
_MAIL_NAME = re.compile(r"(?i)^(notify|notif\w*|send_?(e?mail|welcome|notif)\w*|e?mail_(user|customer))$")
_PAGE_FIELDS = ("html_url", "permalink", "url", "link", "web_url")
_ETAGS = ("etag", "_etag", "eTag", "meta.version")
_UNIQUE_NAMES = ("email", "sku", "slug", "username")


class Paging(BaseModel, frozen=True):
    """Query parameters that turn the pages of a list."""

    page: str | None = None
    offset: str | None = None
    size: str | None = None
    size_value: int = 100


class MailSwitch(BaseModel, frozen=True):
    """The query parameter that, set to false, keeps the site from sending mail."""

    name: str
    on_create: bool
    on_update: bool


class Collection(BaseModel, frozen=True):
    """One record type and the requests that reach it. Paths hold the record's id as ``{…}``."""

    record_type: RecordType
    list_path: str
    item_path: str | None = None
    id_field: str = "id"
    page_field: str | None = None
    """The field with the address of a record's own page, for a person to open."""
    etag_at: str | None = None
    """Where each record of a list has its entity tag, which saves asking for the record before it is changed."""
    items_at: str | None = None
    total_at: str | None = None
    paging: Paging = Paging()
    filters: dict[str, str] = {}
    update_method: str | None = None
    mail: MailSwitch | None = None
    """None where the site does not say how to keep it from sending mail."""


class SiteDescription(BaseModel, frozen=True):
    """A whole site: where requests go, and its collections by name."""

    title: str
    base_url: str
    bearer: bool
    collections: dict[str, Collection]

    def collection(self, name: str) -> Collection:
        """The collection called ``name``. Raises NotFound, naming those there are."""
        if name not in self.collections:
            there = ", ".join(self.collections) or "none"
            raise NotFound(f"The site keeps no {name}.", remedy=f"It describes these record types: {there}.")
        return self.collections[name]

    def only(self, name: str) -> SiteDescription:
        """The description without its other collections. Raises NotFound as ``collection`` does."""
        return self.model_copy(update={"collections": {name: self.collection(name)}})


def describe(document: Any, address: str = "") -> SiteDescription:
    """Read a parsed OpenAPI document that was found at ``address``.

    Raises SiteUnavailable where it is no such document or has no list that records can be added to.
    """
    if not isinstance(document, dict) or not str(document.get("openapi", "")).startswith("3."):
        raise SiteUnavailable(
            "This is no OpenAPI 3 document.", remedy="Give the address of the site's OpenAPI description in JSON."
        )
    resolver = Resolver(document)
    collections = {collection.record_type.name: collection for collection in _collections(document, resolver)}
    if not collections:
        raise SiteUnavailable(
            "The site's description has no list that records can be added to.",
            remedy="It needs a path with both a GET that lists and a POST that creates.",
        )
    servers = document.get("servers") or [{}]
    schemes = resolver.follow(document.get("components", {})).get("securitySchemes", {})
    return SiteDescription(
        title=str(document.get("info", {}).get("title") or "Site"),
        base_url=urljoin(address, servers[0].get("url") or "/").rstrip("/"),
        bearer=any(
            resolver.follow(scheme).get("type") == "http"
            and resolver.follow(scheme).get("scheme", "").lower() == "bearer"
            for scheme in schemes.values()
        ),
        collections=collections,
    )


def record_type_of(document: Any, name: str) -> RecordType:
    """The fields that a document's create operation for one kind of record takes; no site need be there.

    ``name`` is the last part of the operation's path, its tag, or its schema, in the singular or plural. Raises
    SiteUnavailable, naming those there are.
    """
    if not isinstance(document, dict) or not isinstance(document.get("paths"), dict):
        raise SiteUnavailable("This is no OpenAPI document.", remedy="Give one that has paths.")
    resolver = Resolver(document)
    named: dict[str, RecordType] = {}
    for path, unresolved in document["paths"].items():
        item = resolver.follow(unresolved)
        schema = _body_schema(item.get("post"), resolver)
        last = path.rstrip("/").rsplit("/", 1)[-1]
        if schema is None or "{" in last:
            continue
        post = item["post"]
        conflict = "409" in post.get("responses", {})
        fields = (_with_uniqueness(field, conflict) for field in fields_of(schema, resolver))
        kind = _record_type(last, schema, fields, resolver)
        for known in (last, *post.get("tags", ()), _operated_on(post), _schema_name(post)):
            named.setdefault(_singular(str(known)), kind)
    found = named.get(_singular(name))
    if found is None:
        there = ", ".join(dict.fromkeys(kind.name for kind in named.values())) or "none"
        raise SiteUnavailable(
            f"The document has no operation that creates {name}.", remedy=f"It creates these: {there}."
        )
    return found.model_copy(update={"name": name})


def _operated_on(operation: Json) -> str:
    return re.sub(r"(?i)^(create|add|post|new|insert)[_-]?", "", str(operation.get("operationId", "")))


def _schema_name(operation: Json) -> str:
    content = operation.get("requestBody", {}).get("content", {})
    reference = str((_json_schema(content) or {}).get("$ref", "")).rsplit("/", 1)[-1]
    return re.sub(r"(?i)^(create|new)|(create|new|input|request|write|in|body|payload)$", "", reference)


def _singular(name: str) -> str:
    plain = re.sub(r"[^a-z0-9]", "", name.lower())
    return re.sub(r"ies$", "y", plain) if plain.endswith("ies") else plain.removesuffix("s")


def _record_type(name: str, schema: Json, fields: Iterable[Field], resolver: Resolver) -> RecordType:
    title = name.replace("_", " ").replace("-", " ").capitalize()
    return RecordType(name=name, title=title, fields=tuple(fields), other_keywords=record_rules(schema, resolver))


def _collections(document: Json, resolver: Resolver) -> Iterator[Collection]:
    paths: dict[str, Json] = {path: resolver.follow(item) for path, item in document.get("paths", {}).items()}
    for path, item in paths.items():
        create = _body_schema(item.get("post"), resolver)
        if "get" not in item or create is None or "{" in path.rsplit("/", 1)[-1]:
            continue
        shown = _answer_schema(item["get"], resolver)
        items_at, record_schema = _items(shown, resolver)
        if record_schema is None:
            continue
        item_path = next((p for p in paths if re.fullmatch(re.escape(path) + r"/\{[^/{}]+\}", p)), None)
        yield _collection(
            path, item, item_path, paths.get(item_path or "", {}), create, items_at, record_schema, resolver
        )


def _collection(
    path: str,
    item: Json,
    item_path: str | None,
    one: Json,
    create: Json,
    items_at: str | None,
    record_schema: Json,
    resolver: Resolver,
) -> Collection:
    name = path.rstrip("/").rsplit("/", 1)[-1]
    listing = _parameters(item, item["get"], resolver)
    writable = fields_of(create, resolver)
    known = {field.path for field in writable}
    given = [
        f.model_copy(update={"read_only": True}) for f in fields_of(record_schema, resolver) if f.path not in known
    ]
    conflict = "409" in item["post"].get("responses", {})
    fields = tuple(_with_uniqueness(field, conflict) for field in (*writable, *given))
    update = next((method for method in ("patch", "put") if method in one), None)
    return Collection(
        record_type=_record_type(name, create, fields, resolver),
        list_path=path,
        item_path=item_path,
        id_field=_id_field(item_path, {field.path for field in fields}),
        page_field=_page_field(fields),
        etag_at=_etag_at(fields),
        items_at=items_at,
        total_at=_total_at(_answer_schema(item["get"], resolver), resolver),
        paging=_paging(listing),
        filters={field.path: field.path for field in fields if field.path in listing},
        update_method=update,
        mail=_mail_switch(
            _parameters(item, item["post"], resolver), _parameters(one, one[update], resolver) if update else {}
        ),
    )


def _parameters(item: Json, operation: Json, resolver: Resolver) -> dict[str, Json]:
    """The query parameters of an operation, by name, each with its schema and description."""
    both = [resolver.follow(one) for one in (*item.get("parameters", []), *operation.get("parameters", []))]
    return {one["name"]: one for one in both if one.get("in") == "query"}


def _body_schema(operation: Json | None, resolver: Resolver) -> Json | None:
    if not operation:
        return None
    content = resolver.follow(operation.get("requestBody", {})).get("content", {})
    schema = _json_schema(content)
    return resolver.follow(schema) if schema else None


def _answer_schema(operation: Json, resolver: Resolver) -> Json:
    for status, response in operation.get("responses", {}).items():
        if str(status).startswith("2"):
            schema = _json_schema(resolver.follow(response).get("content", {}))
            return resolver.follow(schema) if schema else {}
    return {}


def _json_schema(content: Json) -> Json | None:
    for media, one in content.items():
        if media.split(";")[0].strip() == "application/json" or media.endswith("+json"):
            schema: Json | None = one.get("schema")
            return schema
    return None


def _items(schema: Json, resolver: Resolver) -> tuple[str | None, Json | None]:
    """Where in a list's answer the records are (None: the answer is the list), and the schema of one."""
    if schema.get("type") == "array":
        return None, resolver.follow(schema.get("items", {}))
    for name, part in schema.get("properties", {}).items():
        followed = resolver.follow(part)
        if followed.get("type") == "array":
            return name, resolver.follow(followed.get("items", {}))
    return None, None


def _total_at(schema: Json, resolver: Resolver) -> str | None:
    for name, part in schema.get("properties", {}).items():
        if re.search(r"(?i)total|count", name) and resolver.follow(part).get("type") == "integer":
            return str(name)
    return None


def _paging(parameters: dict[str, Json]) -> Paging:
    size = next((name for name in _SIZE_NAMES if name in parameters), None)
    most = parameters[size].get("schema", {}).get("maximum") if size else None
    return Paging(
        page=next((name for name in _PAGE_NAMES if name in parameters), None),
        offset=next((name for name in _OFFSET_NAMES if name in parameters), None),
        size=size,
        size_value=int(most) if most and most < 500 else 500 if most else 100,
    )


def _id_field(item_path: str | None, paths: set[str]) -> str:
    named = re.findall(r"\{([^{}]+)\}$", item_path or "")
    return named[0] if named and named[0] in paths else "id"


def _page_field(fields: tuple[Field, ...]) -> str | None:
    """A web address that the site gives and does not take, by one of the names that sites use for it."""
    return next((f.path for f in fields if f.read_only and f.format == "uri" and f.path in _PAGE_FIELDS), None)


def _etag_at(fields: tuple[Field, ...]) -> str | None:
    """A text that the site gives and does not take, by one of the names of an entity tag: ``meta.version`` is that of
    SCIM (RFC 7643, 3.1)."""
    return next((f.path for f in fields if f.read_only and f.type is FieldType.TEXT and f.path in _ETAGS), None)


def _with_uniqueness(field: Field, conflict: bool) -> Field:
    """A field is unique where its description says so, or where the site answers 409 and the name is a usual key."""
    said = re.search(r"(?i)\bunique\b", field.description)
    usual = conflict and (field.format == "email" or field.path in _UNIQUE_NAMES)
    return field.model_copy(update={"unique": True}) if said or usual else field


def _mail_switch(create: dict[str, Json], update: dict[str, Json]) -> MailSwitch | None:
    for name, parameter in (create | update).items():
        described = str(parameter.get("description", ""))
        schema = parameter.get("schema", {})
        if schema.get("type") == "boolean" and (_MAIL_NAME.match(name) or re.search(r"(?i)\be?-?mail\b", described)):
            return MailSwitch(name=name, on_create=name in create, on_update=name in update)
    return None
