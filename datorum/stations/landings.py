"""Quick looks: the first rows that count, and what fields land from them, remembered while a mapping is edited.

An edit lands anew only the fields that it touches, and whatever a sheet's size, no more rows than are worked on at a
time; the whole sheet is for Check.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import NamedTuple

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.check import FINDING_SCHEMA, Checker, FieldCheck, fed_lists, holding
from datorum.core.check.findings import Where
from datorum.core.formula import Budget, Scope
from datorum.core.model import Field, FieldMapping, FieldType, Mapping, RecordType
from datorum.core.plan.telling import Marks, how_many, marks_of, over_records, telling
from datorum.core.profile import ColumnProfile, profile
from datorum.core.shape import RowFilter, Selection
from datorum.core.shape.grains import RECORD, Grains, own_columns
from datorum.core.shape.whole import chosen
from datorum.core.steps.landing import Landed, Values, land
from datorum.core.table import FLAG, ROW
from datorum.stations.imports import Opened
from datorum.store import models
from datorum.store.database import session
from datorum.store.records import RecordRows, RecordSource

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
    """All records that do not go on, with the reason of each: the columns ``row`` and ``reason``."""
    if mapping.rows.everything and not now.revision:
        return pl.DataFrame(schema={"row": pl.Int64, "reason": pl.String})
    return _left_out(_chosen_rows(now, mapping))


def beginning(now: Opened, mapping: Mapping | None = None) -> Grains:
    """The first records that go on, of about as many rows as are worked on at a time."""
    return _beginning(_chosen_rows(now, mapping or now.mapping))


def beginning_of(now: Opened, path: str | None, fed: FieldMapping) -> pl.DataFrame:
    """Of the first records that go on the frame of a list, None: the records themselves, with all that a field sees."""
    return beginning(now).seen_from(path, fed.seen_columns())


def profiles_made(now: Opened, mapping: Mapping) -> dict[str, ColumnProfile]:
    """What the columns hold that the shape of a mapping makes of the sheet's, or that stand in other sheets."""
    return _profiles_made(_chosen_rows(now, mapping)) if mapping.shape else {}


def landed_field(now: Opened, mapping: Mapping, field: Field, fed: FieldMapping) -> Landed:
    """One field over the first records that go on, or over what they hold."""
    return _landed(*_field_key(now, mapping, fed), field.in_list)


class Judged(NamedTuple):
    """A field over the first records that go on, or what they hold: the values that the site takes, null where there
    is none, and whether what the field has holds the record."""

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


def reaching_table(now: Opened, mapping: Mapping, field: Field, fed: FieldMapping) -> pl.DataFrame:
    """The distinct values that reach a field's value table over the whole sheet, the commonest first: ``value`` and
    ``count``."""
    before = fed.model_copy(update=_NO_TABLE)
    if now.rows.whole or before.sees_row:
        return _counted([landed_field(now, mapping, field, before).values])
    settings = before.model_dump_json(exclude=_NOT_LANDING)
    return _reaching(_chosen_rows(now, mapping), settings, field.in_list)


def landed_counts(now: Opened, mapping: Mapping, field: Field, fed: FieldMapping, path: str = "") -> pl.DataFrame:
    """The distinct values that a field lands over the whole sheet, blank ones too: ``value`` and ``count``."""
    resolved = mapping.resolved(fed, path)
    settings = resolved.model_dump_json(exclude=_NOT_LANDING)
    return _landed_counts(
        _chosen_rows(now, mapping), settings, _ScopeKey(scope_of(now, mapping), resolved.sees_row), field.in_list
    )


@lru_cache(maxsize=32)
def _landed_counts(wanted: _ChosenRows, mapping: str, scope_key: _ScopeKey, in_list: str | None) -> pl.DataFrame:
    fed = FieldMapping.model_validate_json(mapping)
    with session() as store:
        counts = [
            land(frame, fed, scope_key.scope).values.alias("value").value_counts()
            for frame in _frames(store, wanted, in_list, fed)
        ]
    return pl.concat(counts).group_by("value", maintain_order=True).agg(pl.col("count").sum())


def _counted(values: Iterable[pl.Series]) -> pl.DataFrame:
    counts = [one.drop_nulls().alias("value").value_counts() for one in values]
    total = pl.concat(counts).group_by("value").agg(pl.col("count").sum())
    return total.sort(["count", "value"], descending=[True, False])


