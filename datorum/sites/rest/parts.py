"""The parts of an OpenAPI document, whatever is missing or out of order in it."""

from __future__ import annotations

import re
from functools import cached_property
from typing import Any

from datorum.core.errors import DatorumError
from datorum.sites.rest.schema import Json, Resolver, merged

_METHODS = ("get", "post", "put", "patch", "delete")


def plain(part: Any) -> Json:
    """A part where it is an object, else an empty one."""
    return part if isinstance(part, dict) else {}


def bare(name: str) -> str:
    """A name as its letters and figures alone, by which spellings of it are the same."""
    return re.sub(r"[^a-z0-9]", "", name.lower())


def singular(word: str) -> str:
    """A word of a path in the singular, in small letters."""
    known = bare(word)
    if known.endswith("ies"):
        return f"{known[:-3]}y"
    return known[:-2] if known.endswith(("sses", "xes", "ches", "shes")) else known.removesuffix("s")


def filled_in(server: Json) -> str:
    """The address of a server, its variables with the values that the document gives them."""
    address = str(server.get("url") or "/")
    for name, variable in plain(server.get("variables")).items():
        address = address.replace(f"{{{name}}}", str(plain(variable).get("default", "")))
    return address


class Operations:
    """The operations of a document by path and method, their references followed."""

    def __init__(self, document: Json) -> None:
        self.document = plain(document)
        self.resolver = Resolver(self.document)

    @cached_property
    def paths(self) -> dict[str, Json]:
        """Every path with its operations by method; one that leads nowhere has none."""
        return {
            str(path): {method: plain(one) for method, one in self.follow(item).items() if method in _METHODS}
            for path, item in plain(self.document.get("paths")).items()
        }

    def item(self, path: str) -> Json:
        """What stands at a path beside its operations."""
        return self.follow(plain(self.document.get("paths")).get(path))

    def of(self, path: str) -> Json:
        """The operations of a path by method."""
        return self.paths.get(path, {})

    def follow(self, part: Any) -> Json:
        """A part with its references followed; nothing, where they lead nowhere."""
        try:
            return plain(self.resolver.follow(plain(part)))
        except DatorumError:
            return {}

    def merged(self, schema: Any) -> Json:
        """A schema with what ``allOf`` lays over it; nothing, where that cannot be had."""
        try:
            return merged(plain(schema), self.resolver)
        except (DatorumError, RecursionError):
            return {}

    def part(self, *names: str) -> Json:
        """A part of the document by the names that lead there."""
        found = self.document
        for name in names:
            found = self.follow(found.get(name))
        return found

    def parameters(self, path: str, operation: Json, within: str = "query") -> dict[str, Json]:
        """The parameters of an operation in its query (or a header, or its path) by name, those of its path among
        them."""
        shared = plain(plain(self.document.get("paths")).get(path)).get("parameters")
        own = operation.get("parameters")
        every = [*(shared if isinstance(shared, list) else []), *(own if isinstance(own, list) else [])]
        found = [self.follow(one) for one in every]
        return {str(one["name"]): one for one in found if one.get("in") == within and "name" in one}

    def server(self, path: str, operation: Json) -> str | None:
        """Where an operation is that has a server of its own, or whose path has one."""
        shared = plain(plain(self.document.get("paths")).get(path)).get("servers")
        for servers in (operation.get("servers"), shared):
            first = plain(servers[0]) if isinstance(servers, list) and servers else {}
            if isinstance(first.get("url"), str):
                return filled_in(first)
        return None

    def statuses(self, operation: Json) -> set[str]:
        """The statuses of the answers that mean that it was done."""
        return {str(status) for status in plain(operation.get("responses")) if str(status).startswith("2")}

    def answer(self, operation: Json) -> Json:
        """The schema of what a request is answered with when it was done."""
        responses = plain(operation.get("responses"))
        for status in sorted(responses, key=str):
            if str(status).startswith("2") or status == "default":
                schema = _schema(plain(self.follow(responses[status]).get("content")))
                if schema:
                    return self.follow(schema)
        return {}

    def headers(self, operation: Json) -> set[str]:
        """The headers of such an answer."""
        responses = plain(operation.get("responses"))
        good = [self.follow(one) for status, one in responses.items() if str(status).startswith("2")]
        return {str(name) for one in good for name in plain(one.get("headers"))}

    def body(self, operation: Json) -> tuple[tuple[str, ...], Json]:
        """The media types that a request takes, in order, and the schema of its body. Raises SiteUnavailable where
        that is said by a reference that leads nowhere."""
        content = plain(self.follow(operation.get("requestBody")).get("content"))
        return tuple(sorted(str(media) for media in content)), self.resolver.follow(_schema(content))

    def body_reference(self, operation: Json) -> str:
        """The reference that the schema of a body is, if it is one."""
        content = plain(self.follow(operation.get("requestBody")).get("content"))
        return str(_schema(content).get("$ref", ""))


def _schema(content: Json) -> Json:
    """The schema of JSON where there is any, else of whatever comes first."""
    medias = sorted(content, key=lambda media: not str(media).split(";")[0].strip().endswith("json"))
    return next((plain(plain(content[media]).get("schema")) for media in medias if plain(content[media])), {})
