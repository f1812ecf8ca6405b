"""Fields that come in pairs, one of which is never beyond the other: start and end, net and gross, what it costs now
and what it did. Which column is which is told by the rows."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import NamedTuple

import polars as pl

from datorum.core.model import Field, FieldMapping, FieldType, RecordType, RelationKind
from datorum.core.profile import ColumnProfile
from datorum.core.steps.landing import land
from datorum.core.suggest.fit import values_fit
from datorum.core.suggest.names import is_understood, spoken, tokens
from datorum.core.suggest.steps import suggest_steps

_DATES = (FieldType.DATE, FieldType.DATE_TIME)
_AMOUNTS = (FieldType.NUMBER, FieldType.INTEGER)
_FEWEST_ROWS, _NEARLY_ALL, _SOME = 8, 0.97, 0.3
_FITS, _SCORE = 0.9, 0.7
_BY_NAME = (
    "minimum maximum",
    "net price",
    "cost price",
    "subtotal total",
    "tax total",
    "created updated",
    "sale regular",
)
"""Concepts of which the first is not beyond the second, of fields whose names differ in nothing else."""


class _Pair(NamedTuple):
    """Two fields of which the first is not beyond the second."""

    low: Field
    high: Field


def mend_pairs(
    record_type: RecordType,
    fields: dict[str, FieldMapping],
    frame: pl.DataFrame,
    profiles: Mapping[str, ColumnProfile],
) -> None:
    """Have the two fields of a pair change columns where nearly all rows say so and no header does; feed what is left
    of a pair by the one column that can be it."""
    rows = _Rows(frame, profiles)
    languages = spoken(profiles)
    for pair in _pairs(record_type):
        low, high = fields.get(pair.low.path), fields.get(pair.high.path)
        if low is not None and high is not None:
            if _is_open(low) and _is_open(high) and rows.in_order(pair, high.columns[0], low.columns[0]):
                why = (f"its values are not beyond those of “{low.columns[0]}”",)
                fields[pair.low.path] = rows.fed(pair.low, high.columns[0], why)
                fields[pair.high.path] = rows.fed(pair.high, low.columns[0], why)
            continue
        used = {column for fed in fields.values() for column in fed.columns}
        free = [name for name in profiles if name not in used and not is_understood(name, languages)]
        _complete(pair, fields, free, rows)


def _complete(pair: _Pair, fields: dict[str, FieldMapping], free: list[str], rows: _Rows) -> None:
    """Feed the half or the whole of a pair that nothing feeds."""
    low, high = fields.get(pair.low.path), fields.get(pair.high.path)
    lows = [name for name in free if rows.fits(pair.low, name)] if low is None else list(low.columns[:1])
    highs = [name for name in free if rows.fits(pair.high, name)] if high is None else list(high.columns[:1])
    left = {*lows, *highs} - {column for fed in (low, high) if fed for column in fed.columns}
    if len(left) != (low is None) + (high is None):
        # Of several that can be it nobody can tell.
        return
    found = [(a, b) for a, b in _both(lows, highs) if rows.in_order(pair, a, b)]
    if len(found) == 1:
        [(a, b)] = found
        if low is None:
            fields[pair.low.path] = rows.fed(pair.low, a, (f"its values are not beyond those of “{b}”",))
        if high is None:
            fields[pair.high.path] = rows.fed(pair.high, b, (f"its values are not below those of “{a}”",))


def _both(lows: list[str], highs: list[str]) -> Iterator[tuple[str, str]]:
    return ((a, b) for a in lows for b in highs if a != b)


def _is_open(fed: FieldMapping) -> bool:
    """Whether no header says for sure what a column is; what people chose stays."""
    return fed.score is not None and fed.score < _FITS and len(fed.columns) == 1


def _pairs(record_type: RecordType) -> Iterator[_Pair]:
    ends = {RelationKind.IN_ORDER: ("first", "last"), RelationKind.BELOW: ("less", "more")}
    known = {field.path for field in record_type.writable}
    told = [
        tuple(relation.parts[end] for end in ends[relation.kind]) for relation in record_type.relations
        if relation.kind in ends
    ]  # fmt: skip
    called = _called_so([field for field in record_type.writable if field.type in (*_DATES, *_AMOUNTS)])
    for low, high in dict.fromkeys([*told, *called]):
        if low in known and high in known:
            yield _Pair(record_type.field(low), record_type.field(high))


def _called_so(fields: list[Field]) -> Iterator[tuple[str, str]]:
    """The paths of fields whose names are those of a pair and differ in nothing else."""
    named = [(field, set(tokens(field.path.replace(".", " ")))) for field in fields]
    for one, other in (pair.split() for pair in _BY_NAME):
        highs: dict[tuple[FieldType, frozenset[str]], str] = {}
        for field, words in named:
            if other in words and one not in words:
                highs.setdefault((field.type, frozenset(words - {other})), field.path)
        for field, words in named:
            high = highs.get((field.type, frozenset(words - {one, other})))
            if one in words and high is not None:
                yield field.path, high


class _Rows:
    """The rows of a sheet as the two fields of a pair have them."""

    def __init__(self, frame: pl.DataFrame, profiles: Mapping[str, ColumnProfile]) -> None:
        self._frame, self._profiles = frame, profiles

    def fed(self, field: Field, column: str, why: tuple[str, ...]) -> FieldMapping:
        """A column as the feed of a field."""
        steps = suggest_steps(field, [self._profiles[column]], self._profiles)
        return FieldMapping(columns=(column,), steps=steps, score=_SCORE, reasons=why)

    def fits(self, field: Field, column: str) -> bool:
        """Whether nearly all values of a column may stand in a field."""
        share = values_fit(field, self._profiles[column]).share
        return share is not None and share >= _FITS

    def in_order(self, pair: _Pair, low: str, high: str) -> bool:
        """Whether the values of one column are beyond those of another in hardly any row, and below them in some."""
        both = pl.DataFrame({"a": self._read(pair.low, low), "b": self._read(pair.high, high)}).drop_nulls()
        if both.height < _FEWEST_ROWS:
            return False
        kept, below = (both["a"] <= both["b"]).mean(), (both["a"] < both["b"]).mean()
        return isinstance(kept, float) and isinstance(below, float) and kept >= _NEARLY_ALL and below >= _SOME

    def _read(self, field: Field, column: str) -> pl.Series:
        values = land(self._frame, self.fed(field, column, ())).values
        return values if field.type in _DATES else values.cast(pl.Float64, strict=False)
