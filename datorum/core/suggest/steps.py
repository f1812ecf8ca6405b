"""Which steps make a column's values fit a field."""

from __future__ import annotations

import difflib

from datorum.core.model import Field, FieldType, ValueTable
from datorum.core.profile import ColumnProfile
from datorum.core.steps import AnyStep, Case, Join, ReadDate, ReadNumber, ReadYesNo, Trim

_DATE_TYPES = (FieldType.DATE, FieldType.DATE_TIME)


def suggest_steps(field: Field, profiles: list[ColumnProfile]) -> tuple[AnyStep, ...]:
    """Steps in order, judged by the profiles of the columns that feed the field."""
    steps: list[AnyStep] = []
    first = profiles[0]
    if any(profile.stray_spaces for profile in profiles):
        steps.append(Trim())
    if len(profiles) > 1:
        steps.append(Join())
    if field.format == "email":
        steps.append(Case(to="lower"))
    elif field.type in _DATE_TYPES and first.date_pattern:
        steps.append(ReadDate(pattern=first.date_pattern))
    elif field.type in (FieldType.INTEGER, FieldType.NUMBER) and first.plain_numbers < 0.995 and first.decimal:
        steps.append(ReadNumber.model_validate({"decimal": first.decimal}))
    elif field.type is FieldType.BOOLEAN and first.yes_no > 0.5:
        steps.append(ReadYesNo())
    return tuple(steps)


def suggest_pairs(values: list[str], accepted: tuple[str, ...], known: dict[str, str]) -> ValueTable:
    """Pairs for the values whose site value is beyond doubt: the same word, a known synonym, or a slip of one letter.

    ``known`` maps words in lower case to accepted values. What is in doubt stays open.
    """
    by_word = known | {value.lower(): value for value in accepted}
    pairs: dict[str, str] = {}
    for value in values:
        word = " ".join(value.lower().replace(".", " ").split())
        if word in by_word:
            named = {by_word[word]}
        else:
            near = difflib.get_close_matches(word, [w for w in by_word if len(w) > 4], n=2, cutoff=0.86)
            named = {by_word[name] for name in near}
        # A name that is known for something the site does not take stays open, however like another it is.
        if len(named) == 1 and named <= set(accepted):
            pairs[value] = named.pop()
    return ValueTable(pairs=pairs)
