"""In which order rows of a plan go that mean records of other rows, and what is put right afterwards where they mean
each other."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import NamedTuple

import numpy as np


class Waves(NamedTuple):
    """``wave``: of rows that can go the number of their wave, from 0 on. ``lacking``: of those that cannot, the row
    that they mean and that does not go. ``later``: of rows that mean each other, those that each can mean only when all
    are there."""

    wave: dict[int, int]
    lacking: dict[int, int]
    later: dict[int, set[int]]

    def after(self, row: int, meant: Collection[int]) -> int:
        """The wave in which a row is put right: behind its own, and those of what it means."""
        return 1 + max(self.wave[one] for one in (row, *meant))


def waves(waiting: Mapping[int, set[int]], there: Collection[int]) -> Waves:
    """The waves of rows by the rows that they mean (``waiting``); ``there``: those of both that go."""
    going = set(there)
    lacking: dict[int, int] = {}
    while lost := {row: min(meant - going) for row, meant in waiting.items() if row in going and not meant <= going}:
        lacking |= lost
        going -= lost.keys()
    lacking |= {row: row for row in waiting if row not in going and row not in lacking}
    open_rows = {row: set(meant) for row, meant in waiting.items() if row in going}
    later: dict[int, set[int]] = {}
    for row, circle in _circles(open_rows).items():
        later[row] = open_rows[row] & circle
        open_rows[row] -= circle
    wave = {row: 0 for row in going if row not in open_rows}
    while ready := {row for row, meant in open_rows.items() if all(one in wave for one in meant)}:
        for row in ready:
            wave[row] = 1 + max((wave[one] for one in open_rows[row]), default=-1)
        open_rows = {row: meant for row, meant in open_rows.items() if row not in ready}
    return Waves(wave, lacking, later)


def _circles(meant: Mapping[int, set[int]]) -> dict[int, set[int]]:
    """The rows that mean each other, directly or by way of others: of each all that it shares a circle with."""
    numbers = sorted({*meant, *(one for of in meant.values() for one in of)})
    places = {row: at for at, row in enumerate(numbers)}
    pairs = [(places[row], places[one]) for row, of in meant.items() for one in of]
    if not pairs:
        return {}
    # Few plans have any, and every process that could make one would wait for it.
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    begins, ends = np.array(pairs).T
    graph = coo_array((np.ones(len(pairs), dtype=np.int8), (begins, ends)), shape=(len(numbers), len(numbers)))
    _, labels = connected_components(graph, connection="strong")
    together: dict[int, set[int]] = {}
    for row, label in zip(numbers, labels.tolist(), strict=True):
        together.setdefault(label, set()).add(row)
    label_of = dict(zip(numbers, labels.tolist(), strict=True))
    circles = {row: together[label_of[row]] for row in meant}
    return {row: circle for row, circle in circles.items() if len(circle) > 1 or row in meant[row]}
