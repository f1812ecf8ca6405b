"""Keys by which the records can be looked for that a sheet's records link to."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from datorum.core.model import Field


class LinkKey(NamedTuple):
    """A field by which the record that a link means can be looked for, beside the one that the site takes: ``path`` of
    the link, and the field of the other record with ``title`` as a sheet would have it."""

    path: str
    by: str
    field: Field
    on_path: bool = False
    """By the path from the top of the tree in which such records stand."""


def keyed_fields(keys: Iterable[LinkKey]) -> dict[str, LinkKey]:
    """Keys by the paths that their fields have as seen from the record that links, without those that are paths."""
    return {f"{key.path.removesuffix('_id').removesuffix('Id')}.{key.by}": key for key in keys if not key.on_path}
