"""One field held to its rules, each distinct value once: of a frame or, where values recur, of the whole sheet."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator
from threading import Lock
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import polars as pl

from datorum.core.check.findings import findings_frame, no_findings
from datorum.core.check.rules import RULES
from datorum.core.check.suspicious import suspicious
from datorum.core.formula import Scope
from datorum.core.model import Field, FieldMapping
from datorum.core.steps.landing import NO_VALUE_SET, Landed, Values, land

_MOST_KNOWN = 50_000
"""As many distinct values of a field are remembered while a sheet is gone through."""
_RECURS = 3

_MARKS = {"at": pl.UInt32, "rule": pl.String, "value": pl.String, "message": pl.String, "blocks": pl.Boolean}


class FieldLook(NamedTuple):
    """One field of some rows: what landed; the sound ones among the distinct values (null where one is not); and what
    was found."""

    landed: Landed
    sound: pl.Series
    found: pl.DataFrame

    @property
    def sound_values(self) -> pl.Series:
        """The sound value of each row."""
        return self.landed.over_rows(self.sound)


class FieldCheck:
    """Lands a field of one frame after the other and holds it to its rules; several frames may be looked at at once."""

    def __init__(self, field: Field, mapping: FieldMapping, scope: Scope, today: dt.date) -> None:
        self._field = field
        self._mapping = mapping
        self._scope = scope
        self._today = today
        self._known: _Known | None = None
        self._lock = Lock()
        # Of a field with one column and no look at the rest of the row, a value means the same in every row.
        self._by_value = len(mapping.columns) == 1 and not mapping.sees_row

    def look(self, frame: pl.DataFrame, rows: pl.Series) -> FieldLook:
        """The field in the rows of a frame, whose numbers are ``rows``."""
        known = self._of_known(frame)
        if known is not None:
            landed, judged = known
        else:
            landed = land(frame, self._mapping, self._scope)
            judged = _judge(self._field, self._mapping, landed.distinct, self._today)
        return FieldLook(landed, judged.sound, _over_rows(rows, self._field, landed, judged.marks))

    def _of_known(self, frame: pl.DataFrame) -> tuple[Landed, _Judged] | None:
        """From what is remembered; None where values recur too little for that."""
        if not self._by_value or self._mapping.columns[0] not in frame.columns:
            return None
        column = frame[self._mapping.columns[0]]
        if column.is_empty():
            return None
        if self._known is None:
            variety = column.approx_n_unique()
            if not isinstance(variety, int) or variety * _RECURS > len(column):
                self._by_value = len(column) < _RECURS
                return None
        with self._lock:
            self._known = self._known or _Known(self._learn)
        found = self._known.look(column)
        if found is None:
            self._by_value = False
        return found

    def _learn(self, values: pl.Series) -> tuple[Values, _Judged]:
        distinct = land(values.rename(self._mapping.columns[0]).to_frame(), self._mapping, self._scope)
        each = Values(distinct.supplied, distinct.values, distinct.failed)
        return each, _judge(self._field, self._mapping, each, self._today)


class _Judged(NamedTuple):
    """``sound``: distinct values, null where one is not; ``marks``: what was found, ``at`` which of them."""

    sound: pl.Series
    marks: pl.DataFrame


class _Known:
    """The distinct values of a column that were seen so far, with what became of each."""

    def __init__(self, learn: Callable[[pl.Series], tuple[Values, _Judged]]) -> None:
        self._learn = learn
        # Categories of the column's own are numbered without gaps; they stay for as long as a series has them.
        self._type = pl.Categorical(pl.Categories.random())
        self._keeps = pl.Series(dtype=self._type)
        self._lock = Lock()
        # For each category, behind one for what is missing, its place among the values; -1 for none yet.
        self._places: npt.NDArray[np.int32] = np.full(1, -1, dtype=np.int32)
        self._values: Values | None = None
        self._judged: _Judged | None = None

    def look(self, column: pl.Series) -> tuple[Landed, _Judged] | None:
        """What became of a column's values; None where they are too many to be remembered."""
        codes = column.cast(self._type).to_physical().cast(pl.Int64).fill_null(-1).to_numpy() + 1
        with self._lock:
            highest = int(codes.max(initial=0))
            if highest > _MOST_KNOWN:
                return None
            if highest >= len(self._places):
                missing = np.full(2 * highest + 1 - len(self._places), -1, dtype=np.int32)
                self._places = np.concatenate([self._places, missing])
            places = self._places[codes]
            if (places < 0).any():
                self._meet(column, codes, places)
                places = self._places[codes]
            assert self._values is not None
            assert self._judged is not None
            return Landed(self._values, pl.Series(places, dtype=pl.UInt32)), self._judged

    def _meet(self, column: pl.Series, codes: npt.NDArray[np.int64], places: npt.NDArray[np.int32]) -> None:
        """Take in the values that were not seen before."""
        rows = np.flatnonzero(places < 0)
        fresh, first = np.unique(codes[rows], return_index=True)
        values, judged = self._learn(column.gather(pl.Series(rows[first])))
        size = 0 if self._values is None else len(self._values.values)
        self._places[fresh] = np.arange(size, size + len(fresh), dtype=np.int32)
        if self._values is None or self._judged is None:
            self._values, self._judged = values, judged
            return
        self._values = Values(*(pl.concat(pair) for pair in zip(self._values, values, strict=True)))
        marks = judged.marks.with_columns(pl.col("at") + size)
        self._judged = _Judged(pl.concat([self._judged.sound, judged.sound]), pl.concat([self._judged.marks, marks]))


