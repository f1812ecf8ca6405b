"""Quick looks: the first rows that count, and what fields land from them, remembered while a mapping is edited.

An edit lands anew only the fields that it touches, and whatever a sheet's size, no more rows than are worked on at a
time; the whole sheet is for Check.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import NamedTuple

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.check import FINDING_SCHEMA, Checker, FieldCheck, fed_lists, holding
from datorum.core.formula import Budget, Scope
from datorum.core.model import Field, FieldMapping, Mapping, RecordType
from datorum.core.plan.telling import Marks, marks_of, telling
from datorum.core.shape import RowFilter, Selection
from datorum.core.steps.landing import Landed, Values, land
from datorum.core.table import ROW
from datorum.stations.imports import Opened
from datorum.store import models
from datorum.store.database import session
from datorum.store.rows import SheetRows

_TELLING_AMONG = 4_096
_LOOK = 3_000_000
"""Units of work that the formulas of one field may take while somebody waits: a few seconds' worth. What is beyond is
told to have taken too long; a check has no such limit."""
_NOT_LANDING = {"score", "reasons", "blank"}
_NO_TABLE = {"value_table": None, "table": None}


def today() -> dt.date:
    """The day that is taken as today."""
    return dt.datetime.now(dt.UTC).date()


def scope_of(now: Opened, mapping: Mapping) -> Scope:
    """What the formulas of a mapping see beside the row."""
    return mapping.scope(dt.datetime.combine(today(), dt.time()), now.mapped_by)


def selection_of(store: Session, now: Opened, mapping: Mapping) -> Selection:
    """Which rows go on under a mapping, for one pass over the sheet."""
    return Selection(mapping.rows, left_out_by_hand(store, now.item.id), scope_of(now, mapping))


def left_out_by_hand(store: Session, import_id: int) -> dict[int, str]:
    """The rows that people left out, each with who did."""
    kept = select(models.LeftOutRow.row, models.LeftOutRow.by).where(
        models.LeftOutRow.import_id == import_id, models.LeftOutRow.out
    )
    return dict(store.execute(kept).all())


def left_out_rows(now: Opened, mapping: Mapping) -> pl.DataFrame:
    """All rows that do not go on, with the reason of each: the columns ``row`` and ``reason``."""
    if mapping.rows.everything and not now.revision:
        return pl.DataFrame(schema={"row": pl.Int64, "reason": pl.String})
    return _left_out(_chosen_rows(now, mapping))


def beginning(now: Opened, mapping: Mapping | None = None) -> pl.DataFrame:
    """The first rows that go on, as many as are worked on at a time."""
    return _beginning(_chosen_rows(now, mapping or now.mapping))


def landed_field(now: Opened, mapping: Mapping, fed: FieldMapping) -> Landed:
    """One field over the first rows that go on."""
    return _landed(*_field_key(now, mapping, fed))


class Judged(NamedTuple):
    """A field over the first rows that go on: the values that the site takes, null where there is none, and whether
    what the field has holds the row."""

    values: pl.Series
    held: pl.Series


class JudgedCounts(NamedTuple):
    """Of the first ``rows`` that go on, how many land a value that the site takes, and how many a field holds."""

    rows: int
    landed: int
    held: int

    @property
    def blank(self) -> int:
        """How many land nothing, and may."""
        return self.rows - self.landed - self.held


def judged_field(now: Opened, mapping: Mapping, field: Field, fed: FieldMapping) -> Judged:
    """What a field lands, held to the rules that see no more than its value. What people accepted counts as held: that
    it may go is said where it was accepted."""
    return _judged(*_field_key(now, mapping, fed), field.model_dump_json(), today())


def judged_counts(now: Opened, mapping: Mapping, field: Field, fed: FieldMapping) -> JudgedCounts:
    """What ``judged_field`` gives, counted."""
    return _counts(*_field_key(now, mapping, fed), field.model_dump_json(), today())


def _field_key(now: Opened, mapping: Mapping, fed: FieldMapping) -> tuple[_ChosenRows, str, _ScopeKey]:
    resolved = mapping.resolved(fed)
    scope_key = _ScopeKey(scope_of(now, mapping), resolved.sees_row)
    return _chosen_rows(now, mapping), resolved.model_dump_json(exclude=_NOT_LANDING), scope_key


def reaching_table(now: Opened, mapping: Mapping, fed: FieldMapping) -> pl.DataFrame:
    """The distinct values that reach a field's value table over the whole sheet, the commonest first: ``value`` and
    ``count``."""
    before = fed.model_copy(update=_NO_TABLE)
    if now.rows.whole or before.sees_row:
        return _counted([landed_field(now, mapping, before).values])
    settings = before.model_dump_json(exclude=_NOT_LANDING)
    return _reaching(_chosen_rows(now, mapping), settings)


def _counted(values: Iterable[pl.Series]) -> pl.DataFrame:
    counts = [one.drop_nulls().alias("value").value_counts() for one in values]
    total = pl.concat(counts).group_by("value").agg(pl.col("count").sum())
    return total.sort(["count", "value"], descending=[True, False])


def telling_rows(now: Opened, mapping: Mapping) -> list[int]:
    """The numbers of the fewest rows that exercise every step, value and blank of a mapping, in the sheet's order.

    They are looked for among rows spread evenly over the first that go on.
    """
    chosen = _chosen_rows(now, mapping)
    scope = scope_of(now, mapping)
    marks: list[Marks] = []
    for fed in mapping.fields.values():
        if fed.fed:
            resolved = mapping.resolved(fed)
            settings = resolved.model_dump_json(exclude=_NOT_LANDING)
            marks.append(_marks(chosen, settings, _ScopeKey(scope, resolved.sees_row)))
    frame = _spread(chosen)
    return sorted(frame[ROW].gather(telling(marks, frame.height)).to_list())


class _ScopeKey:
    """A scope as a part of a key: fields whose steps do not look at it are the same under any."""

    def __init__(self, scope: Scope, matters: bool) -> None:
        self._scope = scope
        tables = tuple((name, tuple(pairs.items())) for name, pairs in scope.tables.items())
        self._key = (scope.now, scope.person, tuple(scope.parameters.items()), tables) if matters else ()

    @property
    def scope(self) -> Scope:
        """The scope, with the work that one look may take."""
        return replace(self._scope, budget=Budget(_LOOK))

    def __hash__(self) -> int:
        return hash(self._key)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _ScopeKey) and self._key == other._key


class _ChosenRows(NamedTuple):
    """What decides which rows go on."""

    sheet_id: int
    revision: int
    rows: str
    scope_key: _ScopeKey

    def selection(self, store: Session, sheet: models.StoredSheet) -> Selection:
        chosen = RowFilter.model_validate_json(self.rows)
        return Selection(chosen, left_out_by_hand(store, sheet.import_id), self.scope_key.scope)


def _chosen_rows(now: Opened, mapping: Mapping) -> _ChosenRows:
    scope_key = _ScopeKey(scope_of(now, mapping), bool(mapping.rows.formula.strip()))
    return _ChosenRows(now.sheet.id, now.revision, mapping.rows.model_dump_json(), scope_key)


@lru_cache(maxsize=8)
def _beginning(chosen: _ChosenRows) -> pl.DataFrame:
    with session() as store:
        sheet = store.get_one(models.StoredSheet, chosen.sheet_id)
        return chosen.selection(store, sheet).part(SheetRows(store, sheet).beginning()).kept


@lru_cache(maxsize=4)
def _left_out(chosen: _ChosenRows) -> pl.DataFrame:
    with session() as store:
        sheet = store.get_one(models.StoredSheet, chosen.sheet_id)
        selection = chosen.selection(store, sheet)
        return pl.concat([selection.part(frame).left_out for frame in SheetRows(store, sheet)])


_BLOCK = 128


class ShownField(NamedTuple):
    """One field of some rows: what landed, and what is ``found`` in it alone, with the columns of a findings frame."""

    landed: Landed | None
    found: pl.DataFrame


def shown_field(now: Opened, mapping: Mapping, field: Field, rows: Sequence[int]) -> ShownField:
    """One field of some rows, fed or not, remembered while others are edited."""
    fed = mapping.fields.get(field.path)
    resolved = mapping.resolved(fed, field.path) if fed else FieldMapping()
    settings = resolved.model_dump_json(exclude=_NOT_LANDING)
    scope_key = _ScopeKey(scope_of(now, mapping), resolved.sees_row)
    if field.in_list and field.in_list not in fed_lists(mapping, now.record_type):
        return ShownField(None, pl.DataFrame(schema=FINDING_SCHEMA))
    asked = field.model_dump_json(), settings, scope_key, today()
    around = now.rows.around(rows, _BLOCK)
    if around is None:
        return _checked_field(now.sheet.id, now.revision, tuple(rows), *asked)
    # A few rows more take no longer, and who walks on needs them next.
    whole = _checked_field(now.sheet.id, now.revision, tuple(around), *asked)
    places = around.search_sorted(pl.Series(rows, dtype=pl.Int64))
    landed = whole.landed
    if landed is not None:
        landed = Landed(Values(*(one.gather(places) for one in (landed.supplied, landed.values, landed.failed))))
    return ShownField(landed, whole.found.filter(pl.col("row").is_in(list(rows))))


@lru_cache(maxsize=512)
def _checked_field(
    sheet_id: int, revision: int, rows: tuple[int, ...], field: str, mapping: str, scope_key: _ScopeKey, day: dt.date
) -> ShownField:
    one = Field.model_validate_json(field)
    kind = RecordType(name="", title="", fields=(one,))
    alone = Mapping(fields={one.path: FieldMapping.model_validate_json(mapping)})
    frame = _shown(sheet_id, revision, rows)
    checked = Checker(kind, alone, day, scope_key.scope, only={one.path}).check_part(frame)
    found = pl.concat([pl.DataFrame(schema=FINDING_SCHEMA), *checked.found])
    return ShownField(checked.landed.get(one.path), found)


@lru_cache(maxsize=16)
def _shown(sheet_id: int, revision: int, rows: tuple[int, ...]) -> pl.DataFrame:
    with session() as store:
        return SheetRows(store, store.get_one(models.StoredSheet, sheet_id)).of(rows)


@lru_cache(maxsize=16)
def _reaching(chosen: _ChosenRows, mapping: str) -> pl.DataFrame:
    fed = FieldMapping.model_validate_json(mapping)
    with session() as store:
        frames = SheetRows(store, store.get_one(models.StoredSheet, chosen.sheet_id)).of_columns(fed.columns)
        out = _left_out(chosen)["row"] if chosen.revision or chosen.rows != RowFilter().model_dump_json() else None
        if out is not None:
            frames = (frame.filter(~pl.col(ROW).is_in(out.implode())) for frame in frames)
        return _counted(land(frame, fed).values for frame in frames)


@lru_cache(maxsize=8)
def _spread(chosen: _ChosenRows) -> pl.DataFrame:
    frame = _beginning(chosen)
    return frame.gather_every(max(frame.height // _TELLING_AMONG, 1))


@lru_cache(maxsize=256)
def _marks(chosen: _ChosenRows, mapping: str, scope_key: _ScopeKey) -> Marks:
    return marks_of(_spread(chosen), FieldMapping.model_validate_json(mapping), scope_key.scope)


@lru_cache(maxsize=1024)
def _counts(chosen: _ChosenRows, mapping: str, scope_key: _ScopeKey, field: str, day: dt.date) -> JudgedCounts:
    values, held = _judged(chosen, mapping, scope_key, field, day)
    return JudgedCounts(len(values), len(values) - values.null_count(), int(held.sum()))


@lru_cache(maxsize=16)
def _judged(chosen: _ChosenRows, mapping: str, scope_key: _ScopeKey, field: str, day: dt.date) -> Judged:
    one = Field.model_validate_json(field)
    check = FieldCheck(one, FieldMapping.model_validate_json(mapping), scope_key.scope, day)
    frame = _beginning(chosen)
    checked = check.check_part(frame, frame[ROW])
    holds = checked.found.filter(holding())["row"]
    held = frame[ROW].is_in(holds.implode()) if len(holds) else pl.repeat(False, frame.height, eager=True)
    return Judged(checked.landed.values.set(held, None), held)


@lru_cache(maxsize=16)
def _landed(chosen: _ChosenRows, mapping: str, scope_key: _ScopeKey) -> Landed:
    return land(_beginning(chosen), FieldMapping.model_validate_json(mapping), scope_key.scope)
