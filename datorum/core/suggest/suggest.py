"""Which column feeds which field, and why: every pair is scored, and the whole assignment is made at once."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from collections.abc import Mapping as AnyMapping
from itertools import groupby

import numpy as np
import numpy.typing as npt
import polars as pl
from pydantic import BaseModel

from datorum.core.assignment import best_pairs
from datorum.core.formula.amount import plain_number
from datorum.core.model import Field, FieldMapping, FieldType, Mapping, RecordType, ValueTable
from datorum.core.profile import ColumnProfile
from datorum.core.steps import Arithmetic
from datorum.core.steps.landing import land
from datorum.core.suggest.by_values import Held, told_by_values
from datorum.core.suggest.chosen import Chosen
from datorum.core.suggest.confidence import as_share, odds, weights
from datorum.core.suggest.evidence import Evidence, beside
from datorum.core.suggest.names import Names, spoken, tokens
from datorum.core.suggest.pairs import mend_pairs
from datorum.core.suggest.parts import joins, name_parts, names_a_person, splits
from datorum.core.suggest.people import names_of_people
from datorum.core.suggest.steps import suggest_pairs, suggest_steps, times
from datorum.core.suggest.units import NO_CHANGE, change_of_unit, change_to_the_sites

THRESHOLD = 0.62
"""Below this nothing is proposed: a wrong suggestion is worse than none."""
_AS_BEFORE, _NEVER = 4.0, 30.0
"""The logarithms of the odds of what was chosen before, and of what was refused."""
_CANNOT, _MOST_DO_NOT = 5.0, 0.55
"""What it counts, of the same kind, that more than this share of a column's values cannot stand in a field."""
_SAYS_ANOTHER = 2.0
"""The same where every word of a header is known, and of a field, and they have nothing in common."""
_BY_NAME, _BY_LETTERS = 0.35, 0.9
"""Below this a header says nothing of a field; what feeds it then is what is left for it."""
_PLAINLY = 0.8
_WORTH_TELLING = 0.03
_SOON = 10_000
"""As many pairs can be weighed while a person waits for one field; of more, those of the field alone are."""
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
    """Every column against every field of a record type: how sure each pair is, 0 to 1."""

    def __init__(self, record_type: RecordType, profiles: AnyMapping[str, ColumnProfile], chosen: Chosen) -> None:
        self.fields = list(record_type.writable)
        self.columns = list(profiles)
        self._seen = Evidence(self.fields, profiles, Names(self.columns, self.fields, record_type.name))
        nothing = np.zeros((len(self.fields), len(self.columns)), dtype=bool)
        self._before = self._asked(chosen.was_fed) if chosen else nothing
        refused = self._asked(chosen.was_refused) if chosen else nothing
        weighed = weights()
        alone = self._seen.alone()
        by_themselves = np.where(refused, -_NEVER, odds(alone, weighed.alone))
        by_themselves = np.where(self._before, np.maximum(by_themselves, _AS_BEFORE), by_themselves)
        self._beside = beside(by_themselves, self._seen)
        both = np.concatenate([by_themselves[..., None], alone, self._beside], axis=-1)
        together = odds(both, weighed.together) - _CANNOT * (self._seen.bad > _MOST_DO_NOT)
        together -= _SAYS_ANOTHER * self._seen.contradiction
        together = np.where(self._before, np.maximum(together, _AS_BEFORE), together)
        together = np.where(self._is_vague(), np.minimum(together, 0.0), together)
        self.scores = np.where(refused, 0.0, as_share(together))

    def _is_vague(self) -> npt.NDArray[np.bool_]:
        """Pairs that no names speak for, and which another of the same field or column is as likely as."""
        nearest = np.maximum(self._seen.name, _BY_LETTERS * self._seen.letters)
        over_others = self._beside[..., :2].min(axis=-1)
        return np.asarray((nearest < _BY_NAME) & (over_others < _PLAINLY) & ~self._before)

    def _asked(self, ask: Callable[[str, Sequence[str]], bool]) -> npt.NDArray[np.bool_]:
        """What is answered of each pair of a field and a column."""
        answers = [[ask(field.path, (column,)) for column in self.columns] for field in self.fields]
        return np.array(answers, dtype=bool).reshape(len(self.fields), len(self.columns))

    def candidate(self, row: int, at: int) -> Candidate:
        """The pair as a candidate with its reasons."""
        fit = self._seen.fit(row, at)
        reasons = [_alike(self._nearest(row, at))] if self._is_named(row, at) else []
        if self._before[row, at]:
            reasons = ["as in an earlier import"]
        if fit.words:
            reasons.append(fit.words)
        if self._is_between(row, at) and not self._before[row, at]:
            reasons.append("its neighbours fit, too")
        if not reasons or (not self._is_named(row, at) and not self._before[row, at]):
            reasons.append("no other that is left fits better")
        return Candidate(
            columns=(self.columns[at],), score=round(float(self.scores[row, at]), 3), reasons=tuple(reasons)
        )

    def _nearest(self, row: int, at: int) -> float:
        return float(max(self._seen.name[row, at], _BY_LETTERS * self._seen.letters[row, at]))

    def _is_named(self, row: int, at: int) -> bool:
        return self._nearest(row, at) >= _BY_NAME

    def _is_between(self, row: int, at: int) -> bool:
        before, behind, between = self._beside[row, at, 2:5]
        return bool(before or behind or between > _BY_NAME)

    def is_by_name(self, path: str, column: str) -> bool:
        """Whether a column feeds a field because of what both are called, or did before."""
        row, at = [field.path for field in self.fields].index(path), self.columns.index(column)
        return bool(self._before[row, at]) or self._is_named(row, at)

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
    record_type: RecordType,
    path: str,
    profiles: AnyMapping[str, ColumnProfile],
    limit: int = 3,
    chosen: Chosen | None = None,
) -> list[Candidate]:
    """The likeliest feeds of one field of a record type, best first, whatever else they might feed."""
    field = record_type.field(path)
    if len(record_type.writable) * len(profiles) > _SOON:
        record_type = record_type.model_copy(update={"fields": (field,)})
    scored = Scored(record_type, profiles, chosen or Chosen())
    paths = [one.path for one in scored.fields]
    if path not in paths:
        return []
    row = paths.index(path)
    found = [scored.candidate(row, at) for at in range(len(scored.columns)) if scored.scores[row, at] >= _WORTH_TELLING]
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
    scored = Scored(record_type, profiles, chosen)
    assigned = scored.assigned(fields)
    named = {path: one for path, one in assigned.items() if scored.is_by_name(path, one.columns[0])}
    fields |= {path: feed(by_path[path], candidate, frame, profiles) for path, candidate in named.items()}
    _join(record_type, fields, frame, profiles)
    _split(record_type, fields, profiles)
    _by_values(record_type, fields, frame, profiles, held or {})
    _by_mail(record_type, fields, frame, profiles)
    used = {column for fed in fields.values() for column in fed.columns}
    for path, candidate in assigned.items():
        if path not in fields and used.isdisjoint(candidate.columns):
            fields[path] = feed(by_path[path], candidate, frame, profiles)
    _in_the_sites_units(record_type, fields, profiles, held or {})
    mend_pairs(record_type, fields, frame, profiles)
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
            # One of the columns alone says less than all of them, however sure it is.
            surer = now is not None and _sureness(now) > join.score and not set(now.columns) < set(join.columns)
            if users - {field.path} or surer:
                continue
            candidate = Candidate(columns=join.columns, score=join.score, reasons=join.reasons)
            fields[field.path] = feed(field, candidate, frame, profiles)
            break