def telling_records(now: Opened, mapping: Mapping) -> list[int]:
    """The numbers of the fewest records that exercise every step, value and blank of a mapping, in the sheet's order.

    They are looked for among records spread evenly over the first that go on.
    """
    wanted = _chosen_rows(now, mapping)
    scope = scope_of(now, mapping)
    marks: list[Marks] = [_line_marks(wanted, path) for path in sorted(fed_lists(mapping, now.record_type))]
    for field in now.record_type.writable:
        fed = mapping.fields.get(field.path)
        if fed is not None and fed.fed:
            resolved = mapping.resolved(fed)
            settings = resolved.model_dump_json(exclude=_NOT_LANDING)
            marks.append(_marks(wanted, settings, _ScopeKey(scope, resolved.sees_row), field.in_list))
    records = _spread(wanted).records
    return sorted(records[RECORD].gather(telling(marks, records.height)).to_list())


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
    """What decides which records go on."""

    source: RecordSource
    rows: str
    scope_key: _ScopeKey

    def selection(self, store: Session) -> Selection:
        rows = RowFilter.model_validate_json(self.rows)
        return Selection(rows, left_out_by_hand(store, self.source.import_id), self.scope_key.scope)


def _chosen_rows(now: Opened, mapping: Mapping) -> _ChosenRows:
    scope_key = _ScopeKey(scope_of(now, mapping), bool(mapping.rows.formula.strip()))
    return _ChosenRows(now.source(mapping), mapping.rows.model_dump_json(), scope_key)


@lru_cache(maxsize=8)
def _beginning(wanted: _ChosenRows) -> Grains:
    with session() as store:
        records = RecordRows(store, wanted.source)
        return records.made(chosen(records.shapes, records.beginning(), wanted.selection(store)))


@lru_cache(maxsize=16)
def _profiles_made(wanted: _ChosenRows) -> dict[str, ColumnProfile]:
    grains = _beginning(wanted)
    found: dict[str, ColumnProfile] = {}
    for frame in (grains.records, *grains.lists.values()):
        columns = [name for name in own_columns(frame) if name not in found]
        with_flag = frame.select(ROW, pl.lit(None, dtype=pl.String).alias(FLAG), *columns)
        found |= profile(with_flag)
    return found


@lru_cache(maxsize=4)
def _left_out(wanted: _ChosenRows) -> pl.DataFrame:
    with session() as store:
        records = RecordRows(store, wanted.source)
        selection = wanted.selection(store)
        return pl.concat([chosen(records.shapes, frame, selection).left_out for frame in records.parts()])


_BLOCK = 128


class ShownField(NamedTuple):
    """One field of some records: what landed, for each its record, and what is ``found`` in it alone, with the columns
    of a findings frame."""

    landed: Landed | None
    records: pl.Series
    found: pl.DataFrame


def shown_field(now: Opened, mapping: Mapping, field: Field, numbers: Sequence[int]) -> ShownField:
    """One field of some records, fed or not, remembered while others are edited."""
    fed = mapping.fields.get(field.path)
    resolved = mapping.resolved(fed, field.path) if fed else FieldMapping()
    settings = resolved.model_dump_json(exclude=_NOT_LANDING)
    scope_key = _ScopeKey(scope_of(now, mapping), resolved.sees_row)
    if field.in_list and field.in_list not in fed_lists(mapping, now.record_type):
        return ShownField(None, pl.Series([], dtype=pl.Int64), pl.DataFrame(schema=FINDING_SCHEMA))
    asked = field.model_dump_json(), settings, scope_key, today()
    source = now.source(mapping)
    around = shown_together(source, tuple(numbers))
    whole = _checked_field(source, tuple(numbers if around is None else around), *asked)
    if around is None or whole.landed is None:
        return whole
    at = pl.DataFrame({"record": list(numbers)}, schema={"record": pl.Int64}).join(
        pl.DataFrame({"record": whole.records}).with_row_index("at"),
        on="record",
        how="inner",
        maintain_order="left_right",
    )
    landed = whole.landed
    part = Landed(Values(*(one.gather(at["at"]) for one in (landed.supplied, landed.values, landed.failed))))
    return ShownField(part, at["record"], whole.found.filter(pl.col("record").is_in(list(numbers))))


@lru_cache(maxsize=32)
def shown_together(source: RecordSource, numbers: tuple[int, ...]) -> pl.Series | None:
    """The records that are worked out with some, which takes little longer, and who walks on needs them next."""
    with session() as store:
        return RecordRows(store, source).around(numbers, _BLOCK)


