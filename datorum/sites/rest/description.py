"""What an OpenAPI 3.0 or 3.1 document says about a site: its record types, and where to ask for them."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from functools import lru_cache
from typing import Any, NamedTuple
from urllib.parse import urljoin

from pydantic import BaseModel

from datorum.core.errors import NotFound, SiteUnavailable
from datorum.core.model import Field, RecordType
from datorum.core.suggest.relations import relations_of
from datorum.sites.rest.addresses import origin
from datorum.sites.rest.model import NotUnderstood, SiteType
from datorum.sites.rest.parts import Operations, filled_in, plain, singular
from datorum.sites.rest.schema import Json, record_rules
from datorum.sites.rest.understand import titled, understand, written_fields


class SiteDescription(BaseModel, frozen=True):
    """A whole site: where requests go, its record types by name, and what was not understood of it."""

    title: str
    base_url: str
    types: dict[str, SiteType]
    not_understood: tuple[NotUnderstood, ...] = ()

    @property
    def usable(self) -> dict[str, SiteType]:
        """The record types that records can be imported into."""
        return {name: one for name, one in self.types.items() if not one.out_of_reach}

    def type(self, name: str) -> SiteType:
        """The usable record type called ``name``. Raises NotFound, naming those there are."""
        found = self.types.get(name)
        if found is None or found.out_of_reach:
            there = ", ".join(self.usable) or "none"
            raise NotFound(f"The site keeps no {name}.", remedy=f"It describes these record types: {there}.")
        return found

    def any_type(self, name: str) -> SiteType:
        """A record type, usable or not. Raises NotFound."""
        return self.types[name] if name in self.types else self.type(name)

    def only(self, *names: str) -> SiteDescription:
        """The description of some record types, and of those that their records belong to. Raises NotFound as ``type``
        does."""
        kept: dict[str, SiteType] = {}
        for name in names:
            above: str | None = name
            while above is not None and above not in kept:
                kept[above] = self.type(above)
                above = kept[above].under
        return self.model_copy(update={"types": kept, "not_understood": ()})

    def server(self, one: SiteType) -> str:
        """Where the records of one type are."""
        return urljoin(self.base_url + "/", one.server).rstrip("/") if one.server else self.base_url

    @property
    def origins(self) -> frozenset[str]:
        """Every server that the description sends requests for records to, and for what lets them in."""
        auth = [need for one in self.types.values() for together in one.auth or () for need in together]
        tokens = [urljoin(self.base_url + "/", need.token_url) for need in auth if need.token_url]
        servers = [self.server(one) for one in self.usable.values()]
        return frozenset(origin(one) for one in (self.base_url, *servers, *tokens))


def describe(document: Any, address: str = "") -> SiteDescription:
    """Read a parsed OpenAPI document that was found at ``address``.

    Raises SiteUnavailable where it is no such document or has no list that records can be added to.
    """
    if not isinstance(document, dict) or not str(document.get("openapi", "")).startswith("3."):
        raise SiteUnavailable(
            "This is no OpenAPI 3 document.", remedy="Give the address of the site's OpenAPI description in JSON."
        )
    try:
        return _described(json.dumps(document), address)
    except RecursionError:
        raise SiteUnavailable(
            "The document is nested deeper than anything that describes a site.", remedy="Tell the site's maker."
        ) from None


@lru_cache(maxsize=8)
def _described(text: str, address: str) -> SiteDescription:
    """The same of a document as text: a site is asked for it again and again, and has mostly not changed it."""
    document = json.loads(text)
    model = understand(document)
    servers = document.get("servers")
    first = plain(servers[0]) if isinstance(servers, list) and servers else {}
    description = SiteDescription(
        title=str(plain(document.get("info")).get("title") or "Site"),
        base_url=urljoin(address, filled_in(first)).rstrip("/"),
        types={one.name: one for one in model.record_types},
        not_understood=model.not_understood,
    )
    if not description.usable and model.not_understood:
        raise SiteUnavailable(model.not_understood[0].why, remedy="Tell the site's maker.")
    if not description.usable:
        raise SiteUnavailable(
            "The site's description has no list that records can be added to.",
            remedy="It needs a path with both a GET that lists and a POST that creates.",
        )
    return description


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
        kind = RecordType(
            name=last, title=titled(last), fields=fields, other_keywords=rules, relations=relations_of(fields)
        )
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


class KeyOfLink(NamedTuple):
    """A field of another record by which the one that a link means can be looked for, beside the one that the site
    takes: the ``path`` of the link, the path of the field, and the field as a sheet has it, with whose it is.
    ``on_path``: by the path from the top of the tree in which such records stand."""

    path: str
    by: str
    field: Field
    on_path: bool = False


def link_keys(document: Any, name: str) -> tuple[KeyOfLink, ...]:
    """The keys by which a record type's links can be looked for; none where the document has no such lists."""
    try:
        return keys_of_links(describe(document).types, name)
    except SiteUnavailable:
        return ()


def keys_of_links(types: Mapping[str, SiteType], name: str) -> tuple[KeyOfLink, ...]:
    """The keys by which the links of a record type, one of these, can be looked for."""
    one = next((one for one in types.values() if singular(one.name) == singular(name)), None)
    links = [link for link in (one.links if one else ()) if link.to in types]
    on_paths = [
        KeyOfLink(link.field, field.path, field, on_path=True)
        for link in links
        if types[link.to].way_up is not None and link.to != (one.name if one else "")
        for field in types[link.to].record_type.fields
        if field.path == types[link.to].called_at
    ]
    return (*on_paths, *(
        KeyOfLink(link.field, path, field.model_copy(update={"title": f"{singular(link.to)} {field.title}"}))
        for link in links
        for path in types[link.to].unique
        if path != link.by
        for field in [types[link.to].record_type.field(path)]
    ))  # fmt: skip


def _operated_on(operation: Json) -> str:
    return re.sub(r"(?i)^(create|add|post|new|insert)[_-]?", "", str(operation.get("operationId", "")))


def _schema_name(operation: Json, operations: Operations) -> str:
    reference = operations.body_reference(operation).rsplit("/", 1)[-1]
    return re.sub(r"(?i)^(create|new)|(create|new|input|request|write|in|body|payload)$", "", reference)
