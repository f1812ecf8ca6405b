"""A sheet in parts that have whole records, however far apart their rows stand, in memory that does not grow."""

from __future__ import annotations

import io
import tempfile
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import polars as pl

from datorum.core.numbering import hashes_of
from datorum.core.shape.grains import RECORD, Grains, grains_of
from datorum.core.shape.row_filter import Selection
from datorum.core.shape.shape import Shape, values_of
from datorum.core.table import CHUNK_ROWS, FLAG, ROW

Frames = Callable[[], Iterable[pl.DataFrame]]
"""A sheet that can be gone through again and again, a frame after the other."""
Firsts = npt.NDArray[np.int64]
"""For each row of a sheet the place, counted from 0, of the first row of its record."""


def whole_records(shapes: Sequence[Shape], frames: Frames) -> Iterator[pl.DataFrame]:
    """The sheet's rows, those of a record in one frame, records in the order in which they begin."""
    if any(shape.needs_all for shape in shapes):
        yield pl.concat(list(frames()), how="diagonal")
        return
    keyed = next((shape for shape in shapes if shape.keys), None)
    if keyed is None:
        yield from frames()
        return
    firsts = first_rows(keyed, frames)
    if bool((np.diff(firsts) < 0).any()):
        yield from _brought_together(firsts, frames)
    else:
        yield from _cut_between(firsts, frames)


def first_rows(keyed: Shape, frames: Frames) -> Firsts:
    """Which rows of a sheet are of one record, by the keys of a shape. A row without them is one by itself."""
    before: list[str | None] = [None] * len(keyed.keys)
    parts = []
    for frame in frames():
        keys, before = keys_of(keyed, frame, before)
        parts.append(hashes_of(keys))
    hashes = pl.Series(np.concatenate(parts)) if parts else pl.Series([], dtype=pl.UInt64)
    firsts: Firsts = (
        pl.DataFrame({"hash": hashes, "place": pl.int_range(len(hashes), dtype=pl.Int64, eager=True)})
        .select(pl.col("place").first().over("hash"))
        .to_series()
        .to_numpy()
    )
    return firsts


def keys_of(
    keyed: Shape, frame: pl.DataFrame, before: Sequence[str | None]
) -> tuple[list[pl.Series], list[str | None]]:
    """What tells the records of some rows apart, and the keys that go for the rows below them, ``before`` them those of
    the rows above. The last series is the row, where it is one by itself."""
    found, last = [], []
    # A header that stands in the sheet again is no record, and nothing below it is of it.
    again = frame[FLAG].eq_missing("header again") if FLAG in frame.columns else None
    for name, above in zip(keyed.keys, before, strict=True):
        values = values_of(frame, name) if name in frame.columns else pl.Series([None] * frame.height, dtype=pl.String)
        values = values if again is None else values.set(again, None)
        if keyed.keys_below and len(values):
            values = values.fill_null(strategy="forward").fill_null(pl.lit(above, dtype=pl.String))
        found.append(values)
        last.append(values[-1] if len(values) else above)
    alone = pl.select(pl.any_horizontal(*(values.is_null() for values in found))).to_series()
    alone = alone if again is None else alone | again
    found.append(frame[ROW].set(~alone, None))
    return found, last


def _cut_between(firsts: Firsts, frames: Frames) -> Iterator[pl.DataFrame]:
    """Frames whose last record may go on in the next, cut before it."""
    carried: pl.DataFrame | None = None
    seen = 0
    for frame in frames():
        numbers = firsts[seen : seen + frame.height]
        seen += frame.height
        if carried is not None:
            # All that was carried over is of one record.
            number = firsts[seen - frame.height - carried.height]
            numbers = np.concatenate([np.full(carried.height, number), numbers])
            frame = pl.concat([carried, frame], how="diagonal")
        cut = int(np.searchsorted(numbers, numbers[-1])) if len(numbers) else 0
        carried = frame.slice(cut)
        if cut:
            yield frame.head(cut)
    if carried is not None and carried.height:
        yield carried


