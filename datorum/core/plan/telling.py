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
from datorum.core.steps.landing import NO_VALUE_SET, distinct_rows, land, stages

_FEW_VALUES = 24
_MOST = 200


def labels_of(frame: pl.DataFrame, mapping: FieldMapping, scope: Scope) -> list[pl.Series]:
    """What one field's mapping does with each row: String series, null where a row exercises nothing of the kind."""
    distinct, codes = distinct_rows(frame, mapping)
    labels = _labels(distinct, mapping, scope)
    return labels if codes is None else [series.gather(codes) for series in labels]


def _labels(frame: pl.DataFrame, mapping: FieldMapping, scope: Scope) -> list[pl.Series]:
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
    if mapping.value_table is not None or reaching.n_unique() <= _FEW_VALUES:
        found.append("value " + reaching)
    return found


def telling(labels: Sequence[pl.Series], height: int) -> list[int]:
    """The places of the rows of the set, the row that exercises most first. All series have ``height`` values."""
    named = pl.DataFrame([series.rename(str(at)) for at, series in enumerate(labels)])
    if not height or not named.width:
        return list(range(min(height, 1)))
    signatures = named.with_row_index("\0at").unique([str(at) for at in range(len(labels))], keep="first").sort("\0at")
    has = _matrix(signatures.drop("\0at"))
    open_labels = has.any(axis=0)
    chosen: list[int] = []
    while open_labels.any() and len(chosen) < _MOST:
        gains = has[:, open_labels].sum(axis=1)
        best = int(gains.argmax())
        chosen.append(best)
        open_labels &= ~has[best]
    places: list[int] = signatures["\0at"].gather(chosen).to_list()
    return places


def _where(holds: pl.Series, label: str) -> pl.Series:
    return pl.select(pl.when(holds).then(pl.lit(label))).to_series()


def _matrix(signatures: pl.DataFrame) -> npt.NDArray[np.bool_]:
    """One row a signature, one column a label."""
    parts = [
        signatures[name].to_dummies(drop_nulls=True).to_numpy().astype(bool)
        for name in signatures.columns
        if signatures[name].null_count() < signatures.height
    ]
    return np.concatenate(parts, axis=1) if parts else np.zeros((signatures.height, 0), dtype=bool)
