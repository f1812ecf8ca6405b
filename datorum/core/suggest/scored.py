"""Every column weighed against every field of a record type."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from collections.abc import Mapping as AnyMapping

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel

from datorum.core.assignment import best_pairs
from datorum.core.model import FieldMapping, FieldType, RecordType
from datorum.core.profile import ColumnProfile
from datorum.core.suggest.chosen import Chosen
from datorum.core.suggest.confidence import as_share, odds, weights
from datorum.core.suggest.evidence import Evidence, Table, best_other, together
from datorum.core.suggest.names import Names

THRESHOLD = 0.62
"""Below this nothing is proposed: a wrong suggestion is worse than none."""
_AS_BEFORE, _NEVER = 4.0, 30.0
"""The logarithms of the odds of what was chosen before, and of what was refused."""
_CANNOT, _MOST_DO_NOT = 5.0, 0.55
"""What it counts, of the same kind, that more than this share of a column's values cannot stand in a field."""
_CALLED_THE_SAME = 1.0
"""The least that it counts that a column is called just as a field."""
_SAYS_ANOTHER = 2.0
"""The same where every word of a header is known, and of a field, and they have nothing in common."""
_BY_NAME, _BY_LETTERS = 0.35, 0.9
"""Below this a header says nothing of a field; what feeds it then is what is left for it."""
_PLAINLY = 1.6


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
        before = self._asked(chosen.was_fed) if chosen else nothing
        refused = self._asked(chosen.was_refused) if chosen else nothing
        self._named = self._newly_named(before, refused)
        self._before = before & ~(self._named.any(axis=1, keepdims=True) & ~self._named)
        weighed = weights()
        alone = np.where(refused, -_NEVER, odds(self._seen.alone(), weighed.alone))
        parts = together(np.where(self._before, np.maximum(alone, _AS_BEFORE), alone), self._seen)
        self._near = parts["neighbour_before"] + parts["neighbour_behind"] + parts["between_neighbours"]
        whole = odds(parts, weighed.together) - _CANNOT * (self._seen.bad > _MOST_DO_NOT)
        whole -= _SAYS_ANOTHER * self._seen.contradiction
        whole = np.where(self._before, np.maximum(whole, _AS_BEFORE), whole)
        whole = np.where(self._can_be_called_so(), np.maximum(whole, _CALLED_THE_SAME), whole)
        whole = np.where(self._is_vague(whole), np.minimum(whole, -_PLAINLY), whole)
        self.scores = np.where(refused, 0.0, as_share(whole))

    def _newly_named(self, before: npt.NDArray[np.bool_], refused: npt.NDArray[np.bool_]) -> npt.NDArray[np.bool_]:
        """Pairs that are called the same, of which nobody has decided otherwise: the sheets that a field was fed by
        another column of had none that is called so."""
        elsewhere = before.any(axis=0, keepdims=True) & ~before
        return np.asarray(self._can_be_called_so() & ~refused & ~elsewhere)

    def is_fed_otherwise(self, path: str, columns: Collection[str]) -> bool:
        """Whether a column is called just as a field that others fed in earlier sheets."""
        row = [field.path for field in self.fields].index(path)
        return any(name not in columns for name, same in zip(self.columns, self._named[row], strict=True) if same)

    def _can_be_called_so(self) -> npt.NDArray[np.bool_]:
        """Pairs that are called the same, and whose values can stand in the field: in one of any text all can, though
        they be of another form than the site wants, which is told of each."""
        any_text = [field.type is FieldType.TEXT and not (field.format or field.enum) for field in self.fields]
        can = np.array(any_text, dtype=bool)[:, None] | (self._seen.bad <= _MOST_DO_NOT)
        return np.asarray(self._seen.called_the_same & can)

    def _is_vague(self, log_odds: Table) -> npt.NDArray[np.bool_]:
        """Pairs that no names speak for, and which another of the same field or column is nearly as likely as."""
        nearest = np.maximum(self._seen.name, _BY_LETTERS * self._seen.letters)
        others = np.maximum(best_other(log_odds), best_other(log_odds.T).T)
        return np.asarray((nearest < _BY_NAME) & (log_odds - others < _PLAINLY) & ~self._before)

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
        if self._near[row, at] > _BY_NAME and not self._before[row, at]:
            reasons.append("its neighbours fit, too")
        if not self._is_named(row, at) and not self._before[row, at] and self.scores[row, at] >= THRESHOLD:
            reasons.append("no other that is left fits better")
        if not reasons:
            reasons.append("nothing speaks for it")
        return Candidate(
            columns=(self.columns[at],), score=round(float(self.scores[row, at]), 3), reasons=tuple(reasons)
        )

    def _nearest(self, row: int, at: int) -> float:
        return float(max(self._seen.name[row, at], _BY_LETTERS * self._seen.letters[row, at]))

    def _is_named(self, row: int, at: int) -> bool:
        return self._nearest(row, at) >= _BY_NAME

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
