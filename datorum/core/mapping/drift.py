"""How a sheet's columns differ from those that a mapping was made for."""

from __future__ import annotations

import difflib
from collections.abc import Mapping as AnyMapping

import numpy as np
from pydantic import BaseModel

from datorum.core.assignment import best_pairs
from datorum.core.model import Mapping, RecordType
from datorum.core.profile import ColumnProfile
from datorum.core.suggest import candidates
from datorum.core.suggest.names import letters_of, tokens

_ALIKE = 0.72
_SAME_WORDS = 0.95


class Renamed(BaseModel, frozen=True):
    """A column that is gone and one that is new, which may be the same."""

    before: str
    after: str
    reason: str


class Drift(BaseModel, frozen=True):
    """``new`` columns feed nothing and are not left out; ``gone`` ones are named by the mapping and not in the sheet.
    Those of ``renamed`` are in both."""

    new: tuple[str, ...] = ()
    gone: tuple[str, ...] = ()
    renamed: tuple[Renamed, ...] = ()


def drift(record_type: RecordType, mapping: Mapping, profiles: AnyMapping[str, ColumnProfile]) -> Drift:
    """What is new, gone and perhaps renamed. ``profiles`` are those of the sheet's columns, by name."""
    named = mapping.used_columns()
    known = named | set(mapping.left_out)
    new = tuple(name for name in profiles if name not in known)
    gone = tuple(sorted(name for name in named if name not in profiles))
    return Drift(new=new, gone=gone, renamed=_renamed(record_type, mapping, profiles, new, gone))


def _renamed(
    record_type: RecordType,
    mapping: Mapping,
    profiles: AnyMapping[str, ColumnProfile],
    new: tuple[str, ...],
    gone: tuple[str, ...],
) -> tuple[Renamed, ...]:
    if not new or not gone:
        return ()
    fresh = {name: profiles[name] for name in new}
    scores = np.zeros((len(gone), len(new)))
    reasons: dict[tuple[int, int], str] = {}
    for row, before in enumerate(gone):
        for at, after in enumerate(new):
            if set(tokens(before)) == set(tokens(after)):
                scores[row, at], reasons[row, at] = _SAME_WORDS, "the names mean the same"
                continue
            alike = difflib.SequenceMatcher(None, letters_of(before), letters_of(after)).ratio()
            scores[row, at], reasons[row, at] = alike, f"the names are {alike:.0%} alike"
        fed = [field for field in record_type.writable if before in _columns(mapping, field.path)]
        for field in fed:
            alone = record_type.model_copy(update={"fields": (field,)})
            for candidate in candidates(alone, field.path, fresh, len(new)):
                at = new.index(candidate.columns[0]) if len(candidate.columns) == 1 else -1
                if at >= 0 and candidate.score > scores[row, at]:
                    scores[row, at] = candidate.score
                    reasons[row, at] = f"fits {field.title}: {', '.join(candidate.reasons)}"
    pairs = zip(*best_pairs(scores), strict=True)
    return tuple(
        Renamed(before=gone[row], after=new[at], reason=reasons[row, at])
        for row, at in pairs
        if scores[row, at] >= _ALIKE
    )


def _columns(mapping: Mapping, path: str) -> tuple[str, ...]:
    fed = mapping.fields.get(path)
    return fed.columns if fed else ()