def _brought_together(firsts: Firsts, frames: Frames) -> Iterator[pl.DataFrame]:
    """Rows of a record that stand far apart, brought together through files: each takes the rows of some records."""
    borders = _borders(firsts)
    with tempfile.TemporaryDirectory(prefix="datorum-") as folder:
        files = [Path(folder) / str(number) for number in range(len(borders))]
        sizes: list[list[int]] = [[] for _ in files]
        seen = 0
        for frame in frames():
            first = pl.Series(firsts[seen : seen + frame.height])
            seen += frame.height
            into = np.searchsorted(borders, first.to_numpy(), side="right") - 1
            for number, rows in _by_file(into):
                data = io.BytesIO()
                part = frame[rows].with_columns(first.gather(rows).alias(_FIRST))
                part.write_ipc_stream(data)
                with files[number].open("ab") as file:
                    sizes[number].append(file.write(data.getbuffer()))
        for path, parts in zip(files, sizes, strict=True):
            with path.open("rb") as file:
                together = pl.concat(
                    [pl.read_ipc_stream(io.BytesIO(file.read(size))) for size in parts], how="diagonal"
                )
            path.unlink()
            yield together.sort(_FIRST, maintain_order=True).drop(_FIRST)


_FIRST = "\0first"


def _borders(firsts: Firsts) -> Firsts:
    """The first record of each file, so that none takes many more rows than are worked on at a time."""
    records, counts = np.unique(firsts, return_counts=True)
    file = np.cumsum(counts) // CHUNK_ROWS
    _, at = np.unique(file, return_index=True)
    borders: Firsts = records[at]
    return borders


def _by_file(into: npt.NDArray[np.int64]) -> Iterator[tuple[int, npt.NDArray[np.int64]]]:
    order = np.argsort(into, kind="stable")
    numbers, starts = np.unique(into[order], return_index=True)
    yield from zip(numbers.tolist(), np.split(order, starts[1:]), strict=True)


class Rows(NamedTuple):
    """Rows of whole records that go on, what is amiss with them, and the records that are left out: the columns ``row``
    and ``reason``."""

    frame: pl.DataFrame
    odd: tuple[pl.DataFrame, ...]
    left_out: pl.DataFrame


def chosen(shapes: Sequence[Shape], frame: pl.DataFrame, selection: Selection) -> Rows:
    """The rows of some whole records that go on."""
    amiss: tuple[pl.DataFrame, ...] = ()
    for shape in shapes:
        numbered = shape.numbered(frame)
        frame, amiss = numbered.frame, (*amiss, *numbered.odd)
    selected = selection.part(frame)
    if selected.left_out.height and amiss:
        kept = grains_of(selected.kept).records[RECORD].unique().implode()
        amiss = tuple(part.filter(pl.col(RECORD).is_in(kept)) for part in amiss)
    return Rows(selected.kept, amiss, selected.left_out)


def made(shapes: Sequence[Shape], rows: Rows, sheets: Mapping[str, pl.DataFrame] | None = None) -> Grains:
    """What shapes make of the rows of whole records."""
    grains = grains_of(rows.frame, sheets)._replace(odd=rows.odd)
    for shape in shapes:
        grains = shape.apply(grains)
    return grains


def shaped(shapes: Sequence[Shape], frame: pl.DataFrame, sheets: Mapping[str, pl.DataFrame] | None = None) -> Grains:
    """A whole sheet at once as its records."""
    return made(shapes, chosen(shapes, frame, Selection.of_all()), sheets)


def applied(shape: Shape, grains: Grains) -> Grains:
    """Records with what one more shape makes of them."""
    numbered = shape.numbered(grains.records)
    return shape.apply(grains._replace(records=numbered.frame, odd=(*grains.odd, *numbered.odd)))


def undone(shapes: Sequence[Shape], grains: Grains) -> Grains:
    """The rows, with the other sheets, that shapes would make these records of. Raises NotAllowed where they cannot."""
    for shape in reversed(shapes):
        grains = shape.undo(grains)
    return grains
