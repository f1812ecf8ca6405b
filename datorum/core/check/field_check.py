"""One field held to its rules, each distinct value once: of a frame or, where values recur, of the whole sheet."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator
from threading import Lock
from typing import NamedTuple

import numpy as np
import polars as pl

from datorum.core.check.findings import Where, findings_frame, no_findings
from datorum.core.check.named_files import NO_FILE, named_files
from datorum.core.check.powers import GIVES_POWER, gives_power
from datorum.core.check.rules import RULES
from datorum.core.check.shortcodes import SHORTCODE, left_in
from datorum.core.check.suspicious import suspicious
from datorum.core.files import Files
from datorum.core.formula import Scope
from datorum.core.model import Field, FieldMapping, FieldType
from datorum.core.numbering import Numbering, hashes_of
from datorum.core.passwords import HASH_AS_PASSWORD, NO_HASH, hash_for_password, without_hash
from datorum.core.said import said
from datorum.core.steps.coded import variety
from datorum.core.steps.landing import NO_VALUE_SET, Landed, Values, land
from datorum.core.typed import Typed

STEP = said(
    "step",
    "could not be read",
    "Change the step to one that reads this value, take such words as blank, or correct the rows.",
)
UNSET = said("no value set", "has no value set", "Set the value in the field's value table.")

_MOST_KNOWN = 50_000
"""As many distinct values of a field are remembered while a sheet is gone through."""
_RECURS = 3
_NO_FILES = Files()

_MARKS = {"at": pl.UInt32, "rule": pl.String, "value": pl.String, "message": pl.String, "blocks": pl.Boolean}


class CheckedField(NamedTuple):
    """One field of some rows: what landed; the sound ones among the distinct values as texts, null where one is not, of
    a file what stands for it; and what was found."""

    field: Field
    landed: Landed
    sound: pl.Series
    found: pl.DataFrame

    @property
    def sound_values(self) -> pl.Series:
        """The sound value of each row."""
        return self.landed.over_rows(self.sound)

    @property
    def sound_typed(self) -> pl.Series:
        """The sound ones among the distinct values, as values of the field's type."""
        return self.landed.typed(self.field).values.set(self.sound.is_null(), None)


class FieldCheck:
    """Lands a field of one frame after the other and holds it to its rules; several frames may be looked at at once."""

    def __init__(
        self, field: Field, mapping: FieldMapping, scope: Scope, today: dt.date, files: Files = _NO_FILES
    ) -> None:
        self._field = field
        self._files = files
        self._mapping = mapping
        self._scope = scope
        self._today = today
        self._known: _Known | None = None
        self._lock = Lock()
        # Of a field with no look at the rest of the row, what its columns have means the same in every row.
        self._by_value = bool(mapping.columns) and not mapping.sees_row

    def check_part(self, frame: pl.DataFrame, where: Where) -> CheckedField:
        """The field in the rows of a frame, which stand at these places."""
        known = self._of_known(frame)
        if known is not None:
            landed, judged = known
        else:
            landed = land(frame, self._mapping, self._scope)
            judged = self._judge(landed)
        return CheckedField(self._field, landed, judged.sound, _over_rows(where, self._field, landed, judged.marks))

    def _of_known(self, frame: pl.DataFrame) -> tuple[Landed, _Judged] | None:
        """From what is remembered; None where values recur too little for that."""
        columns = [frame[name] for name in self._mapping.columns if name in frame.columns]
        if not self._by_value or len(columns) < len(self._mapping.columns) or not frame.height:
            return None
        if self._known is None and any(variety(column) * _RECURS > frame.height for column in columns):
            self._by_value = frame.height < _RECURS
            return None
        with self._lock:
            self._known = self._known or _Known(self._learn)
        found = self._known.find(columns)
        if found is None:
            self._by_value = False
        return found

    def _learn(self, columns: list[pl.Series]) -> tuple[Values, _Judged]:
        distinct = land(pl.DataFrame({column.name: column for column in columns}), self._mapping, self._scope)
        each = Values(distinct.supplied, distinct.values, distinct.failed)
        return each, self._judge(Landed(each))

    def _judge(self, landed: Landed) -> _Judged:
        judged = _judge(self._field, self._mapping, landed, self._today)
        return _with_files(judged, self._files) if self._field.type is FieldType.FILE else judged


class _Judged(NamedTuple):
    """``typed``: distinct values as those of the field; ``sound``: their texts, null where one is not; ``marks``: what
    was found, ``at`` which of them."""

    typed: Typed
    sound: pl.Series
    marks: pl.DataFrame


