"""How the references of a whole sheet fared, link by link."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping as AnyMapping
from typing import NamedTuple

import polars as pl
from pydantic import BaseModel

from datorum.core.link.resolve import LinkTarget, Resolved


class FoundIn(BaseModel, frozen=True):
    """How many references were found in one place. ``of_import``: the import that brings what is found there;
    ``awaited``: it has not yet."""

    place: str
    count: int
    of_import: int | None = None
    awaited: bool = False


class LinkFared(BaseModel, frozen=True):
    """How the references of one link fared: a record that is to mean several, of which one is not found, counts by
    that."""

    path: str
    to: str
    by: tuple[str, ...]
    """The titles of the fields by which it is looked for."""
    found: tuple[FoundIn, ...] = ()
    missing: int = 0
    several: int = 0
    unread: int = 0
    settled: int = 0
    """Found nowhere, and made, left blank or given a record that is fixed, as the mapping says."""


_SETTLED = ("left blank", "made", "fixed")


class _Seen(NamedTuple):
    state: str
    place: str


class References:
    """Counts how references fare, some records at a time."""

    def __init__(self, targets: AnyMapping[str, LinkTarget]) -> None:
        self._targets = targets
        self._seen: dict[str, Counter[_Seen]] = {}

    def add(self, path: str, references: Resolved, codes: pl.Series | None) -> None:
        """Take some more references of a link: of each row the one of ``references`` that ``codes`` names."""
        frame = pl.DataFrame({"state": references.state.cast(pl.String), "place": references.place})
        rows = frame if codes is None else frame[codes]
        counted = self._seen.setdefault(path, Counter())
        for state, place, count in rows.group_by("state", "place").len().iter_rows():
            counted[_Seen(state, place or "")] += count

    def done(self) -> list[LinkFared]:
        """Link by link, those alone that have any reference."""
        return [_fared(path, self._targets[path], seen) for path, seen in self._seen.items()
                if any(one.state != "blank" for one in seen)]  # fmt: skip


def _fared(path: str, target: LinkTarget, seen: Counter[_Seen]) -> LinkFared:
    brings = {table.place: table.of_import for table in target.tables}

    def of(*states: str) -> int:
        return sum(count for one, count in seen.items() if one.state in states)

    found = tuple(
        FoundIn(place=one.place, count=count, of_import=brings.get(one.place), awaited=one.state == "awaited")
        for one, count in seen.most_common()
        if one.state in ("found", "awaited")
    )
    return LinkFared(
        path=path, to=target.to, by=tuple(key.title for key in target.keys), found=found, missing=of("missing"),
        several=of("several"), unread=of("unread"), settled=of(*_SETTLED),
    )  # fmt: skip
