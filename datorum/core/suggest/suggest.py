"""A mapping for a sheet: which columns feed which field, by which steps, and why."""

from __future__ import annotations

from collections.abc import Callable
from collections.abc import Mapping as AnyMapping
from itertools import combinations, groupby

import polars as pl

from datorum.core.formula.amount import plain_number
from datorum.core.model import Field, FieldMapping, FieldType, Mapping, RecordType, ValueTable
from datorum.core.profile import ColumnProfile, profile
from datorum.core.steps import Arithmetic, Case, Html, Join, Trim
from datorum.core.steps.landing import land
from datorum.core.suggest.by_values import Held, told_by_values
from datorum.core.suggest.chosen import Chosen
from datorum.core.suggest.names import read_ahead, spoken, tokens
from datorum.core.suggest.pairs import mend_pairs
from datorum.core.suggest.parts import joins, name_parts, names_a_person, splits
from datorum.core.suggest.people import names_of_people
from datorum.core.suggest.scored import Candidate, Scored
from datorum.core.suggest.steps import suggest_pairs, suggest_steps, times
from datorum.core.suggest.units import NO_CHANGE, change_of_unit, change_to_the_sites
from datorum.core.table import FLAG, ROW

_LIKELY, _OFFERED = 0.05, 3
"""What is offered for a field: all columns that are likely, and in any case the best few."""
_SOON = 10_000
"""As many pairs can be weighed while a person waits for one field; of more, those of the field alone are."""
_USUAL_KEYS = ("sku", "email", "slug", "gtin", "login", "code", "key", "number", "id")
_ALL_DIFFER = 0.98


def warm_up() -> None:
    """Read what a suggestion goes by before anybody waits for one."""
    read_ahead()
    field = Field(path="name", title="Name")
    values = pl.DataFrame({ROW: [2], FLAG: [None], "Name": ["Ada Corfield"]}, schema_overrides={FLAG: pl.String})
    suggest(RecordType(name="people", title="People", fields=(field,)), values, profile(values))


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
    ranked = sorted(range(len(scored.columns)), key=lambda at: -scored.scores[row, at])
    offered = [at for place, at in enumerate(ranked) if place < _OFFERED or scored.scores[row, at] >= _LIKELY]
    found = [scored.candidate(row, at) for at in offered]
    found += [Candidate(columns=j.columns, score=j.score, reasons=j.reasons) for j in joins(field, profiles)]
    return sorted(found, key=lambda candidate: -candidate.score)[:limit]


def suggest(
    record_type: RecordType,
    frame: pl.DataFrame,
    profiles: AnyMapping[str, ColumnProfile],
    chosen: Chosen | None = None,
    held: Held | None = None,
) -> Mapping:
    """A mapping with what was chosen before as it was, but where a column is called just as the field, then every feed
    beyond the threshold, each column used once, steps and value tables included.

    ``frame`` holds the sheet's rows, or enough of them to know the values of columns with few. ``held``: values that
    the site's own records have, by the paths of fields.
    """
    chosen = chosen or Chosen()
    by_path = {field.path: field for field in record_type.writable}
    scored = Scored(record_type, profiles, chosen)
    fields: dict[str, FieldMapping] = {}
    for path, fed in chosen.feeds(frame):
        if path in by_path and path not in fields and not scored.is_fed_otherwise(path, fed.seen_columns()):
            fields[path] = _with_new_values(by_path[path], fed, frame)
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
    keys = likeliest_keys(record_type, fields, lambda names: _differ_in(names, frame, profiles))
    return Mapping(fields=in_order, match_key=next(iter(keys), None), key_with=keys[1:])