class _Known:
    """What a field's columns had so far, each once, with what became of it."""

    def __init__(self, learn: Callable[[list[pl.Series]], tuple[Values, _Judged]]) -> None:
        self._learn = learn
        self._lock = Lock()
        self._numbering = Numbering()
        self._too_many = False
        # Where the numbers point.
        self._values: Values | None = None
        self._judged: _Judged | None = None

    def find(self, columns: list[pl.Series]) -> tuple[Landed, _Judged] | None:
        """What became of what each row has; None where there is too much of it to be remembered."""
        hashes = hashes_of(columns)
        with self._lock:
            if self._too_many:
                return None
            numbers, fresh = self._numbering.take(hashes)
            self._too_many = len(self._numbering) > _MOST_KNOWN
            if self._too_many:
                return None
            if len(fresh):
                self._meet([column.gather(fresh) for column in columns])
            assert self._values is not None
            assert self._judged is not None
            return Landed(self._values, pl.Series(numbers), self._judged.typed), self._judged

    def _meet(self, columns: list[pl.Series]) -> None:
        """Take in what was not seen before."""
        values, judged = self._learn(columns)
        if self._values is None or self._judged is None:
            self._values, self._judged = values, judged
            return
        marks = judged.marks.with_columns(pl.col("at") + len(self._values.values))
        self._values = Values(*(pl.concat(pair) for pair in zip(self._values, values, strict=True)))
        known = self._judged
        self._judged = _Judged(
            Typed(*(pl.concat(pair) for pair in zip(known.typed, judged.typed, strict=True))),
            pl.concat([known.sound, judged.sound]),
            pl.concat([known.marks, marks]),
        )


def _judge(field: Field, mapping: FieldMapping, landed: Landed, today: dt.date) -> _Judged:
    """Hold each distinct value to all rules."""
    values, typed = landed.distinct, landed.typed(field)
    marks = [pl.DataFrame(schema=_MARKS), *_unread(mapping, values)]
    sound = values.failed == 0
    for rule in RULES:
        if not rule.applies(field):
            continue
        broken = rule.breaks(field, typed).fill_null(False) & sound
        if rule.name != "required":
            broken = broken & values.values.is_not_null()
        if broken.any():
            messages = [rule.says(field, value or "") for value in values.values.filter(broken)]
            marks.append(_marks(broken, rule.name, values.values, messages, blocks=rule.blocks))
            sound = sound & ~broken
    good = values.values.set(~sound, None)
    power = gives_power(field, good)
    if power.any():
        told = ["makes somebody an administrator"] * int(power.sum())
        marks.append(_marks(power, GIVES_POWER, good, told, blocks=True))
    none = without_hash(field, values.values)
    if none.any():
        marks.append(_marks(none, NO_HASH, values.values, ["has no stored password"] * int(none.sum()), blocks=False))
    hashed = hash_for_password(field, good)
    if hashed.any():
        told = ["is a stored hash, which the site would take for the password itself"] * int(hashed.sum())
        marks.append(_marks(hashed, HASH_AS_PASSWORD, good, told, blocks=True))
    codes = left_in(field, mapping, good)
    if codes.null_count() < len(codes):
        marks.append(_marks(codes.is_not_null(), SHORTCODE, good, codes.drop_nulls().to_list(), blocks=False))
    for name, where, says in suspicious(field, good, today):
        marks.append(_marks(where, name, good, [says] * int(where.sum()), blocks=False))
    return _Judged(typed, good, pl.concat(marks))


def _with_files(judged: _Judged, files: Files) -> _Judged:
    """What was judged, with the files that values name in their place."""
    found = named_files(judged.sound, files)
    none = found.why.is_not_null()
    if not none.any():
        return judged._replace(sound=found.meant)
    marks = _marks(none, NO_FILE, judged.sound, found.why.filter(none).to_list(), blocks=True)
    return judged._replace(sound=found.meant, marks=pl.concat([judged.marks, marks]))


def _unread(mapping: FieldMapping, values: Values) -> Iterator[pl.DataFrame]:
    if not (values.failed > 0).any():
        return
    for number, step in enumerate(mapping.steps, 1):
        unread = values.failed == number
        if unread.any():
            messages = [step.problem(value or "") for value in values.supplied.filter(unread)]
            yield _marks(unread, STEP, values.supplied, messages, blocks=True)
    unset = values.failed == NO_VALUE_SET
    if unset.any():
        messages = ["has no value set"] * int(unset.sum())
        yield _marks(unset, UNSET, values.supplied, messages, blocks=True)


def _marks(where: pl.Series, rule: str, values: pl.Series, says: list[str], *, blocks: bool) -> pl.DataFrame:
    at = where.arg_true()
    columns = {"at": at, "rule": [rule] * len(at), "value": values.gather(at), "message": says}
    return pl.DataFrame({**columns, "blocks": [blocks] * len(at)}, schema=_MARKS)


def _over_rows(where: Where, field: Field, landed: Landed, marks: pl.DataFrame) -> pl.DataFrame:
    """What was found of distinct values, as findings on the rows that have them."""
    if not marks.height:
        return no_findings()
    bad = np.zeros(len(landed.distinct.values), dtype=bool)
    bad[marks["at"].to_numpy()] = True
    places = landed.places.to_numpy()
    here = np.flatnonzero(bad[places])
    if not len(here):
        return no_findings()
    hits = pl.DataFrame({"here": here, "at": pl.Series(places[here], dtype=pl.UInt32)})
    found = hits.join(marks, on="at", how="inner", maintain_order="left")
    parts = []
    for (rule, blocks), part in found.group_by("rule", "blocks", maintain_order=True):
        place = where.gather(part["here"])
        parts.append(findings_frame(place, field.path, str(rule), part["value"], part["message"], blocks=bool(blocks)))
    return pl.concat(parts)
