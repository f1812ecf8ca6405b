"""The records of an import as a mapping's shape makes them of its rows: some of them at once, or all in parts."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cached_property, lru_cache
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import polars as pl
from pydantic import TypeAdapter
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.core.shape import Selection
from datorum.core.shape.grains import RECORD, SHEET, Grains
from datorum.core.shape.kinds import AnyShape, Tree
from datorum.core.shape.shape import Shape
from datorum.core.shape.whole import Rows, chosen, first_rows, made, whole_records
from datorum.core.table import CHUNK_ROWS, FLAG, ROW
from datorum.store.database import session
from datorum.store.models import StoredCorrection, StoredSheet
from datorum.store.rows import SheetRows

_SHAPES: TypeAdapter[tuple[AnyShape, ...]] = TypeAdapter(tuple[AnyShape, ...])


class RecordSource(NamedTuple):
    """What records are made of, as a key: the import with its main sheet, the count of changes to its rows by hand, the
    shape as JSON, and the other sheets that it draws on by role."""

    import_id: int
    sheet_id: int
    revision: int
    shape: str
    beside: tuple[tuple[str, int], ...] = ()

    @classmethod
    def of(
        cls, import_id: int, sheet_id: int, revision: int, shapes: Sequence[Shape], beside: dict[str, int]
    ) -> RecordSource:
        drawn = {name for shape in shapes for name in shape.sheets}
        used = tuple((name, number) for name, number in sorted(beside.items()) if name in drawn)
        kept = _SHAPES.dump_json(tuple(shapes)).decode()  # type: ignore[arg-type]
        return cls(import_id, sheet_id, revision, kept, used)

    @property
    def shapes(self) -> tuple[AnyShape, ...]:
        return _shapes(self.shape)

    @property
    def plain(self) -> bool:
        """Whether each row is a record, and nothing else."""
        return not self.shapes

    def rows(self, store: Session) -> SheetRows:
        """The rows of the main sheet."""
        return SheetRows(store, store.get_one(StoredSheet, self.sheet_id), self.import_id)


@lru_cache(maxsize=64)
def _shapes(text: str) -> tuple[AnyShape, ...]:
    return _SHAPES.validate_json(text)


class RecordRows:
    """The records of a source, known by their numbers, in the order in which they begin."""

    def __init__(self, store: Session, source: RecordSource) -> None:
        self._store = store
        self._source = source
        self._shapes = source.shapes
        self.rows = source.rows(store)
        self._keyed = next((shape for shape in self._shapes if shape.keys), None)
        self._all_at_once = any(shape.needs_all for shape in self._shapes)

    @property
    def shapes(self) -> tuple[Shape, ...]:
        return self._shapes

    def parts(self) -> Iterator[pl.DataFrame]:
        """The rows of all records, those of one in one frame, in memory that does not grow with them."""
        return whole_records(self._shapes, lambda: self.rows)

    @property
    def beside(self) -> dict[str, pl.DataFrame]:
        """The other sheets that the shape draws on, by name."""
        return sheets_beside(self._store, self._source.import_id, self._source.beside)

    def made(self, rows: Rows) -> Grains:
        """What the shape makes of rows."""
        return made(self._shapes, rows, self.beside)

    @property
    def total(self) -> int:
        """How many records there are, none left out."""
        if self._all_at_once:
            return _everything(self._source).records.height
        return len(self._index.records) if self._keyed else self.rows.total

    def beginning(self) -> pl.DataFrame:
        """The rows of the first records, about as many as are worked on at a time."""
        if self._all_at_once or self._keyed is None or self.rows.whole:
            return pl.concat(list(self.rows), how="diagonal") if self._all_at_once else self.rows.beginning()
        index = self._index
        some = int(np.searchsorted(index.starts, CHUNK_ROWS // 2, side="right")) - 1
        return self.rows.of(np.sort(index.rows[: index.starts[some]]).tolist())

    def slice(self, first: int, count: int) -> list[int]:
        """The numbers of records by their place, counted from 0."""
        if self._all_at_once:
            return _everything(self._source).records[RECORD].slice(first, count).to_list()
        if self._keyed:
            return [int(number) for number in self._index.records[first : first + count]]
        return self.rows.slice(first, count)[ROW].to_list()

    def in_tree(self, first: int, count: int) -> list[tuple[int, int]] | None:
        """The numbers of the records of a tree by their place in it, and how deep they stand; None where it is none."""
        return _tree_of(self._source)[first : first + count] if any(map(_is_tree, self._shapes)) else None

    def number_at(self, places: Sequence[int]) -> list[int]:
        """The numbers of the records at some places, counted from 0, in the order asked."""
        if self._all_at_once or self._keyed:
            numbers = _everything(self._source).records[RECORD].to_numpy() if self._all_at_once else self._index.records
            return [int(numbers[at]) for at in places if at < len(numbers)]
        return self.rows.number_at(places)

    def of(self, numbers: Sequence[int]) -> Grains:
        """Some records in this order; numbers that none has are passed over."""
        if self._all_at_once:
            found = _everything(self._source).filter_records(pl.Series(numbers, dtype=pl.Int64))
        else:
            rows = sorted(self._index.rows_of(numbers)) if self._keyed else list(numbers)
            found = self.made(chosen(self._shapes, self.rows.of(rows), Selection.of_all()))
        wanted = pl.DataFrame({RECORD: list(numbers)}, schema={RECORD: pl.Int64})
        records = wanted.join(found.records, on=RECORD, how="inner", maintain_order="left")
        lists = {
            path: wanted.join(frame, on=RECORD, how="inner", maintain_order="left_right").select(frame.columns)
            for path, frame in found.lists.items()
        }
        return found._replace(records=records.select(found.records.columns), lists=lists)

    def of_rows(self, rows: Sequence[int]) -> list[int]:
        """The numbers of the records that some rows are of, each once, in order."""
        if self._keyed:
            return self._index.records_of(rows)
        if self._all_at_once:
            records = _everything(self._source).records
            return records.filter(pl.col(ROW).is_in(list(rows)))[RECORD].unique(maintain_order=True).to_list()
        return list(dict.fromkeys(rows))

    def rows_of(self, numbers: Sequence[int]) -> list[int]:
        """The numbers of all rows of some records."""
        if self._keyed:
            return self._index.rows_of(numbers)
        if self._all_at_once:
            return _everything(self._source).filter_records(pl.Series(numbers, dtype=pl.Int64)).records[ROW].to_list()
        return list(numbers)

    def around(self, numbers: Sequence[int], size: int) -> pl.Series | None:
        """The numbers of ``size`` records, always the same ones, among which all of these are; None where they are
        further apart."""
        if not self._all_at_once and not self._keyed:
            return self.rows.around(numbers, size)
        known = _everything(self._source).records[RECORD].to_numpy() if self._all_at_once else self._index.records
        if not bool((np.diff(known) > 0).all()):
            return None
        places = np.searchsorted(known, np.asarray(numbers))
        blocks = {int(at) // size for at in places}
        return pl.Series(known[size * blocks.pop() :][:size]) if len(blocks) == 1 else None

    @cached_property
    def _index(self) -> _Index:
        assert self._keyed is not None
        kept = StoredCorrection
        by_hand = select(func.max(kept.revision)).where(
            kept.import_id == self._source.import_id, kept.role == "", kept.column.in_(self._keyed.keys)
        )
        # Only what changes keys changes which rows are of one record.
        return _indexed(self._source._replace(revision=self._store.scalar(by_hand) or 0))


class _Index(NamedTuple):
    """``records``: their numbers, in order; ``rows``: of all rows the numbers, record by record; ``starts``: where the
    rows of each record begin there, and behind the last where they end."""

    records: npt.NDArray[np.int64]
    rows: npt.NDArray[np.int64]
    starts: npt.NDArray[np.int64]

    def rows_of(self, numbers: Sequence[int]) -> list[int]:
        at = np.searchsorted(self.records, np.asarray(numbers, dtype=np.int64))
        at = at[at < len(self.records)]
        known = [one for one in at.tolist() if self.records[one] in set(numbers)]
        return [row for one in known for row in self.rows[self.starts[one] : self.starts[one + 1]].tolist()]

    def records_of(self, rows: Sequence[int]) -> list[int]:
        places = np.flatnonzero(np.isin(self.rows, np.asarray(rows, dtype=np.int64)))
        found = np.searchsorted(self.starts, places, side="right") - 1
        return [int(number) for number in self.records[np.unique(found)]]


@lru_cache(maxsize=8)
def _indexed(source: RecordSource) -> _Index:
    keyed = next(shape for shape in source.shapes if shape.keys)
    with session() as store:
        rows = source.rows(store)
        firsts = first_rows(keyed, lambda: rows.of_columns(keyed.keys))
        parts = [frame[ROW].to_numpy() for frame in rows.of_columns(())]
    numbers = np.concatenate(parts) if parts else np.zeros(0, dtype=np.int64)
    order = np.argsort(firsts, kind="stable")
    begins, starts = np.unique(firsts[order], return_index=True)
    return _Index(numbers[begins], numbers[order], np.append(starts, len(order)).astype(np.int64))


@lru_cache(maxsize=4)
def _everything(source: RecordSource) -> Grains:
    """All records at once, of shapes in which any row may bear on any record."""
    with session() as store:
        records = RecordRows(store, source)
        [frame] = records.parts()
        return records.made(chosen(source.shapes, frame, Selection.of_all()))


def _is_tree(shape: Shape) -> bool:
    return isinstance(shape, Tree)


@lru_cache(maxsize=4)
def _tree_of(source: RecordSource) -> list[tuple[int, int]]:
    tree = next(shape for shape in source.shapes if isinstance(shape, Tree))
    return tree.in_order(_everything(source).records)


def sheets_beside(store: Session, import_id: int, beside: tuple[tuple[str, int], ...]) -> dict[str, pl.DataFrame]:
    """Other sheets of an import, whole, by role."""
    kept = StoredCorrection
    by_hand = select(func.max(kept.revision)).where(kept.import_id == import_id, kept.role != "")
    return _whole_sheets(import_id, beside, store.scalar(by_hand) or 0) if beside else {}


@lru_cache(maxsize=2)
def _whole_sheets(import_id: int, beside: tuple[tuple[str, int], ...], _revision: int) -> dict[str, pl.DataFrame]:
    found = {}
    for role, number in beside:
        with session() as store:
            frames = list(SheetRows(store, store.get_one(StoredSheet, number), import_id, role))
            found[role] = pl.concat(frames, how="diagonal").drop(FLAG).with_columns(pl.lit(role).alias(SHEET))
    return found
