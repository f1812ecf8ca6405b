"""The objects of a list that a site has, with what a sheet says of them laid over: which is which, and what stays."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from datorum.core.model import Field
from datorum.core.values import at, put, same, without

_COMPARED = 40_000
"""As many pairs of objects are held against each other; longer lists are told by their places."""


def laid_on(
    field: Field, there: list[Any], given: list[Any], fed: Collection[str], cleared: Collection[str]
) -> list[Any]:
    """The objects ``given`` of a list, each with what else the one ``there`` has that it stands for. ``fed``: the paths
    within an object that the sheet says; ``cleared``: those of them that a blank takes away."""
    parts = [one for one in field.objects if one.path in fed]
    if not parts or not all(isinstance(one, dict) for one in (*there, *given)):
        return given
    places = _places(parts, there, given)
    return [
        one if place is None else _over(there[place], one, parts, cleared)
        for one, place in zip(given, places, strict=True)
    ]


def _places(parts: list[Field], there: list[Any], given: list[Any]) -> list[int | None]:
    """Of each object given the place of the one that it stands for, by a part that tells objects apart; else by what
    most is the same of, nearest first."""
    for part in sorted(parts, key=lambda one: not one.unique):
        known = {str(at(one, part.path)): place for place, one in enumerate(there)}
        wanted = [str(at(one, part.path)) for one in given]
        apart = len(known) == len(there) and len(set(wanted)) == len(wanted) and "None" not in {*known, *wanted}
        if apart and known.keys() & set(wanted):
            return [known.get(one) for one in wanted]
    if len(there) * len(given) > _COMPARED:
        return [place if place < len(there) else None for place in range(len(given))]
    pairs = sorted(
        (-sum(same(part, at(one, part.path), at(other, part.path)) for part in parts), abs(ours - theirs), ours, theirs)
        for ours, one in enumerate(given)
        for theirs, other in enumerate(there)
    )
    found: dict[int, int] = {}
    taken: set[int] = set()
    for alike, _, ours, theirs in pairs:
        if alike and ours not in found and theirs not in taken:
            found[ours] = theirs
            taken.add(theirs)
    return [found.get(ours) for ours in range(len(given))]


def _over(was: dict[str, Any], given: dict[str, Any], parts: list[Field], cleared: Collection[str]) -> dict[str, Any]:
    body = dict(was)
    for part in parts:
        value = at(given, part.path)
        if value is not None:
            body = put(body, part.path, value)
        elif part.path in cleared:
            body = without(body, part.path)
    return body
