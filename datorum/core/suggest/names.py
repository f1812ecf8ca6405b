"""How alike a column's header and a field's name are, by what their words mean."""

from __future__ import annotations

import re
from collections.abc import Mapping
from difflib import SequenceMatcher
from functools import lru_cache

from datorum.core.formula.codes import plain_word
from datorum.core.model import Field
from datorum.core.suggest.lexicon import FILLERS, GENERIC, GROUPS, OWN_MEANS, QUALIFIERS, RELATED, phrases

_LONGEST_PHRASE = 4
_NEAR = 0.8
_NUMBER_SIGN = re.compile(r"№|(?i:\bn)[°º]")
"""As French, Spanish, Italian and Russian headers have it."""
_ANDS = ("and", "und", "og", "och", "et", "y", "e", "en", "i", "ja")
_BOTH = re.compile(rf"[,;/&+]|\b({'|'.join(_ANDS)})\b", re.IGNORECASE)
_PERSONS = frozenset({"customer", "user", "author", "contact", "person", "buyer"})
_LINKS = ("", "s", "n", "en", "er", "e")
_ONE_OR_MANY = re.compile(r"(?<=\w)\([a-zæøåäöü]{1,3}\)")
"""“Vorname(n)”."""
_SHARED_END = re.compile(rf"(\w{{2,}})[-‐‑] *(?=({'|'.join(_ANDS)}) +(\w+))", re.IGNORECASE)
"""Two compounds of one end, which is written once: “Vor- und Nachname”."""


@lru_cache(maxsize=20_000)
def tokens(name: str) -> tuple[str, ...]:
    """The concepts of a name: ``E-mail Address`` and ``Epostadresse`` are both ``email``."""
    known = phrases()
    name = _SHARED_END.sub(_with_its_end, _NUMBER_SIGN.sub(" number ", _ONE_OR_MANY.sub("", name)))
    words = plain_word(re.sub(r"(?i)\be-?mail\b", "email", name)).split()
    if tuple(words) not in known and not all((word,) in known or word in FILLERS for word in words):
        # “MwSt” is one word and “firstName” two.
        spaced = re.sub(r"(?<=[a-zæøåäöü0-9])(?=[A-ZÆØÅÄÖÜ])|(?<=[A-Z])(?=[A-Z][a-z])", " ", name)
        words = plain_word(re.sub(r"(?i)\be-?mail\b", "email", spaced)).split()
        if tuple(words) not in known:
            words = [part for word in words for part in re.findall(r"\d+|[^\d]+", word)]
    found: list[str] = []
    at = 0
    while at < len(words):
        for length in range(min(_LONGEST_PHRASE, len(words) - at), 0, -1):
            concepts = known.get(tuple(words[at : at + length]))
            if concepts:
                found += concepts
                at += length
                break
        else:
            found += _compound(words[at])
            at += 1
    parts = [one for one in found if one not in _ANDS and one not in _PERSONS]
    said = {*parts} - {"given"}
    if "given" in parts and said and said <= {"family", "name"} and _BOTH.search(name):
        # “Surname, first name” is a name, whole.
        return ("name",)
    return tuple(found)


def _with_its_end(found: re.Match[str]) -> str:
    """A beginning with the end that it shares with the word behind it: the longest that makes a known word."""
    begun, _, whole = found.groups()
    ends = (whole[at:] for at in range(1, len(whole) - 2))
    return next((begun + end for end in ends if (plain_word(begun + end),) in phrases()), begun) + " "


@lru_cache(maxsize=20_000)
def _compound(word: str) -> tuple[str, ...]:
    """A word as the concepts of the two that it is made of, as in German and Norwegian, else itself."""
    known = phrases()
    for cut in range(len(word) - 2, 2, -1):
        left, right = word[:cut], word[cut:]
        if (right,) not in known:
            continue
        for link in _LINKS:
            stem = left.removesuffix(link) if link and left.endswith(link) else left if not link else ""
            if len(stem) > 2 and (stem,) in known:
                return (*known[(stem,)], *known[(right,)])
    return (word,)


def name_score(header: str, field: Field, kind: str = "") -> float:
    """0 to 1: how well a header names a field of a kind of record, by its path, its last part, or its title."""
    left = tokens(header)
    own = frozenset(tokens(kind)) | frozenset(tokens(kind.removesuffix("s")))
    names = (field.path.replace(".", " "), field.title)
    return max(_alike(left, tokens(name), own) for name in names)


@lru_cache(maxsize=20_000)
def _says(concepts: tuple[str, ...], own: frozenset[str]) -> Mapping[str, float]:
    """The concepts of a name, each with how much it counts."""
    telling = {token for token in concepts if token not in FILLERS and token not in own}
    if not telling:
        # All that is said is the kind of record, or a word that mostly says nothing: then that is the name.
        named = [OWN_MEANS[token] for token in concepts if token in own and token in OWN_MEANS]
        return dict.fromkeys(named or concepts, 1.0)
    return {
        token: GENERIC.get(token, 0.3 if token.isdigit() else 1.0) if token in telling else 0.12
        for token in dict.fromkeys(concepts)
    }


def _alike(left: tuple[str, ...], right: tuple[str, ...], own: frozenset[str]) -> float:
    if not left or not right:
        return 0.0
    a, b = _says(left, own), _says(right, own)
    if a.keys() == b.keys():
        return 1.0
    common = sum((a[token] + b[token]) / 2 for token in a.keys() & b.keys())
    rest_a, rest_b = a.keys() - b.keys(), b.keys() - a.keys()
    related = _related({token: a[token] for token in rest_a}, {token: b[token] for token in rest_b})
    likeness = 2 * (common + related) / (sum(a.values()) + sum(b.values()))
    for group in GROUPS:
        one, other = a.keys() & group, b.keys() & group
        if one and other and not one & other and frozenset([next(iter(one)), next(iter(other))]) not in RELATED:
            return min(likeness, 0.25)
    for token in (rest_a | rest_b) - own:
        likeness *= QUALIFIERS.get(token, 1.0)
    return min(max(likeness, _spelled(rest_a, rest_b) if not common else 0.0), 0.98)


def _related(left: dict[str, float], right: dict[str, float]) -> float:
    """What the words are worth that one side has and the other says by a near word, each used once."""
    pairs = sorted(
        (
            (RELATED[frozenset((a, b))] * (left[a] + right[b]) / 2, a, b)
            for a in left
            for b in right
            if frozenset((a, b)) in RELATED
        ),
        reverse=True,
    )
    worth, used = 0.0, set[str]()
    for value, a, b in pairs:
        if a not in used and b not in used:
            worth += value
            used |= {a, b}
    return worth


def _spelled(left: set[str], right: set[str]) -> float:
    """Words that no line of the lexicon knows may still be the same, misspelt or shortened."""
    a, b = "".join(sorted(left)), "".join(sorted(right))
    if min(len(a), len(b)) < 4:
        return 0.0
    matcher = SequenceMatcher(None, a, b)
    # The bounds are quick, and most words are nothing like each other.
    if matcher.real_quick_ratio() <= _NEAR or matcher.quick_ratio() <= _NEAR:
        return 0.0
    ratio = matcher.ratio()
    return 0.85 * ratio if ratio > _NEAR else 0.0
