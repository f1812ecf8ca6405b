"""The smallest set of rows that together exercise every step, value, branch and blank of a mapping.

Each row has labels: which steps changed a value of it, which failed, which of few values it has, what is blank. The set
is found greedily, which is within a factor of ln n of the least (Chvátal, 1979).
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
import polars as pl

from datorum.core.formula import Scope
from datorum.core.model import FieldMapping
from datorum.core.shape.grains import RECORD, Grains
from datorum.core.steps.landing import NO_VALUE_SET, distinct_rows, land, stages

_FEW_VALUES, _ROWS_EACH = 24, 2
_MOST = 200


Marks = npt.NDArray[np.bool_]
"""One line for each label, one place in it for each row: whether the row has the label."""


def marks_of(frame: pl.DataFrame, mapping: FieldMapping, scope: Scope) -> Marks:
    """What one field's mapping does with each row."""
    distinct, codes = distinct_rows(frame, mapping)
    labels = _labels(distinct, mapping, scope, frame.height)
    lines = [series.to_dummies(drop_nulls=True).to_numpy().T for series in labels if series.null_count() < len(series)]
    marks = np.concatenate(lines).astype(bool) if lines else np.zeros((0, distinct.height), dtype=bool)
    return marks if codes is None else np.ascontiguousarray(marks[:, codes.to_numpy()])


def over_records(marks: Marks, frame: pl.DataFrame, grains: Grains) -> Marks:
    """Marks of what records hold, whose rows a frame has, as marks of the records."""
    places = pl.DataFrame({RECORD: frame[RECORD]}).join(
        grains.records.select(RECORD).with_row_index("at"), on=RECORD, how="left", maintain_order="left"
    )["at"]
    found = np.zeros((grains.records.height, len(marks)), dtype=bool)
    np.logical_or.at(found, places.to_numpy(), marks.T)
    return np.ascontiguousarray(found.T)


def how_many(grains: Grains, path: str) -> Marks:
    """Which records have none, one or several objects in a list."""
    counts = grains.of(path).group_by(RECORD).len("count")
    counted = grains.records.select(RECORD).join(counts, on=RECORD, how="left", maintain_order="left")["count"]
    number = counted.fill_null(0).to_numpy()
    return np.stack([number == 0, number == 1, number > 1])


def _labels(frame: pl.DataFrame, mapping: FieldMapping, scope: Scope, rows: int) -> list[pl.Series]:
    landed = land(frame, mapping, scope)
    steps = stages(frame, mapping, scope)
    found = [
        _where(before.ne_missing(after), f"step {number}")
        for number, (before, after) in enumerate(itertools.pairwise(steps), 1)
    ]
    failed = landed.failed.cast(pl.Int64)
    found.append(
        pl.select(
            pl.when(failed == NO_VALUE_SET).then(pl.lit("no value set"))
            .when(failed > 0).then(pl.format("step {} fails", failed))
            .when(landed.values.is_null()).then(pl.lit("blank"))
            .otherwise(pl.lit("lands"))
        ).to_series()
    )  # fmt: skip
    if mapping.columns:
        found.append(
            _where(landed.supplied.is_null() | (landed.supplied.str.strip_chars() == ""), "blank in the sheet")
        )
    reaching = steps[-1]
    # Where each row has a value of its own, none of them tells of more than itself.
    if mapping.value_table is not None or reaching.n_unique() <= min(_FEW_VALUES, rows // _ROWS_EACH):
        found.append("value " + reaching)
    return found


def telling(fields: Sequence[Marks], height: int) -> list[int]:
    """The places of the rows of the set, the row that exercises most first, of the ``height`` rows that are marked."""
    if not height or not fields:
        return list(range(min(height, 1)))
    marks = np.concatenate(fields)
    open_labels = marks.any(axis=1)
    gains = marks.sum(axis=0, dtype=np.int64)
    chosen: list[int] = []
    while open_labels.any() and len(chosen) < _MOST:
        best = int(gains.argmax())
        chosen.append(best)
        settled = open_labels & marks[:, best]
        gains -= marks[settled].sum(axis=0, dtype=np.int64)
        open_labels &= ~settled
    return chosen


def _where(holds: pl.Series, label: str) -> pl.Series:
    return pl.select(pl.when(holds).then(pl.lit(label))).to_series()
