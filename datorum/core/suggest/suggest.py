"""Which column feeds which field, and why: every pair is scored, and the whole assignment is made at once."""

from __future__ import annotations

from collections.abc import Mapping as AnyMapping
from itertools import groupby

import numpy as np
import numpy.typing as npt
import polars as pl
from pydantic import BaseModel

from datorum.core.assignment import best_pairs
from datorum.core.model import Field, FieldMapping, FieldType, Mapping, RecordType, ValueTable
from datorum.core.profile import ColumnProfile
from datorum.core.steps.landing import land
from datorum.core.suggest.by_values import Held, told_by_values
from datorum.core.suggest.chosen import Chosen
from datorum.core.suggest.fit import Fit, values_fit
from datorum.core.suggest.names import Names, spoken, tokens
from datorum.core.suggest.parts import joins, name_parts, names_a_person, splits
from datorum.core.suggest.people import names_of_people
from datorum.core.suggest.steps import suggest_pairs, suggest_steps

THRESHOLD = 0.62
"""Below this nothing is proposed: a wrong suggestion is worse than none."""
_NEIGHBOURS = 0.05
_BEYOND_DOUBT = 0.8
_USUAL_KEYS = ("sku", "email", "slug", "gtin", "login", "code", "key", "number", "id")
_ALL_DIFFER = 0.98


class Candidate(BaseModel, frozen=True):
    """Columns that could feed a field, with a score from 0 to 1 and the reasons in words."""

    columns: tuple[str, ...]
    score: float
    reasons: tuple[str, ...]


def _alike(score: float) -> str:
    """How alike a header and a field's name are, in words."""
    if score >= 0.97:
        return "the same name"
    return "another name for the same" if score >= 0.8 else "a similar name" if score >= 0.5 else "a distant name"


class Scored:
    """Every column against every field of a record type."""

    def __init__(self, record_type: RecordType, profiles: AnyMapping[str, ColumnProfile], chosen: Chosen) -> None:
        self.fields = list(record_type.writable)
        self.columns = list(profiles)
        self._profiles = profiles
        self._names = np.zeros((len(self.fields), len(self.columns)))
        self._fits: dict[tuple[int, int], Fit] = {}
        self.scores = np.zeros_like(self._names)
        self._before = np.zeros_like(self._names, dtype=bool)
        self._read = Names(self.columns, self.fields, record_type.name)
        for row, field in enumerate(self.fields):
            for at, column in enumerate(self.columns):
                self._score(row, at, field, column, chosen)
        self._neighbours: npt.NDArray[np.float64] = _beside(self.scores)
        near = (self.scores > 0.35) & (self.scores < 0.97)
        self.scores = np.where(near, np.minimum(self.scores + self._neighbours, 0.98), self.scores)

    def _score(self, row: int, at: int, field: Field, column: str, chosen: Chosen) -> None:
        if chosen.was_refused(field.path, (column,)):
            return
        name = self._read.score(column, field)
        if chosen.was_fed(field.path, (column,)):
            self._before[row, at] = True
            name = max(name, 0.97)
        self._names[row, at] = name
        if name < 0.2:
            return
        fit = self._fits[row, at] = values_fit(field, self._profiles[column])
        self.scores[row, at] = _together(name, fit)

    def candidate(self, row: int, at: int) -> Candidate:
        """The pair as a candidate with its reasons."""
        fit = self._fits.get((row, at), Fit(None))
        reasons = [_alike(float(self._names[row, at]))]
        if self._before[row, at]:
            reasons = ["as in an earlier import"]
        if fit.words:
            reasons.append(fit.words)
        if self._neighbours[row, at] > 0.01 and not self._before[row, at]:
            reasons.append("its neighbour fits, too")
        return Candidate(
            columns=(self.columns[at],), score=round(float(self.scores[row, at]), 3), reasons=tuple(reasons)
        )

    def assigned(self, settled: AnyMapping[str, FieldMapping]) -> dict[str, Candidate]:
        """Each field's best column when every column is used at most once, beside those that are settled."""
        if not self.columns or not self.fields:
            return {}
        # Squares make two good pairs worth more than one excellent and one poor.
        worth = np.where(self.scores >= THRESHOLD, self.scores**2, 0.0)
        used = {column for fed in settled.values() for column in fed.columns}
        worth[[field.path in settled for field in self.fields], :] = 0.0
        worth[:, [column in used for column in self.columns]] = 0.0
        rows, columns = best_pairs(worth)
        return {
            self.fields[row].path: self.candidate(row, at)
            for row, at in zip(rows, columns, strict=True)
            if worth[row, at] > 0
        }


