"""What an OpenAPI 3.0 or 3.1 document says about a site: its collections, their fields, and how to ask for them."""

from __future__ import annotations

import re
from typing import Any
from urllib.parse import urljoin

from pydantic import BaseModel

from datorum.core.errors import NotFound, SiteUnavailable
from datorum.core.model import Field, FieldType, RecordType
from datorum.sites.rest.model import Paging, SiteType
from datorum.sites.rest.parts import Operations, plain, singular
from datorum.sites.rest.schema import Json, record_rules
from datorum.sites.rest.understand import titled, understand, written_fields

_MAIL_NAME = re.compile(r"(?i)^(notify|notif\w*|send_?(e?mail|welcome|notif)\w*|e?mail_(user|customer))$")
_PAGE_FIELDS = ("html_url", "permalink", "url", "link", "web_url")
_ETAGS = ("etag", "_etag", "eTag", "meta.version")


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
    entry: str | None = None
    answer_at: str | None = None
    body_at: str | None = None
    """The properties that wrap an entry of the list, the answer for one record, and the body of a request."""
    total_at: str | None = None
    paging: Paging = Paging()
    constants: dict[str, str] = {}
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
    model, operations = understand(document), Operations(document)
    found = [_collection(one, operations) for one in model.record_types]
    collections = {one.record_type.name: one for one in found if one is not None}
    if not collections and model.not_understood:
        raise SiteUnavailable(model.not_understood[0].why, remedy="Tell the site's maker.")
    if not collections:
        raise SiteUnavailable(
            "The site's description has no list that records can be added to.",
            remedy="It needs a path with both a GET that lists and a POST that creates.",
        )
    servers = document.get("servers")
    first = plain(servers[0]) if isinstance(servers, list) and servers else {}
    schemes = [operations.follow(one) for one in operations.part("components", "securitySchemes").values()]
    return SiteDescription(
        title=str(plain(document.get("info")).get("title") or "Site"),
        base_url=urljoin(address, str(first.get("url") or "/")).rstrip("/"),
        bearer=any(one.get("type") == "http" and str(one.get("scheme")).lower() == "bearer" for one in schemes),
        collections=collections,
    )


def record_type_of(document: Any, name: str) -> RecordType:
    """The fields that a document's create operation for one kind of record takes; no site need be there.

    ``name`` is the last part of the operation's path, its tag, or its schema, in the singular or plural. Raises
    SiteUnavailable, naming those there are.
    """
    if not isinstance(document, dict) or not isinstance(document.get("paths"), dict):
        raise SiteUnavailable("This is no OpenAPI document.", remedy="Give one that has paths.")
    operations = Operations(document)
    named: dict[str, RecordType] = {}
    for path in operations.paths:
        post = operations.of(path).get("post", {})
        _, schema = operations.body(post)
        last = path.rstrip("/").rsplit("/", 1)[-1]
        if not schema or "{" in last:
            continue
        fields = written_fields(schema, {}, post, operations)
        rules = record_rules(schema, operations.resolver)
        kind = RecordType(name=last, title=titled(last), fields=fields, other_keywords=rules)
        tags = post.get("tags") if isinstance(post.get("tags"), list) else []
        for known in (last, *tags, _operated_on(post), _schema_name(post, operations)):
            named.setdefault(singular(str(known)), kind)
    found = named.get(singular(name))
    if found is None:
        there = ", ".join(dict.fromkeys(kind.name for kind in named.values())) or "none"
        raise SiteUnavailable(
            f"The document has no operation that creates {name}.", remedy=f"It creates these: {there}."
        )
    return found.model_copy(update={"name": name})


def _operated_on(operation: Json) -> str:
    return re.sub(r"(?i)^(create|add|post|new|insert)[_-]?", "", str(operation.get("operationId", "")))


def _schema_name(operation: Json, operations: Operations) -> str:
    reference = operations.body_reference(operation).rsplit("/", 1)[-1]
    return re.sub(r"(?i)^(create|new)|(create|new|input|request|write|in|body|payload)$", "", reference)


def _collection(one: SiteType, operations: Operations) -> Collection | None:
    """The collection that requests can be sent to; None for a record type that they cannot reach yet, or of which not
    enough is said."""
    writable = [field for field in one.fields if not field.read_only]
    if one.parents or not writable or not one.shown or not (one.create.media or "").split(";")[0].endswith("json"):
        return None
    listed, created = operations.of(one.listing.path)["get"], operations.of(one.listing.path)["post"]
    listing = operations.parameters(one.listing.path, listed)
    item_path = one.item.path if one.item else None
    update = one.update if one.update and one.update.path == item_path and one.update.method != "post" else None
    changed = operations.of(item_path)[update.method] if item_path and update else {}
    return Collection(
        record_type=RecordType(name=one.name, title=one.title, fields=one.fields, other_keywords=one.record_rules),
        list_path=one.listing.path,
        item_path=item_path,
        id_field=one.id_field or "id",
        page_field=_page_field(one.fields),
        etag_at=_etag_at(one.fields),
        items_at=one.listing.items_at,
        entry=one.listing.entry,
        answer_at=one.item.answer_at if one.item else None,
        body_at=one.create.body_at,
        total_at=one.listing.total_at,
        paging=one.listing.paging,
        constants=one.listing.constants,
        filters={field.path: field.path for field in one.fields if field.path in listing},
        update_method=update.method if update else None,
        mail=_mail_switch(
            operations.parameters(one.listing.path, created),
            operations.parameters(item_path, changed) if item_path else {},
        ),
    )


def _page_field(fields: tuple[Field, ...]) -> str | None:
    """A web address that the site gives and does not take, by one of the names that sites use for it."""
    return next((f.path for f in fields if f.read_only and f.format == "uri" and f.path in _PAGE_FIELDS), None)


def _etag_at(fields: tuple[Field, ...]) -> str | None:
    """A text that the site gives and does not take, by one of the names of an entity tag: ``meta.version`` is that of
    SCIM (RFC 7643, 3.1)."""
    return next((f.path for f in fields if f.read_only and f.type is FieldType.TEXT and f.path in _ETAGS), None)


def _mail_switch(create: dict[str, Json], update: dict[str, Json]) -> MailSwitch | None:
    for name, parameter in (create | update).items():
        described = str(parameter.get("description", ""))
        schema = plain(parameter.get("schema"))
        if schema.get("type") == "boolean" and (_MAIL_NAME.match(name) or re.search(r"(?i)\be?-?mail\b", described)):
            return MailSwitch(name=name, on_create=name in create, on_update=name in update)
    return None
