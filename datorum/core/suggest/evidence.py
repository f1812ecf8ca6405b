"""What speaks for a column feeding a field, and what against it, as numbers: what they are called, what the column
holds, and then what the other columns feed.

Everything is a table of fields × columns; what each of them counts is in ``confidence.toml``.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
import numpy.typing as npt

from datorum.core.model import Field, FieldType
from datorum.core.profile import ColumnProfile
from datorum.core.suggest.fit import Fit, asked_of_values, values_fit
from datorum.core.suggest.lexicon import FILLERS, kinds_of_values, known_concepts
from datorum.core.suggest.looks import CODE, FEW_WORDS, HANDLE, SENTENCES, WHOLE_NAME, looks
from datorum.core.suggest.meanings import in_words, meanings
from datorum.core.suggest.names import Languages, Names, letters_of, tokens

Table = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]
Parts = Mapping[str, Table]
"""What speaks for pairs, and against them, by what it is: tables of fields × columns."""
_OF_PEOPLE = {"author", "customer", "user", "contact", "billing", "shipping", "display"}


class Evidence:
    """What is known of each pair of a field and a column by the two alone."""

    def __init__(self, fields: Sequence[Field], profiles: Mapping[str, ColumnProfile], names: Names) -> None:
        self.fields, self.columns, self._profiles = fields, list(profiles), profiles
        shape = (len(fields), len(self.columns))
        named = [[names.score(column, field) for column in self.columns] for field in fields]
        self.name = np.array(named).reshape(shape)
        letters = meanings()
        headers = [in_words(column) for column in self.columns]
        of_headers = letters.of(headers).astype(np.float64)
        self.letters, self.spelling, known = np.zeros(shape), np.zeros(shape), np.zeros(len(fields))
        for said in _ways_to_say(fields):
            of_fields = letters.of(said).astype(np.float64)
            known = np.maximum(known, of_fields.max(axis=1, initial=0.0))
            self.letters = np.maximum(self.letters, _nearest(of_fields, of_headers))
            self.spelling = np.maximum(self.spelling, letters.spelled_alike(said, headers))
        understood = np.array([_is_known(column, names.languages) for column in self.columns]).reshape(-1)
        self.known_fields = np.maximum(known, [_is_known(field.path.replace(".", " "), ()) for field in fields])
        self.known_columns = np.maximum(of_headers.max(axis=1, initial=0.0), understood)
        wholly_columns = np.array([_is_wholly_known(column, names.languages) for column in self.columns])
        wholly_fields = np.array([_is_wholly_known(field.path.replace(".", " "), ()) for field in fields])
        self.nearest = np.maximum(self.name, self.letters)
        self.contradiction = wholly_fields[:, None] * wholly_columns[None, :] * (1 - self.nearest)
        self._asked = [asked_of_values(field) for field in fields]
        self._fits: dict[tuple[object, ...], list[Fit]] = {}
        self.good, self.bad = np.zeros(shape), np.zeros(shape)
        for row in range(len(fields)):
            self.good[row], self.bad[row] = _for_and_against(self._fits_of(row))
            # What the site does not accept as it is spelt may be what a value table gives.
            self.bad[row] *= _SPELT_OTHERWISE if fields[row].enum else 1.0
        self.looks_right, self.looks_wrong = _by_looks(fields, profiles)
        self.called_the_same = _called_the_same(fields, self.columns)

    def fit(self, row: int, at: int) -> Fit:
        """How well the values of a column fit a field."""
        return self._fits_of(row)[at]

    def _fits_of(self, row: int) -> list[Fit]:
        asked = self._asked[row]
        if asked not in self._fits:
            self._fits[asked] = [values_fit(self.fields[row], profile) for profile in self._profiles.values()]
        return self._fits[asked]

    def alone(self) -> Parts:
        """What the two of each pair say by themselves, by the names in ``confidence.toml``."""
        known = self.known_fields[:, None] * self.known_columns[None, :]
        return {
            "name": self.name,
            "same_name": (self.name >= 0.97).astype(float),
            "near_name": np.maximum(self.name - 0.6, 0.0),
            "very_near_name": np.maximum(self.name - 0.8, 0.0),
            "letters": self.letters,
            "letters_squared": self.letters**2,
            "spelling": self.spelling,
            "another_meaning": known * (1 - self.nearest),
            "another_meaning_for_sure": self.contradiction,
            "unknown_header": np.broadcast_to(1 - self.known_columns[None, :], self.name.shape),
            "unknown_field": np.broadcast_to(1 - self.known_fields[:, None], self.name.shape),
            "values_fit": self.good,
            "values_do_not_fit": self.bad,
            "looks_right": self.looks_right,
            "looks_wrong": self.looks_wrong,
        }


def _for_and_against(fits: list[Fit]) -> tuple[list[float], list[float]]:
    """What the fits of columns say for a field, and what against it, each 0 to 1."""
    good = [fit.telling * fit.share if fit.share is not None and fit.share >= _MOSTLY else 0.0 for fit in fits]
    bad = [1 - fit.share if fit.share is not None and fit.share < _MOSTLY else 0.0 for fit in fits]
    return good, bad


_MOSTLY = 0.75
_SPELT_OTHERWISE = 0.56
_ANCHORS, _FEWEST_ANCHORS = 5, 2


def together(log_odds: Table, seen: Evidence) -> Parts:
    """The same with what the other pairs say of each; ``log_odds``: the logarithms of the odds of all by themselves."""
    sure = _sure(log_odds)
    # What is left, and what lies between others, says little as long as little else is sure.
    needed = max(_FEWEST_ANCHORS, min(_ANCHORS, _MOST * min(log_odds.shape)))
    anchored = min(float(sure.sum()) / needed, 1.0) ** 2
    between = anchored * _between(sure)
    free_fields, free_columns = ~np.asarray(sure.any(axis=1)), ~np.asarray(sure.any(axis=0))
    left = anchored * ((seen.bad < 0.5) & free_fields[:, None] & free_columns[None, :]).astype(np.float64)
    only = left / (np.maximum(left.sum(axis=1, keepdims=True), 1) * np.maximum(left.sum(axis=0, keepdims=True), 1))
    unknown = 1 - np.broadcast_to(seen.known_columns[None, :], log_odds.shape)
    return {
        "alone": log_odds,
        **seen.alone(),
        "over_other_columns": np.clip(log_odds - best_other(log_odds), -4, 4),
        "over_other_fields": np.clip(log_odds - best_other(log_odds.T).T, -4, 4),
        "neighbour_before": anchored * _neighbours(sure, 1),
        "neighbour_behind": anchored * _neighbours(sure, -1),
        "between_neighbours": between,
        "only_one_left": only,
        "both_left": left,
        "both_left_unknown_header": left * unknown,
        "between_unknown_header": between * unknown,
        "between_values_fit": between * seen.good,
        "both_left_another_meaning": left * seen.contradiction,
    }


def best_other(odds: Table) -> Table:
    """Of each pair, the best that its row has in another place; that nothing is right may be as likely as anything."""
    if odds.shape[1] < 2:
        return np.full_like(odds, _NOTHING)
    order = np.sort(odds, axis=1)
    first, second = order[:, -1:], order[:, -2:-1]
    return np.maximum(np.where(odds == first, second, first), _NOTHING)


_NOTHING = -2.0


def _sure(odds: Table) -> Flags:
    """Pairs that are likely, and the likeliest of both their field and their column."""
    best = (odds == odds.max(axis=1, keepdims=True)) & (odds == odds.max(axis=0, keepdims=True))
    return np.asarray(best & (odds > 0.5))


def _neighbours(sure: Flags, by: int) -> Table:
    """1 where the field and the column before (``by`` 1) or behind (-1) are a sure pair."""
    found = np.zeros(sure.shape)
    if by > 0:
        found[1:, 1:] = sure[:-1, :-1]
    else:
        found[:-1, :-1] = sure[1:, 1:]
    return found


def _between(sure: Flags) -> Table:
    """Of each pair, 1 where the sure pairs nearest to its column on either side are nearest to its field as well; less
    where one side is, or where others lie between."""
    rows, columns = sure.shape
    field_of = np.full(columns, -1)
    for row, at in zip(*np.nonzero(sure), strict=True):
        field_of[at] = row
    taken = np.flatnonzero(field_of >= 0)
    fields = np.sort(field_of[taken])
    found = np.zeros(sure.shape)
    for at in range(columns):
        lower = taken[taken < at]
        upper = taken[taken > at]
        low = field_of[lower[-1]] if len(lower) else -1
        high = field_of[upper[0]] if len(upper) else rows
        if low < high and not ((fields > low) & (fields < high)).any():
            found[low + 1 : high, at] = 1 / max(high - low - 1, 1) ** 0.5
    return found


def _nearest(of_fields: Table, of_headers: Table) -> Table:
    """fields × headers: the likeness to the concept that both are likest to."""
    found = np.zeros((len(of_fields), len(of_headers)))
    for row, likeness in enumerate(of_fields):
        telling = likeness > _LEAST_LIKE
        if telling.any():
            found[row] = (of_headers[:, telling] * likeness[telling]).max(axis=1, initial=0.0)
    return found


_LEAST_LIKE = 0.25


def _ways_to_say(fields: Sequence[Field]) -> list[list[str]]:
    """What fields are called: by their paths, their own last parts, their titles."""
    shared = _shared([in_words(field.path).split() for field in fields])
    paths = [" ".join(word for word in in_words(field.path).split() if word not in shared) for field in fields]
    ends = [" ".join(w for w in in_words(field.path.rpartition(".")[2]).split() if w not in shared) for field in fields]
    titles = [in_words(field.title) for field in fields]
    return [paths, *(said for said in (ends, titles) if said != paths and any(said))]


def _shared(names: list[list[str]]) -> set[str]:
    """The word that nearly all names begin with."""
    first = [name[0] for name in names if len(name) > 1]
    return {word for word in set(first) if first.count(word) > _FEW and first.count(word) >= _MOST * len(names)}


_FEW, _MOST = 4, 0.7


def _called_the_same(fields: Sequence[Field], columns: Sequence[str]) -> Flags:
    """Pairs of a field and the only column that is called just as it: by its path, else by its title or the last part
    of its path where these are of no other field, or of no other of the record itself."""
    by_path = {letters_of(field.path): {row} for row, field in enumerate(fields)}
    by_end: dict[str, set[int]] = {}
    for row, field in enumerate(fields):
        for said in {letters_of(field.title), letters_of(field.path.rpartition(".")[2])} - {""}:
            by_end.setdefault(said, set()).add(row)
    said_by = [letters_of(column) for column in columns]
    found = np.zeros((len(fields), len(columns)), dtype=bool)
    for at, said in enumerate(said_by):
        rows = by_path.get(said) or by_end.get(said, set())
        own = {row for row in rows if not fields[row].in_list} or rows
        if len(own) == 1 and said_by.count(said) == 1:
            found[list(own), at] = True
    return found


def _is_known(name: str, languages: Languages) -> bool:
    return not known_concepts().isdisjoint(tokens(name, languages))


def _is_wholly_known(name: str, languages: Languages) -> bool:
    """Whether every word of a name says a concept that is known, or little."""
    telling = set(tokens(name, languages)) - FILLERS
    return bool(telling) and telling <= known_concepts()


def _by_looks(fields: Sequence[Field], profiles: Mapping[str, ColumnProfile]) -> tuple[Table, Table]:
    """What the looks of values say for a field, and against it."""
    kinds = [
        {**looks(profile), **{kind: share for kind, share in profile.by_kind.items() if kind in _STANDARD}}
        for profile in profiles.values()
    ]
    right, wrong = np.zeros((len(fields), len(profiles))), np.zeros((len(fields), len(profiles)))
    telling = np.array([max((found[kind] for kind in found.keys() & _TELLING), default=0.0) for found in kinds])
    for row, field in enumerate(fields):
        if field.type is FieldType.TEXT and not field.enum and not field.format and (wanted := _looked_for(field)):
            right[row] = [max((found[kind] for kind in found.keys() & wanted), default=0.0) for found in kinds]
            wrong[row] = np.where(right[row] > 0, 0.0, telling)
    return right, wrong


_TELLING = {"first name", WHOLE_NAME, "town", "street", "company", SENTENCES, CODE, FEW_WORDS, HANDLE}
_STANDARD = set(kinds_of_values().values())


def _looked_for(field: Field) -> set[str]:
    """The kinds of value that a field is for, by the concepts in its name."""
    said = set(tokens(field.path.rpartition(".")[2])) or {""}
    wanted = {kind for concept, kind in kinds_of_values().items() if set(concept.split()) <= said}
    if "name" in said and said & _OF_PEOPLE:
        wanted.add(WHOLE_NAME)
    return wanted
