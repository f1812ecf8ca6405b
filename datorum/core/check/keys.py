"""Values that must differ in every row, over a whole sheet, in a few bytes a row."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cached_property

import numpy as np
import numpy.typing as npt
import polars as pl

from datorum.core.check.findings import findings_frame
from datorum.core.link.keys import together
from datorum.core.match_key import key_texts
from datorum.core.model import Field
from datorum.core.numbering import hashes_of
from datorum.core.said import said

SAME_KEY_TWICE = said(
    "same key twice", "stands twice in the sheet", "Leave one of the rows out, or correct its key.", acceptable=False
)
SAME_VALUE_TWICE = said(
    "same value twice", "must differ in every row, and does not", "Correct the rows: the site keeps this field unique."
)
TWO_SPELLINGS = said(
    "two spellings",
    "is one key in two spellings",
    "Add a step that writes them alike, such as trim or change case, or correct the rows.",
)

_Hashes = npt.NDArray[np.uint64]
_Rows = npt.NDArray[np.int64]
_BITS = 27
"""Of each hash so many bits tell whether it may have been seen before: 16 MB, and one in thirty is taken amiss where
four million were seen."""


class Keys:
    """The values of one field, or of several together: each later one that repeats an earlier is held, other spellings
    of one are warned of.

    Of each row a hash is kept, so that a million keys are eight megabytes; texts only of rows that may repeat another.
    """

    def __init__(self, fields: Sequence[Field], *, is_match_key: bool) -> None:
        self._fields = tuple(fields)
        self._rule = SAME_KEY_TWICE if is_match_key else SAME_VALUE_TWICE
        # A dot or hyphen makes another e-mail address of it, and case makes none.
        self._spelled = len(self._fields) == 1 and fields[0].format != "email"
        self._rows: list[_Rows] = []
        self._keys, self._loose = _Seen(), _Seen()
        self._values: list[pl.DataFrame] = []

    def hashed(self, rows: pl.Series, parts: Sequence[pl.Series]) -> pl.DataFrame:
        """The sound values of some rows, of each field, as ``take`` wants them."""
        texts = [key_texts(field, part) for field, part in zip(self._fields, parts, strict=True)]
        values = parts[0] if len(parts) == 1 else together(parts, " · ")
        keys = texts[0]
        part = {"row": rows, "value": values, "key": hashes_of(texts)}
        if self._spelled:
            part["loose"] = hashes_of([_loose(keys)])
        return pl.DataFrame(part).filter(values.is_not_null())

    def take(self, part: pl.DataFrame) -> None:
        """Take some more rows, which come in order."""
        self._rows.append(part["row"].to_numpy())
        again = self._keys.add(part["key"].to_numpy())
        if self._spelled:
            again |= self._loose.add(part["loose"].to_numpy())
        # A copy, lest the few texts keep all of their chunk.
        kept = [(row, value) for row, value in part.select("row", "value").filter(again).iter_rows()]
        self._values.append(pl.DataFrame(kept, schema={"row": pl.Int64, "value": pl.String}, orient="row"))

    def findings(self) -> Iterator[pl.DataFrame]:
        """What all rows together tell."""
        if not self._rows:
            return
        rows, keys = np.concatenate(self._rows), self._keys.all()
        later, first = _repeats(keys)
        yield from self._told(rows, later, first, self._rule, "is the same as in row {:,}", blocks=True)
        if not self._spelled:
            return
        once = np.ones(len(rows), dtype=bool)
        once[later] = False
        at = np.flatnonzero(once)
        alike, other = _repeats(self._loose.all()[at])
        said = "is the key of row {:,} in another spelling"
        yield from self._told(rows, at[alike], at[other], TWO_SPELLINGS, said, blocks=False)

    def _told(
        self, rows: _Rows, later: _Rows, first: _Rows, rule: str, says: str, *, blocks: bool
    ) -> Iterator[pl.DataFrame]:
        if not len(later):
            return
        found = pl.DataFrame({"row": rows[later], "first": rows[first]}).sort("row")
        valued = found.join(pl.concat(self._values), on="row", how="left", maintain_order="left")
        messages = [says.format(row) for row in valued["first"]]
        yield findings_frame(valued["row"], self._fields[0].path, rule, valued["value"], messages, blocks=blocks)


class _Seen:
    """Hashes in the order in which they come, and whether each may have come before."""

    def __init__(self) -> None:
        self._parts: list[_Hashes] = []

    @cached_property
    def _marks(self) -> npt.NDArray[np.uint8]:
        # A look at a few rows takes none, and need not wait for the room.
        return np.zeros(1 << (_BITS - 3), dtype=np.uint8)

    def add(self, hashes: _Hashes) -> npt.NDArray[np.bool_]:
        """Take some more, and tell which may have come before."""
        self._parts.append(hashes)
        slots = (hashes >> np.uint64(64 - _BITS)).astype(np.int64)
        places, bits = slots >> 3, np.left_shift(1, slots & 7).astype(np.uint8)
        before = (self._marks[places] & bits) != 0
        np.bitwise_or.at(self._marks, places, bits)
        _, first = np.unique(hashes, return_index=True)
        here = np.ones(len(hashes), dtype=bool)
        here[first] = False
        again: npt.NDArray[np.bool_] = before | here
        return again

    def all(self) -> _Hashes:
        """All hashes."""
        return np.concatenate(self._parts)


def _repeats(hashes: _Hashes) -> tuple[_Rows, _Rows]:
    """The places of hashes that came before, and for each the place where it came first."""
    order = np.argsort(hashes, kind="stable")
    ordered = hashes[order]
    starts = np.concatenate(([True], ordered[1:] != ordered[:-1])) if len(ordered) else np.zeros(0, dtype=bool)
    again = np.flatnonzero(~starts)
    begins = np.flatnonzero(starts)
    firsts = begins[np.searchsorted(begins, again) - 1]
    return order[again], order[firsts]


def _loose(keys: pl.Series) -> pl.Series:
    """Keys without case, spaces, hyphens and leading zeros, by which two spellings of one are recognised."""
    return keys.str.to_lowercase().str.replace_all(r"[\s\-_./]+", "").str.replace(r"^0+", "")