def candidates(
    field: Field,
    profiles: AnyMapping[str, ColumnProfile],
    limit: int = 4,
    kind: str = "",
    chosen: Chosen | None = None,
) -> list[Candidate]:
    """The likeliest feeds of one field, best first."""
    scored = Scored(RecordType(name=kind, title=kind, fields=(field,)), profiles, chosen or Chosen())
    if not scored.fields:
        return []
    found = [scored.candidate(0, at) for at in range(len(scored.columns)) if scored.scores[0, at] >= 0.3]
    found += [Candidate(columns=j.columns, score=j.score, reasons=j.reasons) for j in joins(field, profiles)]
    return sorted(found, key=lambda candidate: -candidate.score)[:limit]


def suggest(
    record_type: RecordType,
    frame: pl.DataFrame,
    profiles: AnyMapping[str, ColumnProfile],
    chosen: Chosen | None = None,
    held: Held | None = None,
) -> Mapping:
    """A mapping with what was chosen before as it was, then every feed beyond the threshold, each column used once,
    steps and value tables included.

    ``frame`` holds the sheet's rows, or enough of them to know the values of columns with few. ``held``: values that
    the site's own records have, by the paths of fields.
    """
    chosen = chosen or Chosen()
    by_path = {field.path: field for field in record_type.writable}
    fields: dict[str, FieldMapping] = {}
    for path, fed in chosen.feeds(frame):
        if path in by_path and path not in fields:
            fields[path] = _with_new_values(by_path[path], fed, frame)
    assigned = Scored(record_type, profiles, chosen).assigned(fields)
    fields |= {path: feed(by_path[path], candidate, frame, profiles) for path, candidate in assigned.items()}
    _join(record_type, fields, frame, profiles)
    _split(record_type, fields, profiles)
    _by_values(record_type, fields, frame, profiles, held or {})
    _by_mail(record_type, fields, frame, profiles)
    in_order = {
        path: fields[path] for path in by_path if path in fields and not chosen.was_refused(path, fields[path].columns)
    }
    return Mapping(fields=in_order, match_key=_match_key(record_type, fields, profiles))


def _match_key(
    record_type: RecordType, fields: dict[str, FieldMapping], profiles: AnyMapping[str, ColumnProfile]
) -> str | None:
    """A fed field that the site keeps unique, an e-mail first; else, of a site that does not say, one by the name of a
    usual key whose column has no value twice."""
    keys = [path for path in record_type.key_candidates if path in fields]
    if keys:
        return min(keys, key=lambda path: record_type.field(path).format != "email")
    for name in _USUAL_KEYS:
        for path in record_type.possible_keys:
            columns = fields[path].columns if path in fields else ()
            if tokens(path) == (name,) and len(columns) == 1 and profiles[columns[0]].unique > _ALL_DIFFER:
                return path
    return None


def _join(
    record_type: RecordType,
    fields: dict[str, FieldMapping],
    frame: pl.DataFrame,
    profiles: AnyMapping[str, ColumnProfile],
) -> None:
    """Feed a field by several columns where none of them feeds a field of its own."""
    for field in record_type.writable:
        for join in joins(field, profiles):
            users = {path for path, mapping in fields.items() if set(mapping.columns) & set(join.columns)}
            now = fields.get(field.path)
            if users - {field.path} or (now is not None and _sureness(now) > join.score):
                continue
            candidate = Candidate(columns=join.columns, score=join.score, reasons=join.reasons)
            fields[field.path] = feed(field, candidate, frame, profiles)
            break


def _split(record_type: RecordType, fields: dict[str, FieldMapping], profiles: AnyMapping[str, ColumnProfile]) -> None:
    """Feed several fields by the parts of one column, where nothing surer feeds them, nor the column another field."""
    for column, parts in groupby(splits(list(record_type.writable), profiles), key=lambda split: split.column):
        into = {part.path: part for part in parts}
        users = {path for path, mapping in fields.items() if column in mapping.columns}
        surer = any(path in fields and _sureness(fields[path]) >= part.score for path, part in into.items())
        if surer or users - into.keys():
            continue
        for path, part in into.items():
            fields[path] = FieldMapping(columns=(column,), steps=part.steps, score=part.score, reasons=part.reasons)


