"""The order of things that need each other: in layers, each behind all that it needs, and circles broken."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import NamedTuple


class Layers(NamedTuple):
    """``layer`` of each, from 0 on; ``later``: the pairs of one and another that it needs and that comes behind it all
    the same, since they need each other."""

    layer: dict[int, int]
    later: frozenset[tuple[int, int]]

    @property
    def rows(self) -> list[list[int]]:
        """The layers in order, with what is in each."""
        rows: list[list[int]] = [[] for _ in range(1 + max(self.layer.values(), default=-1))]
        for one, layer in self.layer.items():
            rows[layer].append(one)
        return rows


def layers(needs: Mapping[int, Collection[int]], firm: Collection[tuple[int, int]] = ()) -> Layers:
    """Put things in order. ``needs``: of each what it needs; what it needs of itself counts for nothing. ``firm``: the
    pairs of one and another that it cannot do without at first.

    Where some need each other in a circle, the one comes first that needs the fewest of the others firmly, then at all,
    and of these the one that is first in ``needs``.
    """
    open_needs = {one: {other for other in others if other in needs and other != one} for one, others in needs.items()}
    later: set[tuple[int, int]] = set()
    layer: dict[int, int] = {}
    while len(layer) < len(needs):
        waiting = [one for one in needs if one not in layer]
        ready = [one for one in waiting if open_needs[one] <= layer.keys()]
        if not ready:
            first = min(
                _in_circles(open_needs, waiting), key=lambda one: _lacks(one, open_needs[one] - layer.keys(), firm)
            )
            later |= {(first, other) for other in open_needs[first] - layer.keys()}
            open_needs[first] &= layer.keys()
            ready = [first]
        for one in ready:
            layer[one] = 1 + max((layer[other] for other in open_needs[one]), default=-1)
    return Layers({one: layer[one] for one in needs}, frozenset(later))


def _lacks(one: int, others: Collection[int], firm: Collection[tuple[int, int]]) -> tuple[int, int]:
    """How many it lacks firmly, and at all."""
    return sum((one, other) in firm for other in others), len(others)


def _in_circles(needs: Mapping[int, Collection[int]], waiting: Collection[int]) -> list[int]:
    """Those that need themselves by way of others; there is one where all wait for others that wait."""
    return [one for one in waiting if one in _reached(needs, one)]


def _reached(needs: Mapping[int, Collection[int]], start: int) -> set[int]:
    """All that one needs, by way of others as well."""
    found: set[int] = set()
    further = list(needs[start])
    while further:
        one = further.pop()
        if one not in found:
            found.add(one)
            further += needs[one]
    return found