def likeliest_keys(
    record_type: RecordType, fields: AnyMapping[str, FieldMapping], unique: Callable[[tuple[str, ...]], float]
) -> tuple[str, ...]:
    """A fed field that the site keeps unique, an e-mail first, or several that it keeps so together; else, of a site
    that does not say, one by the name of a usual key whose column has no value twice, or a moment with whatever it
    takes beside it to tell rows apart. ``unique``: how many values columns have together for each row that has any, 0
    to 1."""
    keys = [path for path in record_type.key_candidates if path in fields]
    if keys:
        return (min(keys, key=lambda path: record_type.field(path).format != "email"),)
    together = [group for group in record_type.unique_together if fields.keys() >= set(group)]
    if together:
        return min(together, key=len)
    columns = {path: fed.columns[0] for path, fed in fields.items() if len(fed.columns) == 1}
    for name in _USUAL_KEYS:
        for path in record_type.possible_keys:
            if tokens(path) == (name,) and path in columns and unique((columns[path],)) > _ALL_DIFFER:
                return (path,)
    moments = [path for path in record_type.possible_keys if path in columns and _is_moment(record_type.field(path))]
    beside = [path for path in record_type.possible_keys if path in columns and _names_it(record_type.field(path))]
    for moment in moments:
        # By itself a moment is nobody's key, for all that its values differ.
        for others in (*((one,) for one in beside), *combinations(beside, 2)):
            if unique(tuple(columns[path] for path in (moment, *others))) > _ALL_DIFFER:
                return (moment, *others)
    return ()


def _differ_in(names: tuple[str, ...], frame: pl.DataFrame, profiles: AnyMapping[str, ColumnProfile]) -> float:
    """How many values some columns have together for each row, of which those of one are known of the whole sheet."""
    if len(names) == 1:
        return profiles[names[0]].unique
    rows = frame.select(names).drop_nulls()
    return rows.n_unique() / rows.height if rows.height else 0.0


def _is_moment(field: Field) -> bool:
    return field.type is FieldType.DATE_TIME


def _names_it(field: Field) -> bool:
    """Whether a field may tell records of the same moment apart: who or what it was, in few words."""
    short = field.max_length is None or field.max_length <= _FEW_WORDS
    return field.type is FieldType.TEXT and not field.enum and short and bool(_NAMING & set(tokens(field.path)))


_FEW_WORDS = 320
_NAMING = {"name", "email", "title", "author", "key", "code", "slug", "sku"}


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
    mapping = _tried(mapping, frame)
    change = change_of_unit(profiles[candidate.columns[0]], field) if field.type in _NUMBERS else NO_CHANGE
    if change.times != 1:
        mapping = mapping.model_copy(update={"reasons": (*mapping.reasons, change.why)})
    if field.enum and field.type is not FieldType.LIST:
        return mapping.model_copy(update={"value_table": suggest_table(field, mapping, frame)})
    return mapping


def _tried(mapping: FieldMapping, frame: pl.DataFrame) -> FieldMapping:
    """A feed with those of its steps that can read what its columns have: what a step would hold half of is better seen
    as it is."""
    if all(isinstance(step, _NEVER_FAIL) for step in mapping.steps):
        return mapping
    some = frame.head(_LOOKED_AT).unique(subset=mapping.columns, maintain_order=True).head(_TRIED)
    while mapping.steps:
        landed = land(some, mapping)
        filled = landed.supplied.is_not_null()
        if int((filled & (landed.failed != 0)).sum()) <= int(filled.sum()) / 2:
            break
        mapping = mapping.model_copy(update={"steps": mapping.steps[:-1]})
    return mapping


_LOOKED_AT, _TRIED = 2_000, 50
_NEVER_FAIL = (Trim, Case, Join, Html)
_NUMBERS = (FieldType.NUMBER, FieldType.INTEGER)


def suggest_table(field: Field, mapping: FieldMapping, frame: pl.DataFrame) -> ValueTable:
    """The pairs that are beyond doubt for the values a mapping's steps give."""
    values = land(frame, mapping.model_copy(update={"value_table": None})).values.drop_nulls().unique().sort()
    return suggest_pairs(values.to_list(), field.enum, set(tokens(field.path)))
