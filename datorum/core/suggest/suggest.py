"""Which column feeds which field, and why."""

from __future__ import annotations

import polars as pl
from pydantic import BaseModel

from datorum.core.model import Field, FieldMapping, FieldType, Mapping, RecordType, ValueTable
from datorum.core.profile import ColumnProfile
from datorum.core.steps.landing import land
from datorum.core.suggest.countries import COUNTRY_CODES
from datorum.core.suggest.names import name_score, tokens
from datorum.core.suggest.steps import suggest_pairs, suggest_steps

THRESHOLD = 0.72
"""Below this nothing is proposed: a wrong suggestion is worse than none."""


class Candidate(BaseModel, frozen=True):
    """Columns that could feed a field, with a score from 0 to 1 and the reasons in words."""

    columns: tuple[str, ...]
    score: float
    reasons: tuple[str, ...]


def candidates(field: Field, profiles: dict[str, ColumnProfile], limit: int = 4) -> list[Candidate]:
    """The likeliest feeds of one field, best first."""
    found = [_judge(field, profile) for profile in profiles.values()]
    joined = _full_name(field, profiles)
    if joined:
        found.append(joined)
    found = [candidate for candidate in found if candidate.score >= 0.3]
    return sorted(found, key=lambda candidate: -candidate.score)[:limit]


def suggest(record_type: RecordType, frame: pl.DataFrame, profiles: dict[str, ColumnProfile]) -> Mapping:
    """A mapping with every feed beyond the threshold, each column used once, steps and value tables included."""
    scored = [
        (candidate.score, field, candidate)
        for field in record_type.writable
        for candidate in candidates(field, profiles)
        if candidate.score >= THRESHOLD
    ]
    fields: dict[str, FieldMapping] = {}
    taken: set[str] = set()
    for _, field, candidate in sorted(scored, key=lambda item: (-item[0], item[1].path)):
        if field.path in fields or taken & set(candidate.columns):
            continue
        fields[field.path] = feed(field, candidate, frame, profiles)
        taken |= set(candidate.columns)
    keys = [path for path in record_type.key_candidates if path in fields]
    keys.sort(key=lambda path: record_type.field(path).format != "email")
    return Mapping(fields=fields, match_key=keys[0] if keys else None)


def feed(field: Field, candidate: Candidate, frame: pl.DataFrame, profiles: dict[str, ColumnProfile]) -> FieldMapping:
    """The mapping of one field from a candidate, with the steps and value table that make its values fit."""
    mapping = FieldMapping(
        columns=candidate.columns,
        steps=suggest_steps(field, [profiles[name] for name in candidate.columns]),
        score=candidate.score,
        reasons=candidate.reasons,
    )
    if field.enum:
        return mapping.model_copy(update={"value_table": suggest_table(field, mapping, frame)})
    return mapping


def suggest_table(field: Field, mapping: FieldMapping, frame: pl.DataFrame) -> ValueTable:
    """The pairs that are beyond doubt for the values a mapping's steps give."""
    values = land(frame, mapping.model_copy(update={"value_table": None})).values.drop_nulls().unique().sort()
    known = COUNTRY_CODES if _is_country(field) else {}
    return suggest_pairs(values.to_list(), field.enum, known)


def _is_country(field: Field) -> bool:
    return "country" in tokens(field.path)


def _judge(field: Field, profile: ColumnProfile) -> Candidate:
    name = name_score(profile.name, field)
    fits, why = _values_fit(field, profile)
    score = name if fits is None else name * (0.8 + 0.2 * fits) if fits >= 0.5 else name * fits
    reasons = [f"name {name:.2f}"]
    if why:
        reasons.append(why)
    return Candidate(columns=(profile.name,), score=round(score, 3), reasons=tuple(reasons))


def _values_fit(field: Field, profile: ColumnProfile) -> tuple[float | None, str]:
    """How well the values fit the field's type, 0 to 1, and the same in words; None where the type says nothing."""
    if not profile.filled:
        return 0.5, "no values"
    match field.type:
        case FieldType.DATE | FieldType.DATE_TIME:
            return profile.dates, f"dates {profile.dates:.2f}"
        case FieldType.INTEGER | FieldType.NUMBER:
            return profile.numbers, f"numbers {profile.numbers:.2f}"
        case FieldType.BOOLEAN:
            return profile.yes_no, f"yes or no {profile.yes_no:.2f}"
    if field.format == "email":
        return profile.emails, f"looks like e-mail {profile.emails:.2f}"
    return None, ""


def _full_name(field: Field, profiles: dict[str, ColumnProfile]) -> Candidate | None:
    """First name and surname together, where a field wants a whole name and the sheet keeps it in two columns."""
    if tokens(field.path)[-1:] != ["name"] or field.type is not FieldType.TEXT:
        return None
    given = [name for name in profiles if tokens(name)[:1] == ["given"]]
    family = [name for name in profiles if tokens(name)[:1] == ["family"]]
    if not given or not family:
        return None
    return Candidate(columns=(given[0], family[0]), score=0.9, reasons=("first name and surname make a name",))
