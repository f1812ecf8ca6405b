"""Which fields of a record type point at the records of another, told by their names and by what is said of them."""

from __future__ import annotations

import re
from collections.abc import Iterator

from datorum.core.model import Field, FieldType
from datorum.sites.rest.envelopes import kind_of
from datorum.sites.rest.keys import says_unique
from datorum.sites.rest.model import Link, SiteType
from datorum.sites.rest.parts import singular

_POINTS = re.compile(
    r"(?i)^(?P<kind>.+?)[_-]?(?P<by>ids?|uuids?|slugs?|skus?|keys?|codes?|names?|numbers?|usernames?|emails?)$"
)
_SAID = re.compile(
    r"(?i)\b(?P<by>ids?|uuids?|slugs?|skus?|keys?|codes?|names?|numbers?|usernames?|e-?mails?)"
    r" of (?:(?:an?|the|its|all|other|another) )*(?P<kind>[a-z][a-z -]*)"
)
_SURE = {"id": 0.9, "uuid": 0.9}
_ALIKE = {"number": ("number", "no", "nr")}
_TOLD = 0.95
"""How sure a link is that the document speaks of."""
_PARENTS = ("parent",)
_ADDRESSES = ("uri", "uri-reference", "iri", "iri-reference", "url")


def links_of(one: SiteType, others: tuple[SiteType, ...]) -> Iterator[Link]:
    """The links of one record type to any of a site's, itself among them."""
    kinds = {kind_of(other.listing.path): other for other in others if other.id_field}
    for field in one.fields:
        # What a record is told by itself points at no other.
        link = None if field.path == one.id_field else _link(one, field, kinds)
        if link is not None:
            yield link


def _link(one: SiteType, field: Field, kinds: dict[str, SiteType]) -> Link | None:
    if says_unique(field):
        # What no two records share tells them apart; it points at another only where that is said.
        return _as_said(one, field, kinds)
    return (
        _as_said(one, field, kinds)
        or _as_object(one, field, kinds)
        or _as_address(field, kinds)
        or _as_named(one, field, kinds)
    )


def _as_object(one: SiteType, field: Field, kinds: dict[str, SiteType]) -> Link | None:
    """By the object that it stands in, where that is written as an id: “grower: {id: 7}”."""
    around, _, last = field.path.rpartition(".")
    name = around.rpartition(".")[2]
    target = kinds.get(singular(name)) if around else None
    if target is None or field.read_only or last != (target.id_field or "id"):
        return None
    # Alone in its list, it is all that the list is for.
    many = field.in_list == around and sum(other.in_list == around for other in one.fields) == 1
    why = f"{name} is an object called like one of {target.title.lower()}, and takes its {last}"
    return Link(field=field.path, to=target.name, by=last, many=many, confidence=0.9, why=why)


def _as_address(field: Field, kinds: dict[str, SiteType]) -> Link | None:
    """By its form: the address of a record, in the path of which its list stands."""
    if field.read_only or field.type not in (FieldType.TEXT, FieldType.LIST):
        return None
    item = field.items or field
    said = re.sub(r"\\", "", f"{item.pattern or ''} {field.description}")
    for kind, target in kinds.items():
        path = target.listing.path.rstrip("/")
        in_path = "{" not in path and re.search(rf"(?<![\w/]){re.escape(path)}/[^\s/]", said)
        called = item.format in _ADDRESSES and singular(field.path.rpartition(".")[2]) == kind
        if in_path or called:
            why = f"it takes the address of one of {target.title.lower()}"
            by = target.id_field or "id"
            many = field.type is FieldType.LIST
            return Link(
                field=field.path, to=target.name, by=by, many=many, confidence=_TOLD if in_path else 0.8, why=why
            )
    return None


def _as_said(one: SiteType, field: Field, kinds: dict[str, SiteType]) -> Link | None:
    """By the field's description: “The id of a customer.”"""
    found = _SAID.search(field.description)
    if found is None or field.read_only:
        return None
    words = found["kind"].split()
    # The longest beginning that is a kind of record: “course entry that it pays for”.
    named = (kinds.get(singular("".join(words[:count]))) for count in range(len(words), 0, -1))
    target = next((kind for kind in named if kind is not None), None)
    if target is None:
        return None
    by = singular(found["by"].replace("-", ""))
    key = target.id_field or "id"
    if by not in _SURE:
        own = kind_of(target.listing.path)
        names = [name for by in _ALIKE.get(by, (by,)) for name in (by, own + by)]
        bare = {re.sub(r"[^a-z0-9]", "", other.path.lower()): other.path for other in reversed(target.fields)}
        key = next((bare[name] for name in names if name in bare), "")
    if not key or (target is one and key == field.path):
        return None
    many = field.type is FieldType.LIST
    why = f"its description says “{found[0].strip()}”"
    return Link(field=field.path, to=target.name, by=key, many=many, confidence=_TOLD, why=why)


def _as_named(one: SiteType, field: Field, kinds: dict[str, SiteType]) -> Link | None:
    name = field.path.rsplit(".", 1)[-1]
    found = _POINTS.match(name)
    kind = re.sub(r"[^a-z0-9]", "", (found["kind"] if found else name).lower())
    by = re.sub(r"s$", "", found["by"].lower()) if found else ""
    # A list is called by the plural of what it holds.
    listed = kinds.get(singular(name)) if field.type is FieldType.LIST and found is None else None
    target = (
        kinds.get(kind)
        or listed
        or next((other for stem, other in kinds.items() if len(stem) > 3 and kind.endswith(stem)), None)
    )
    if target is None and kind in _PARENTS and found:
        target = one
    if target is None or (found is None and field.type not in (FieldType.INTEGER, FieldType.LIST)):
        return None
    many = field.type is FieldType.LIST
    key = target.id_field or "id"
    if by and by not in _SURE:
        keys = {other.path.lower() for other in target.fields}
        if by == "name" and by not in keys:
            # “username” is no name of a user's record.
            return None
        key = by if by in keys else key
    whose = "its own kind" if target is one else target.title.lower()
    return Link(
        field=field.path, to=target.name, by=key, many=many, confidence=_SURE.get(by, 0.7),
        why=f"{name} is called like the {key} of {whose}",
    )  # fmt: skip
