"""Fields of an import's records that a site has defined by records of their own."""

from __future__ import annotations

from datorum.core.check import is_fed
from datorum.core.model import Mapping
from datorum.sites.defining import Definer, definer_of, open_part
from datorum.stations.descriptions import description_of
from datorum.stations.imports import Opened


def fields_defined(now: Opened, mapping: Mapping) -> dict[str, Definer]:
    """The fed fields in open parts that the site has defined by records of a type of its own, by path."""
    described = description_of(now.item)
    kind = described.type(now.item.record_type)
    found: dict[str, Definer] = {}
    definers: dict[str, Definer | None] = {}
    for field in now.record_type.writable:
        part = open_part(kind, field.path) if is_fed(mapping, field.path) else None
        if part is not None:
            if part.path not in definers:
                definers[part.path] = definer_of(described, kind.name, part)
            definer = definers[part.path]
            if definer is not None:
                found[field.path] = definer
    return found
