"""What the values of a column look like, in whatever language its header is: names of people and towns, streets,
companies, sentences, codes."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from functools import lru_cache
from importlib import resources

from datorum.core.formula.codes import plain_word
from datorum.core.profile import ColumnProfile

FIRST_NAME, WHOLE_NAME, TOWN, STREET, COMPANY = "first name", "whole name", "town", "street", "company"
SENTENCES, CODE, FEW_WORDS, HANDLE = "sentences", "code", "few words", "handle"

_KNOWN_SHARE = 0.3
"""Of the values that are known names: no list has all, and few other columns have any."""
_ENOUGH, _NEARLY_ALL = 30, 0.9
_LEGAL_FORMS = re.compile(
    r"(?i)\b(gmbh|ag|kg|ohg|ug|e\.?\s?k|as|asa|ans|ab|hb|a/s|aps|i/s|oy|oyj|ltd|plc|llp|llc|inc|corp|sarl|sas|sa|bv|"
    r"b\.v|nv|n\.v|vof|srl|s\.?r\.?l|spa|s\.p\.a|s\.?l|s\.a|lda|sp\.? z\.? ?o\.? ?o|s\.r\.o|a\.s|kft|zrt|bt|d\.?o\.?o|"
    r"ehf|hf|oü|sia|uab|& co|& sons|and sons|og sønner|und söhne|stiftung|verein|e\.v|cooperative)\b\.?\s*$"
)
_STREET = re.compile(
    r"^[^\W\d_][^\d@:/]*[ ,.]\s?\d{1,4}\s?[a-zA-Z]?(,.*)?$|^\d{1,4}[a-zA-Z]?,? +[^\W\d_]{2,}( [^\W\d_]+){0,3}$"
)
_WHOLE_NAME = re.compile(r"^[^\W\d_][^\d_@/\\:;&()]*[\s,]+[^\d_@/\\:;&()]*[^\W\d_]\.?$")
_HANDLE = re.compile(r"^(?=.*[._-])[a-z0-9]+([._-][a-z0-9]+)*$")
_CODE = re.compile(r"^(?=.*\d)[^\W_]+([-_./][^\W_]+)*$")
_LONGEST = 200
"""Longer values are sentences, or nothing that can be told by its looks."""


def looks(profile: ColumnProfile) -> Mapping[str, float]:
    """The kinds that a column's commonest values look like, each with the share that does, 0 to 1; names that a list
    knows count as soon as enough of them are in it."""
    values = [value.strip() for value, _ in profile.top[:_ENOUGH] if value.strip()]
    if not values or max(profile.numbers, profile.dates, profile.emails) > _NEARLY_ALL:
        return {}
    short = [value for value in values if len(value) <= _LONGEST]
    shares = {kind: sum(map(is_so, short)) / len(values) for kind, is_so in _LOOKS.items()}
    shares[SENTENCES] += sum(map(_is_sentence, set(values).difference(short))) / len(values)
    for kind in (FIRST_NAME, WHOLE_NAME, TOWN, COMPANY):
        shares[kind] = min(shares[kind] / _KNOWN_SHARE, 1.0) if shares[kind] >= _KNOWN_SHARE / 2 else 0.0
    if profile.unique < 0.9:
        shares[CODE] = 0.0
    repeated = profile.distinct <= 12 and profile.filled >= 3 * profile.distinct
    shares[FEW_WORDS] = 1.0 if repeated and not any(value[:1].isdigit() for value in values) else 0.0
    return {kind: share for kind, share in shares.items() if share >= 0.5}


def _is_first_name(value: str) -> bool:
    parts = _plain(value).split()
    return 1 <= len(parts) <= 2 and _first_names().issuperset(parts)


def _is_whole_name(value: str) -> bool:
    parts = _plain(value).split()
    return (
        len(parts) > 1
        and bool(_WHOLE_NAME.match(value))
        and not _first_names().isdisjoint((parts[0], parts[1], parts[-1]))
    )


def _is_town(value: str) -> bool:
    return _plain(value) in _towns()


def _is_sentence(value: str) -> bool:
    return len(value.split()) >= 4 and not value.startswith("http")


_LOOKS: dict[str, Callable[[str], bool]] = {
    FIRST_NAME: _is_first_name,
    WHOLE_NAME: _is_whole_name,
    TOWN: _is_town,
    STREET: lambda value: bool(_STREET.match(value)),
    COMPANY: lambda value: bool(_LEGAL_FORMS.search(value)),
    HANDLE: lambda value: bool(_HANDLE.match(value)) and not value.replace(".", "").isdigit(),
    SENTENCES: _is_sentence,
    CODE: lambda value: bool(_CODE.match(value)) and not value.isdigit(),
}


@lru_cache(maxsize=4096)
def _plain(value: str) -> str:
    return plain_word(value)


@lru_cache(maxsize=1)
def _first_names() -> frozenset[str]:
    return frozenset(map(plain_word, _words("first_names.txt").split()))


@lru_cache(maxsize=1)
def _towns() -> frozenset[str]:
    return frozenset(map(plain_word, _words("towns.txt").replace("\n", "|").split("|")))


def _words(name: str) -> str:
    return (resources.files("datorum.core.suggest") / "words" / name).read_text("utf-8")
