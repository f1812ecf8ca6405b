"""What answers and requests wrap records in."""

from __future__ import annotations

import re
from collections.abc import Iterator

from datorum.sites.rest.parts import Operations, plain, singular
from datorum.sites.rest.schema import Json

_USUAL = ("data", "items", "results", "result", "records", "rows", "list", "entries", "values", "content", "_embedded")
_BESIDE = re.compile(
    r"(?i)^(meta|_?metadata|_?links?|included|errors?|warnings?|jsonapi|status|success|ok|message|code|pag\w*|id|version)$"
)
_INSIDE = re.compile(r"(?i)^(data|result|results|response|_embedded|body|payload|page)$")


def kind_of(path: str) -> str:
    """The kind of record that a list's path names."""
    words = [part for part in stem(path).split("/") if part and "{" not in part]
    return singular(words[-1]) if words else ""


def stem(path: str) -> str:
    """A path without the mark at its end and the suffix of a format."""
    return re.sub(r"\.(json|xml)$", "", path.rstrip("/"))


_WRAPPERS = ("data", "result", "item", "record", "attributes")
_FEW = 4
"""A record has more properties than an envelope."""


def items_of(answer: Json, path: str, operations: Operations) -> tuple[str | None, Json | None]:
    """Where in a list's answer the records are, dotted (None: the answer is the list), and the schema of an entry; no
    schema where the answer says of no list."""
    whole = operations.merged(answer)
    if whole.get("type") == "array" or ("items" in whole and "properties" not in whole):
        return None, operations.merged(whole.get("items"))
    kind = kind_of(path)
    found = list(_lists(whole, operations, ""))
    # The list named as the records are, else one of a usual name, else the only one or the first.
    named = [one for one in found if singular(one[0].rsplit(".", 1)[-1]) == kind]
    usual = [one for word in _USUAL for one in found if one[0].rsplit(".", 1)[-1].lower() == word]
    objects = [one for one in found if "properties" in one[1]]
    best = next(iter([*named, *usual, *objects, *found]), None)
    return (best[0], best[1]) if best else (None, None)


def _lists(whole: Json, operations: Operations, before: str) -> Iterator[tuple[str, Json]]:
    """The lists of an object by where they are, those of what wraps them after its own."""
    inner: list[tuple[str, Json]] = []
    for name, unresolved in plain(whole.get("properties")).items():
        part = operations.merged(unresolved)
        if part.get("type") == "array" or ("items" in part and part.get("type") is None):
            yield f"{before}{name}", operations.merged(part.get("items"))
        elif not before and "properties" in part and _INSIDE.match(str(name)):
            inner.append((f"{name}.", part))
    for prefix, part in inner:
        yield from _lists(part, operations, prefix)


def entry_of(entry: Json) -> str | None:
    """The one property that each entry of a list wraps its record in."""
    properties = plain(entry.get("properties"))
    if len(properties) != 1:
        return None
    [(name, part)] = properties.items()
    return str(name) if "properties" in plain(part) or "$ref" in plain(part) else None


def wrapped(schema: Json, kind: str, operations: Operations) -> tuple[str | None, Json]:
    """The property that an answer or a request for one record wraps it in, if it does, and the record's schema.

    It is the only property beside what is said about the answer, or one that is called so or like the ``kind``.
    """
    whole = operations.merged(schema)
    parts = {str(name): operations.merged(part) for name, part in plain(whole.get("properties")).items()}
    objects = [name for name, part in parts.items() if "properties" in part or part.get("type") == "object"]
    inside = [name for name in parts if not _BESIDE.match(name)]
    if inside == objects[:1] and len(inside) == 1 and ("properties" in parts[inside[0]] or inside[0] in _WRAPPERS):
        return inside[0], parts[inside[0]]
    called = [name for name in objects if name in _WRAPPERS or (kind and singular(name) == kind)]
    if len(called) == 1 and len(parts) <= _FEW:
        return called[0], parts[called[0]]
    return None, whole
