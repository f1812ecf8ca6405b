"""Columns of names of people, known by the e-mail addresses beside them, whatever they are called."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping

import polars as pl

from datorum.core.formula.codes import plain_word
from datorum.core.profile import ColumnProfile

_ROWS = 500
"""As many rows say enough."""
_SHARE = 0.3
"""Of the rows with an address: many addresses say nothing of a name, those of companies' desks and pen names."""
_INITIALS = 0.5
_LEAST = 5
_SHORTEST = 3
_NAME = re.compile(r"^[^\W\d_][^\d_@/\\:;]*$")
_SEPARATED = re.compile(r"\S[\s,]+\S")


def names_of_people(frame: pl.DataFrame, profiles: Mapping[str, ColumnProfile], free: Collection[str]) -> list[str]:
    """Those of the ``free`` columns that hold names of people: a whole name alone; else first names, then surnames;
    nothing where it is not plain which is which.

    A word of a name stands in many of the e-mail addresses of the same rows, of a first name often its first letter
    alone; and there are fewer first names than surnames.
    """
    mails = [name for name, profile in profiles.items() if profile.emails > 0.8]
    if len(mails) != 1:
        return []
    some = frame.head(_ROWS)
    before_at = some[mails[0]].str.extract(r"^\s*([^@\s]+)@").to_list()
    named = {name: _both(some[name].to_list(), before_at) for name in free if name in some.columns}
    found = [name for name, both in named.items() if _share(both, _shares_a_word) >= _SHARE]
    whole = [name for name in found if _is_whole(profiles[name])]
    if len(whole) == 1:
        return whole
    if len(found) == 1:
        [family] = found
        given = [name for name, both in named.items() if name != family and _share(both, _begins_alike) >= _INITIALS]
        return [given[0], family] if len(given) == 1 and not _is_whole(profiles[given[0]]) else []
    if whole or len(found) != 2:
        return []
    first, second = sorted(found, key=lambda name: profiles[name].distinct)
    return [first, second] if profiles[first].distinct < profiles[second].distinct else []


def _both(values: list[str | None], mails: list[str | None]) -> list[tuple[str, str]]:
    """The values with the address of their row, where they look like names at all."""
    both = [(value.strip(), mail) for value, mail in zip(values, mails, strict=True) if value and mail]
    are_names = sum(_NAME.match(value) is not None for value, _ in both) >= 0.9 * len(both)
    return both if are_names and len(both) >= _LEAST else []


def _share(both: list[tuple[str, str]], is_so: Callable[[str, str], bool]) -> float:
    return sum(is_so(value, mail) for value, mail in both) / len(both) if both else 0.0


def _begins_alike(value: str, mail: str) -> bool:
    return plain_word(value)[:1] == plain_word(mail)[:1]


def _shares_a_word(value: str, mail: str) -> bool:
    letters = plain_word(mail).replace(" ", "")
    # A name that is spelt just as its address is a login.
    return value.lower() != mail.lower() and any(
        word in letters for word in plain_word(value).split() if len(word) >= _SHORTEST
    )


def _is_whole(profile: ColumnProfile) -> bool:
    values = [value.strip() for value, _ in profile.top]
    return sum(_SEPARATED.search(value) is not None for value in values) > len(values) / 2
