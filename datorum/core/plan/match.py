"""Which records of a sheet and of a site are the same: found by their keys, one after the other in order of preference,
over columns."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import polars as pl

from datorum.core.numbering import Hashes, Rows, hashes_of

_TOLD = 5


class Matches(NamedTuple):
    """``records``: the numbers of all records of a sheet, in order. Of each in ``counts`` how many records of the site
    have its key, and in ``places`` the place of the one that has it, in the order in which the site was read; -1 where
    there is none, or several. ``several``: by record the places of the first few where there are more. ``unnamed``: the
    places of the site's records that none of the sheet means."""

    records: Rows
    counts: Rows
    places: Rows
    several: dict[int, list[int]]
    sharing: dict[int, list[int]]
    """By record the others of the sheet that mean the same record of the site."""
    unnamed: Rows


class Matcher:
    """Takes the keys of a sheet and of a site, some records at a time, each as texts by which keys are compared, null
    where a part is blank; ``ways`` so many keys there are."""

    def __init__(self, ways: int) -> None:
        self._records: list[Rows] = []
        self._sheet: list[list[_Keys]] = [[] for _ in range(ways)]
        self._site: list[list[_Keys]] = [[] for _ in range(ways)]

    def see_sheet(self, records: pl.Series, keys: Sequence[pl.Series]) -> None:
        self._records.append(records.to_numpy())
        for known, texts in zip(self._sheet, keys, strict=True):
            known.append(_Keys.of(texts))

    def see_site(self, keys: Sequence[pl.Series]) -> None:
        for known, texts in zip(self._site, keys, strict=True):
            known.append(_Keys.of(texts))

    def done(self, held: Collection[int] = ()) -> Matches:
        """Who means whom. Records that are ``held`` go nowhere, and share no record of the site with others."""
        records = np.concatenate(self._records) if self._records else np.empty(0, dtype=np.int64)
        counts = np.zeros(len(records), dtype=np.int64)
        places = np.full(len(records), -1, dtype=np.int64)
        several: dict[int, list[int]] = {}
        named: list[Rows] = []
        on_site = 0
        for sheet, site in zip(self._sheet, self._site, strict=True):
            there = _Keys.together(site)
            on_site = len(there.hashes)
            where = np.flatnonzero(there.given)
            order = where[np.argsort(there.hashes[where], kind="stable")]
            hashes = there.hashes[order]
            wanted = _Keys.together(sheet)
            # What a key before has found is not looked for by one behind.
            open_places = np.flatnonzero(wanted.given & (counts == 0))
            begins = np.searchsorted(hashes, wanted.hashes[open_places], side="left")
            ends = np.searchsorted(hashes, wanted.hashes[open_places], side="right")
            counts[open_places] = ends - begins
            one = ends - begins == 1
            places[open_places[one]] = order[begins[one]]
            for at in np.flatnonzero(ends - begins > 1):
                meant = order[begins[at] : ends[at]]
                several[int(records[open_places[at]])] = meant[:_TOLD].tolist()
                named.append(meant)
        found = places[places >= 0]
        left = np.ones(on_site, dtype=bool)
        left[found] = False
        for meant in named:
            left[meant] = False
        return Matches(records, counts, places, several, _sharing(records, places, held), np.flatnonzero(left))


class _Keys(NamedTuple):
    hashes: Hashes
    given: npt.NDArray[np.bool_]

    @classmethod
    def of(cls, texts: pl.Series) -> _Keys:
        return cls(hashes_of([texts]), texts.is_not_null().to_numpy())

    @classmethod
    def together(cls, parts: Sequence[_Keys]) -> _Keys:
        if not parts:
            return cls(np.empty(0, dtype=np.uint64), np.empty(0, dtype=bool))
        return cls(np.concatenate([one.hashes for one in parts]), np.concatenate([one.given for one in parts]))


def _sharing(records: Rows, places: Rows, held: Collection[int]) -> dict[int, list[int]]:
    """The records of a sheet that mean one of the site with others, but for those that are held."""
    goes = ~np.isin(records, np.fromiter(held, dtype=np.int64, count=len(held))) if held else True
    there = np.flatnonzero((places >= 0) & goes)
    order = there[np.argsort(places[there], kind="stable")]
    same = np.flatnonzero(np.diff(places[order]) == 0)
    meant: dict[int, list[int]] = {}
    for place in np.unique(places[order[same]]):
        first, behind = np.searchsorted(places[order], [place, place + 1])
        meant |= dict.fromkeys(records[order[first:behind]].tolist(), records[order[first:behind]].tolist())
    return {record: [other for other in all_of_it if other != record] for record, all_of_it in meant.items()}