def _by_values(
    record_type: RecordType,
    fields: dict[str, FieldMapping],
    frame: pl.DataFrame,
    profiles: AnyMapping[str, ColumnProfile],
    held: Held,
) -> None:
    """Feed what is left by what columns hold, whatever they are called."""
    fed = {path: one.columns for path, one in fields.items()}
    for told in told_by_values(list(record_type.writable), fed, frame, profiles, spoken(profiles), held):
        candidate = Candidate(columns=(told.column,), score=told.score, reasons=told.reasons)
        fields[told.path] = feed(record_type.field(told.path), candidate, frame, profiles)


def _by_mail(
    record_type: RecordType,
    fields: dict[str, FieldMapping],
    frame: pl.DataFrame,
    profiles: AnyMapping[str, ColumnProfile],
) -> None:
    """Feed the name of a person by columns that no other field uses and that hold such names."""
    unfed = [field for field in record_type.writable if field.path not in fields]
    places = {part: field for field in unfed for part in _PARTS_OF_NAMES if names_a_person(field) == part}
    if not places:
        return
    used = {column for fed in fields.values() for column in fed.columns}
    columns = names_of_people(frame, profiles, [name for name in profiles if name not in used])
    reasons = ("the names stand in the e-mail addresses of the same rows",)
    if columns and "name" in places:
        whole = Candidate(columns=tuple(columns), score=0.7, reasons=reasons)
        fields[places["name"].path] = feed(places["name"], whole, frame, profiles)
    elif len(columns) == 2:
        for part, column in zip(("given", "family"), columns, strict=True):
            if part in places:
                fed = Candidate(columns=(column,), score=0.7, reasons=reasons)
                fields[places[part].path] = feed(places[part], fed, frame, profiles)
    elif columns:
        for split in name_parts(columns[0], profiles[columns[0]], places, reasons):
            fields[split.path] = FieldMapping(
                columns=(split.column,), steps=split.steps, score=0.7, reasons=split.reasons
            )


_PARTS_OF_NAMES = ("name", "given", "family")


def _sureness(fed: FieldMapping) -> float:
    """How sure a feed is, 0 to 1; what people chose is surer than anything."""
    return 1.0 if fed.score is None else fed.score


def _with_new_values(field: Field, fed: FieldMapping, frame: pl.DataFrame) -> FieldMapping:
    """A feed that was used before, its value table with what is beyond doubt of values that it has not met."""
    if fed.value_table is None or fed.value_table.otherwise != "hold":
        return fed
    met = suggest_table(field, fed, frame).pairs | fed.value_table.pairs
    return fed.model_copy(update={"value_table": fed.value_table.model_copy(update={"pairs": met})})


def _together(name: float, fit: Fit) -> float:
    """A name and a fit as one score."""
    if fit.share is None:
        return name * 0.97
    if fit.share >= 0.75:
        return name + (1 - name) * 0.5 * fit.telling * fit.share if name >= 0.35 else name
    if fit.share >= 0.5:
        return name * 0.96
    return name * (0.3 + 0.9 * fit.share)


def _beside(scores: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """What a pair gains where the fields beside it fit the columns beside it beyond doubt."""
    sure = np.where(scores >= _BEYOND_DOUBT, _NEIGHBOURS, 0.0)
    gain = np.zeros_like(scores)
    gain[1:, 1:] = np.maximum(gain[1:, 1:], sure[:-1, :-1])
    gain[:-1, :-1] = np.maximum(gain[:-1, :-1], sure[1:, 1:])
    return gain


def feed(
    field: Field, candidate: Candidate, frame: pl.DataFrame, profiles: AnyMapping[str, ColumnProfile]
) -> FieldMapping:
    """The mapping of one field from a candidate, with the steps and value table that make its values fit."""
    mapping = FieldMapping(
        columns=candidate.columns,
        steps=suggest_steps(field, [profiles[name] for name in candidate.columns], profiles),
        score=candidate.score,
        reasons=candidate.reasons,
    )
    if field.enum and field.type is not FieldType.LIST:
        return mapping.model_copy(update={"value_table": suggest_table(field, mapping, frame)})
    return mapping


def suggest_table(field: Field, mapping: FieldMapping, frame: pl.DataFrame) -> ValueTable:
    """The pairs that are beyond doubt for the values a mapping's steps give."""
    values = land(frame, mapping.model_copy(update={"value_table": None})).values.drop_nulls().unique().sort()
    return suggest_pairs(values.to_list(), field.enum, set(tokens(field.path)))