def _split(record_type: RecordType, fields: dict[str, FieldMapping], profiles: AnyMapping[str, ColumnProfile]) -> None:
    """Feed several fields by the parts of one column, where nothing surer feeds them, nor the column another field."""
    for column, parts in groupby(splits(list(record_type.writable), profiles), key=lambda split: split.column):
        into = {part.path: part for part in parts}
        users = {path for path, mapping in fields.items() if column in mapping.columns}
        others = {path: fields[path] for path in into if path in fields and fields[path].columns != (column,)}
        surer = any(_sureness(other) >= into[path].score for path, other in others.items())
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


def _in_the_sites_units(
    record_type: RecordType,
    fields: dict[str, FieldMapping],
    profiles: AnyMapping[str, ColumnProfile],
    held: Held,
) -> None:
    """Bring weights and volumes into the unit in which the site's own records have them, where nothing names one."""
    for field in record_type.writable:
        fed = fields.get(field.path)
        if fed is None or fed.score is None or len(fed.columns) != 1 or not _MEASURED & set(tokens(field.path)):
            continue
        if any(isinstance(step, Arithmetic) for step in fed.steps):
            continue
        of_site = [float(value) for value in held.get(field.path, ()) if plain_number(value, ".") is not None]
        change = change_to_the_sites(profiles[fed.columns[0]], of_site)
        if change.why:
            update = {"steps": (*fed.steps, *times(change.times)), "reasons": (*fed.reasons, change.why)}
            fields[field.path] = fed.model_copy(update=update)


_MEASURED = {"weight", "volume"}


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
    change = change_of_unit(profiles[candidate.columns[0]], field) if field.type in _NUMBERS else NO_CHANGE
    if change.times != 1:
        mapping = mapping.model_copy(update={"reasons": (*mapping.reasons, change.why)})
    if field.enum and field.type is not FieldType.LIST:
        return mapping.model_copy(update={"value_table": suggest_table(field, mapping, frame)})
    return mapping


_NUMBERS = (FieldType.NUMBER, FieldType.INTEGER)


def suggest_table(field: Field, mapping: FieldMapping, frame: pl.DataFrame) -> ValueTable:
    """The pairs that are beyond doubt for the values a mapping's steps give."""
    values = land(frame, mapping.model_copy(update={"value_table": None})).values.drop_nulls().unique().sort()
    return suggest_pairs(values.to_list(), field.enum, set(tokens(field.path)))