@lru_cache(maxsize=512)
def _checked_field(
    source: RecordSource, numbers: tuple[int, ...], field: str, mapping: str, scope_key: _ScopeKey, day: dt.date
) -> ShownField:
    one = Field.model_validate_json(field)
    kind = RecordType(name="", title="", fields=(one,))
    fed = FieldMapping.model_validate_json(mapping)
    alone = Mapping(fields={one.path: fed})
    grains = shown_records(source, numbers)
    checked = Checker(kind, alone, day, scope_key.scope, only={one.path}).check_part(grains)
    found = pl.concat([pl.DataFrame(schema=FINDING_SCHEMA), *checked.found])
    return ShownField(checked.landed.get(one.path), checked.where[one.in_list].records, found)


@lru_cache(maxsize=16)
def shown_records(source: RecordSource, numbers: tuple[int, ...]) -> Grains:
    """Some records, remembered while they are looked at."""
    with session() as store:
        return RecordRows(store, source).of(numbers)


@lru_cache(maxsize=16)
def _reaching(wanted: _ChosenRows, mapping: str, in_list: str | None) -> pl.DataFrame:
    fed = FieldMapping.model_validate_json(mapping)
    with session() as store:
        if not wanted.source.plain:
            return _counted(land(frame, fed).values for frame in _frames(store, wanted, in_list, fed))
        frames = wanted.source.rows(store).of_columns(fed.columns)
        everything = not wanted.source.revision and wanted.rows == RowFilter().model_dump_json()
        out = None if everything else _left_out(wanted)["row"]
        if out is not None:
            frames = (frame.filter(~pl.col(ROW).is_in(out.implode())) for frame in frames)
        return _counted(land(frame, fed).values for frame in frames)


def _frames(store: Session, wanted: _ChosenRows, in_list: str | None, fed: FieldMapping) -> Iterator[pl.DataFrame]:
    """A grain of all records that go on, with all that a field sees."""
    records, selection = RecordRows(store, wanted.source), wanted.selection(store)
    for frame in records.parts():
        grains = records.made(chosen(records.shapes, frame, selection))
        yield grains.seen_from(in_list, fed.seen_columns())


@lru_cache(maxsize=8)
def _spread(wanted: _ChosenRows) -> Grains:
    grains = _beginning(wanted)
    records = grains.records[RECORD]
    every = max(len(records) // _TELLING_AMONG, 1)
    return grains if every == 1 else grains.filter_records(records.gather_every(every))


@lru_cache(maxsize=256)
def _marks(wanted: _ChosenRows, mapping: str, scope_key: _ScopeKey, in_list: str | None) -> Marks:
    fed, grains = FieldMapping.model_validate_json(mapping), _spread(wanted)
    frame = grains.seen_from(in_list, fed.seen_columns())
    marks = marks_of(frame, fed, scope_key.scope)
    return marks if grains.of(in_list) is grains.records else over_records(marks, frame, grains)


@lru_cache(maxsize=16)
def _line_marks(wanted: _ChosenRows, path: str) -> Marks:
    return how_many(_spread(wanted), path)


@lru_cache(maxsize=1024)
def _counts(wanted: _ChosenRows, mapping: str, scope_key: _ScopeKey, field: str, day: dt.date) -> JudgedCounts:
    values, held = _judged(wanted, mapping, scope_key, field, day)
    return JudgedCounts(len(values), len(values) - values.null_count(), int(held.sum()))


@lru_cache(maxsize=16)
def _judged(wanted: _ChosenRows, mapping: str, scope_key: _ScopeKey, field: str, day: dt.date) -> Judged:
    one, fed = Field.model_validate_json(field), FieldMapping.model_validate_json(mapping)
    if one.type is FieldType.FILE:
        # Which files are here changes without the mapping: the check holds values against them.
        one = one.model_copy(update={"type": FieldType.TEXT})
    frame = _beginning(wanted).seen_from(one.in_list, fed.seen_columns())
    # Of no interest is where it stands, only which of them it is.
    places = pl.int_range(frame.height, dtype=pl.Int64, eager=True)
    checked = FieldCheck(one, fed, scope_key.scope, day).check_part(frame, Where(places, places))
    holds = checked.found.filter(holding())["row"]
    held = places.is_in(holds.implode()) if len(holds) else pl.repeat(False, frame.height, eager=True)
    return Judged(checked.landed.values.set(held, None), held)


@lru_cache(maxsize=16)
def _landed(wanted: _ChosenRows, mapping: str, scope_key: _ScopeKey, in_list: str | None) -> Landed:
    fed = FieldMapping.model_validate_json(mapping)
    return land(_beginning(wanted).seen_from(in_list, fed.seen_columns()), fed, scope_key.scope)
