"""The rows of an import as they count: a sheet of it with the corrections laid over, some thousands at a time."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.shape import Correction, corrected
from datorum.core.table import FLAG, ROW, aligned
from datorum.core.table.packed import unpacked
from datorum.store.database import session
from datorum.store.models import Chunk, StoredCorrection, StoredSheet

_KEPT_CHUNKS = 4
"""As many chunks stay in memory, opened, for the next question: about 40 MB each for a sheet of 20 columns."""


@dataclass(frozen=True)
class _Place:
    """Where a chunk's rows stand: ``first`` counts from 0, the others are lines of the file."""

    number: int
    first: int
    rows: int
    first_row: int
    last_row: int


class SheetRows:
    """Going over it gives the whole sheet, a frame after the other, in memory that does not grow with the rows."""

    def __init__(self, store: Session, sheet: StoredSheet, import_id: int, role: str = "") -> None:
        self._store = store
        self._sheet_id = sheet.id
        self._import_id = import_id
        self._role = role
        self._headers = tuple(sheet.headers)
        self.total = sheet.rows
        self._places = _places(store, sheet.id)

    def __iter__(self) -> Iterator[pl.DataFrame]:
        # What is gone through once from end to end is not worth the room that it would take.
        keep = len(self._places) <= _KEPT_CHUNKS
        for place in self._places:
            yield self._frame(place, keep=keep)

    def of_columns(self, columns: Collection[str]) -> Iterator[pl.DataFrame]:
        """The whole sheet as going over it gives it, with some of its columns, which takes that much less time."""
        for place in self._places:
            frame = self._frame(place) if self.whole else self._frame(place, columns=columns)
            yield frame.select(ROW, FLAG, *(name for name in self._headers if name in columns))

    @property
    def whole(self) -> bool:
        """Whether ``beginning`` is all there is."""
        return len(self._places) <= 1

    def beginning(self) -> pl.DataFrame:
        """The first rows, as many as are worked on at a time."""
        return self._frame(self._places[0])

    def slice(self, first: int, count: int) -> pl.DataFrame:
        """Rows by their place, counted from 0."""
        parts = [
            self._frame(place).slice(
                max(first - place.first, 0), min(first + count, place.first + place.rows) - max(first, place.first)
            )
            for place in self._places
            if place.first < first + count and first < place.first + place.rows
        ]
        return pl.concat(parts) if parts else self.beginning().clear()

    def of(self, rows: Sequence[int]) -> pl.DataFrame:
        """The rows with these numbers, in this order; numbers that no row has are passed over."""
        parts = [
            self._frame(place).filter(pl.col(ROW).is_in(list(rows)))
            for place in self._places
            if any(place.first_row <= row <= place.last_row for row in rows)
        ]
        found = pl.concat(parts) if parts else self.beginning().clear()
        wanted = pl.DataFrame({ROW: list(rows)}, schema={ROW: pl.Int64})
        return wanted.join(found, on=ROW, how="inner", maintain_order="left").select(found.columns)

    def around(self, rows: Sequence[int], size: int) -> pl.Series | None:
        """The numbers of ``size`` rows, always the same ones, among which all of these rows are; None where they are
        further apart."""
        return _around(self._sheet_id, self._places, tuple(rows), size)

    def supplied(self, rows: Sequence[int]) -> dict[int, tuple[str | None, ...]]:
        """The cells of some rows as they were supplied, before any correction."""
        found: dict[int, tuple[str | None, ...]] = {}
        for place in self._places:
            if any(place.first_row <= row <= place.last_row for row in rows):
                frame = aligned(_chunk(self._sheet_id, place.number), self._headers)
                part = frame.filter(pl.col(ROW).is_in(list(rows))).select(ROW, *self._headers)
                found |= {row: tuple(cells) for row, *cells in part.iter_rows()}
        return found

    def has(self, row: int) -> bool:
        """Whether a row has this number."""
        return self.of([row]).height > 0

    def number_at(self, places: Sequence[int]) -> list[int]:
        """The numbers of the rows at some places, counted from 0, in the order asked."""
        numbers: dict[int, int] = {}
        for place in self._places:
            wanted = sorted({at for at in places if place.first <= at < place.first + place.rows})
            if wanted:
                column = self._frame(place)[ROW].gather([at - place.first for at in wanted])
                numbers.update(zip(wanted, column, strict=True))
        return [numbers[at] for at in places if at in numbers]

    def _frame(self, place: _Place, *, keep: bool = True, columns: Collection[str] | None = None) -> pl.DataFrame:
        if columns is not None:
            frame = _load(self._sheet_id, place.number, columns)
        else:
            frame = (_chunk if keep else _load)(self._sheet_id, place.number)
        headers = [name for name in self._headers if columns is None or name in columns]
        return corrected(aligned(frame, headers), self._corrections(place))

    def _corrections(self, place: _Place) -> list[Correction]:
        kept = select(StoredCorrection.row, StoredCorrection.column, StoredCorrection.value).where(
            StoredCorrection.import_id == self._import_id,
            StoredCorrection.role == self._role,
            StoredCorrection.value.is_not(None),
            StoredCorrection.row.between(place.first_row, place.last_row),
        )
        return [Correction(row, column, value or "") for row, column, value in self._store.execute(kept)]


_PLACES: dict[int, tuple[_Place, ...]] = {}
"""Where the chunks of a sheet begin and end; they never change, and no two sheets ever have one number."""
_MOST_PLACES = 512


def _places(store: Session, sheet_id: int) -> tuple[_Place, ...]:
    if sheet_id not in _PLACES:
        asked = select(Chunk.number, Chunk.first, Chunk.rows, Chunk.first_row, Chunk.last_row)
        found = store.execute(asked.where(Chunk.sheet_id == sheet_id).order_by(Chunk.number))
        if len(_PLACES) >= _MOST_PLACES:
            _PLACES.clear()
        _PLACES[sheet_id] = tuple(_Place(*place) for place in found)
    return _PLACES[sheet_id]


@lru_cache(maxsize=512)
def _around(sheet_id: int, places: tuple[_Place, ...], rows: tuple[int, ...], size: int) -> pl.Series | None:
    found: pl.Series | None = None
    for place in places:
        wanted = [row for row in rows if place.first_row <= row <= place.last_row]
        if not wanted:
            continue
        numbers = _chunk(sheet_id, place.number)[ROW]
        blocks = {at // size for at in numbers.search_sorted(pl.Series(wanted, dtype=pl.Int64))}
        if found is not None or len(blocks) > 1:
            return None
        found = numbers.slice(blocks.pop() * size, size)
    return found


@lru_cache(maxsize=_KEPT_CHUNKS)
def _chunk(sheet_id: int, number: int) -> pl.DataFrame:
    """The rows of a chunk as they were kept; a chunk never changes."""
    return _load(sheet_id, number)


def _load(sheet_id: int, number: int, columns: Collection[str] | None = None) -> pl.DataFrame:
    with session() as current:
        kept = select(Chunk.parquet).where(Chunk.sheet_id == sheet_id, Chunk.number == number)
        data = current.scalars(kept).one()
    return unpacked(data, None if columns is None else {ROW, FLAG, *columns})
