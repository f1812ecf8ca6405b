"""Which fields of a record type point at the records of another, told by their names."""

from __future__ import annotations

import re
from collections.abc import Iterator

from datorum.core.model import Field, FieldType
from datorum.sites.rest.envelopes import kind_of
from datorum.sites.rest.model import Link, SiteType

_POINTS = re.compile(
    r"(?i)^(?P<kind>.+?)[_-]?(?P<by>ids?|uuids?|slugs?|skus?|keys?|codes?|numbers?|usernames?|emails?)$"
)
_SURE = {"id": 0.9, "uuid": 0.9}
_PARENTS = ("parent",)


def links_of(one: SiteType, others: tuple[SiteType, ...]) -> Iterator[Link]:
    """The links of one record type to any of a site's, itself among them."""
    kinds = {kind_of(other.listing.path): other for other in others if other.id_field}
    for field in one.fields:
        link = _link(one, field, kinds)
        if link is not None:
            yield link


def _link(one: SiteType, field: Field, kinds: dict[str, SiteType]) -> Link | None:
    name = field.path.rsplit(".", 1)[-1]
    found = _POINTS.match(name)
    kind = re.sub(r"[^a-z0-9]", "", (found["kind"] if found else name).lower())
    by = re.sub(r"s$", "", found["by"].lower()) if found else ""
    target = kinds.get(kind) or next(
        (other for stem, other in kinds.items() if len(stem) > 3 and kind.endswith(stem)), None
    )
    if target is None and kind in _PARENTS and found:
        target = one
    if target is None or (found is None and field.type not in (FieldType.INTEGER, FieldType.LIST)):
        return None
    many = field.type is FieldType.LIST
    key = target.id_field or "id"
    if by and by not in _SURE and by in {other.path.lower() for other in target.fields}:
        key = by
    whose = "its own kind" if target is one else target.title.lower()
    return Link(
        field=field.path, to=target.name, by=key, many=many, confidence=_SURE.get(by, 0.7),
        why=f"{name} is called like the {key} of {whose}",
    )  # fmt: skip