def _judge(field: Field, mapping: FieldMapping, values: Values, today: dt.date) -> _Judged:
    """Hold each of some values to all rules."""
    marks = [pl.DataFrame(schema=_MARKS), *_unread(mapping, values)]
    sound = values.failed == 0
    for rule in RULES:
        if not rule.applies(field):
            continue
        broken = rule.breaks(field, values.values).fill_null(False) & sound
        if rule.name != "required":
            broken = broken & values.values.is_not_null()
        if broken.any():
            told = [rule.says(field, value or "") for value in values.values.filter(broken)]
            marks.append(_marks(broken, rule.name, values.values, told, blocks=rule.blocks))
            sound = sound & ~broken
    good = values.values.set(~sound, None)
    for name, where, says in suspicious(field, good, today):
        marks.append(_marks(where, name, good, [says] * int(where.sum()), blocks=False))
    return _Judged(good, pl.concat(marks))


def _unread(mapping: FieldMapping, values: Values) -> Iterator[pl.DataFrame]:
    if not (values.failed > 0).any():
        return
    for number, step in enumerate(mapping.steps, 1):
        unread = values.failed == number
        if unread.any():
            told = [step.problem(value or "") for value in values.supplied.filter(unread)]
            yield _marks(unread, "step", values.supplied, told, blocks=True)
    unset = values.failed == NO_VALUE_SET
    if unset.any():
        told = ["has no value set"] * int(unset.sum())
        yield _marks(unset, "no value set", values.supplied, told, blocks=True)


def _marks(where: pl.Series, rule: str, values: pl.Series, says: list[str], *, blocks: bool) -> pl.DataFrame:
    at = where.arg_true()
    columns = {"at": at, "rule": [rule] * len(at), "value": values.gather(at), "message": says}
    return pl.DataFrame({**columns, "blocks": [blocks] * len(at)}, schema=_MARKS)


def _over_rows(rows: pl.Series, field: Field, landed: Landed, marks: pl.DataFrame) -> pl.DataFrame:
    """What was found of distinct values, as findings on the rows that have them."""
    if not marks.height:
        return no_findings()
    bad = np.zeros(len(landed.distinct.values), dtype=bool)
    bad[marks["at"].to_numpy()] = True
    places = landed.places.to_numpy()
    here = np.flatnonzero(bad[places])
    if not len(here):
        return no_findings()
    hits = pl.DataFrame({"row": rows.gather(here), "at": pl.Series(places[here], dtype=pl.UInt32)})
    found = hits.join(marks, on="at", how="inner", maintain_order="left")
    parts = []
    for (rule, blocks), part in found.group_by("rule", "blocks", maintain_order=True):
        told = findings_frame(part["row"], field.path, str(rule), part["value"], part["message"], blocks=bool(blocks))
        parts.append(told)
    return pl.concat(parts)
