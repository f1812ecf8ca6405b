"""Which column feeds which field by what it holds, whatever it is called: where but one of what is left can be
meant."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import NamedTuple

import polars as pl

from datorum.core.model import Field, FieldType
from datorum.core.profile import ColumnProfile
from datorum.core.suggest.fit import values_fit
from datorum.core.suggest.lexicon import kinds_of_values
from datorum.core.suggest.names import Languages, is_understood, tokens

Held = Mapping[str, frozenset[str]]
"""By the paths of fields, values that records on the site have in them."""

_NEARLY_ALL = 0.9
_SCORE, _LESS_SURE = 0.7, 0.66
_HELD_SHARE, _FEWEST_HELD = 0.4, 8
_DATES = (FieldType.DATE, FieldType.DATE_TIME)


class Told(NamedTuple):
    """A column that feeds a field by its values, with the reasons in words."""

    path: str
    column: str
    score: float
    reasons: tuple[str, ...]


def told_by_values(
    fields: list[Field],
    fed: Mapping[str, tuple[str, ...]],
    frame: pl.DataFrame,
    profiles: Mapping[str, ColumnProfile],
    languages: Languages,
    held: Held,
) -> Iterator[Told]:
    """Feeds for what nothing feeds yet; ``fed``: by paths, the columns of what is fed. Each column and each field comes
    once."""
    now = {path: set(columns) for path, columns in fed.items()}
    for find in (_as_the_site_has, _of_a_kind):
        for told in find(fields, now, frame, profiles, languages, held):
            if told.path not in now and not any(told.column in columns for columns in now.values()):
                now[told.path] = {told.column}
                yield told


def _as_the_site_has(
    fields: list[Field], fed: Mapping[str, set[str]], frame: pl.DataFrame,
    profiles: Mapping[str, ColumnProfile], _languages: Languages, held: Held,
) -> Iterator[Told]:  # fmt: skip
    """Columns whose values stand in a field of the site's own records: its SKUs, its members' addresses."""
    used = {column for columns in fed.values() for column in columns}
    for field in fields:
        known = held.get(field.path, frozenset())
        if field.path in fed or field.enum or len(known) < _FEWEST_HELD or field.type is not FieldType.TEXT:
            continue
        shares = {name: _share_held(frame[name], known) for name in profiles if name not in used}
        likely = [name for name, (share, count) in shares.items() if share >= _HELD_SHARE and count >= _FEWEST_HELD]
        if len(likely) == 1:
            share, count = shares[likely[0]]
            why = f"{count:,} of its values stand in records of the site ({share:.0%})"
            yield Told(field.path, likely[0], _SCORE + 0.2 * share, (why,))


def _share_held(values: pl.Series, known: frozenset[str]) -> tuple[float, int]:
    distinct = values.drop_nulls().str.strip_chars().unique()
    count = sum(value in known for value in distinct)
    return (count / len(distinct) if len(distinct) else 0.0), count


def _of_a_kind(
    fields: list[Field], fed: Mapping[str, set[str]], _frame: pl.DataFrame,
    profiles: Mapping[str, ColumnProfile], languages: Languages, _held: Held,
) -> Iterator[Told]:  # fmt: skip
    """A column of a kind of value that one field takes: the only one of all, or of those that are left, where the
    column's header says nothing."""
    used = {column for columns in fed.values() for column in columns}
    for kind, takes in _telling().items():
        takers = [field for field in fields if takes(field)]
        having = [name for name, profile in profiles.items() if _share(profile, kind) > _NEARLY_ALL]
        left = [field for field in takers if field.path not in fed]
        unused = [name for name in having if name not in used]
        if len(left) != 1 or len(unused) != 1:
            continue
        fit = values_fit(left[0], profiles[unused[0]])
        words = fit.words or f"the values are of the kind {kind}"
        if len(takers) == len(having) == 1 and (kind not in _OF_MANY or not is_understood(unused[0], languages)):
            yield Told(left[0].path, unused[0], _SCORE, (words, "no other field takes them"))
        elif not is_understood(unused[0], languages) and (fit.share is None or fit.share > _NEARLY_ALL):
            yield Told(left[0].path, unused[0], _LESS_SURE, (words, "no other field that is left takes them"))
    yield from _of_its_values(fields, fed, profiles, languages)


def _of_its_values(
    fields: list[Field], fed: Mapping[str, set[str]], profiles: Mapping[str, ColumnProfile], languages: Languages
) -> Iterator[Told]:
    """A column of the values that one field takes and no other."""
    used = {column for columns in fed.values() for column in columns}
    unknown = [name for name in profiles if name not in used and not is_understood(name, languages)]
    for field in fields:
        if field.path in fed or len(field.enum) < 2:
            continue
        fits = {name: values_fit(field, profiles[name]) for name in unknown if profiles[name].distinct > 1}
        likely = [name for name, fit in fits.items() if fit.share is not None and fit.share > _NEARLY_ALL]
        others = [other for other in fields if other is not field and set(other.enum) & set(field.enum)]
        if len(likely) == 1 and not others:
            yield Told(field.path, likely[0], _SCORE, (fits[likely[0]].words, "no other field takes them"))


def _share(profile: ColumnProfile, kind: str) -> float:
    return profile.dates if kind == _DATE else profile.by_kind.get(kind, 0.0)


_DATE = "date"


def _telling() -> dict[str, Callable[[Field], bool]]:
    """Kinds of value that stand for themselves, each with the fields that take them."""

    def called(kind: str) -> Callable[[Field], bool]:
        meaning = {concept.split()[0] for concept, values in kinds_of_values().items() if values == kind}
        return lambda field: field.type is FieldType.TEXT and bool(meaning & set(tokens(field.path)))

    found = {kind: called(kind) for kind in dict.fromkeys(kinds_of_values().values()) if kind not in _NOT_BY_THEMSELVES}
    return found | {
        "e-mail": lambda field: field.format == "email",
        "web address": lambda field: field.format in ("uri", "url"),
        "yes or no": lambda field: field.type is FieldType.BOOLEAN,
        _DATE: lambda field: field.type in _DATES,
    }


_OF_MANY = (_DATE, "web address", "picture")
"""Kinds that many a concept has: a header that says one speaks against the field of another."""
_NOT_BY_THEMSELVES = ("postcode", "path", "list", "slug", "language")
"""Kinds that many a value has that is another: a number of four figures, any word with a stroke in it."""
