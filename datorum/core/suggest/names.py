"""How alike a column's header and a field's name are."""

from __future__ import annotations

import re
from difflib import SequenceMatcher

from datorum.core.model import Field

_WORD = re.compile(r"[A-Z]+(?![a-zæøåäöü])|[A-ZÆØÅÄÖÜ]?[a-zæøåäöüß]+|\d+")

# Words of the trade that say the same; the first of each line stands for all.
_SYNONYMS = (
    "email mail epost",
    "given first forename fornavn vorname",
    "family last surname lastname etternavn nachname",
    "phone telephone tel mobile mobil telefon",
    "street address1 line1 strasse gate adresse",
    "postcode zip postal plz postnummer postnr",
    "city town ort sted stadt poststed",
    "country land",
    "company organisation organization firma",
    "birth birthday dob born geburtstag fødselsdato",
    "joined registered signup since",
    "plan tier level membership",
    "language lang locale sprache språk",
    "newsletter subscribe subscribed marketing optin",
    "number no nr num",
    "notes note remarks comment comments",
    "spent revenue",
    "count orders",
)
_MEANS = {word: line.split()[0] for line in _SYNONYMS for word in line.split()}
_NAME_PARTS = ("given", "family")
_FILLER = {"of", "the", "date", "address", "is", "a", "at", "on", "customer", "user"}


def tokens(name: str) -> list[str]:
    """The words of a name in lower case, synonyms brought to one: ``E-mail Address`` → ``email``, ``address``."""
    joined = re.sub(r"(?i)\be-?mail\b", "email", name.replace("_", " ").replace(".", " "))
    joined = re.sub(r"(?i)\bID\b", "id", joined)
    words = [_MEANS.get(word.lower(), word.lower()) for word in _WORD.findall(joined)]
    # “First name” says no more than “first”, and “Vorname” is one word.
    return [word for at, word in enumerate(words) if not (word == "name" and at and words[at - 1] in _NAME_PARTS)]


def name_score(header: str, field: Field) -> float:
    """0 to 1: how well a header names a field."""
    best = 0.0
    for name in (field.path, field.path.rsplit(".", 1)[-1], field.title):
        best = max(best, _alike(tokens(header), tokens(name)))
    return best


def _alike(left: list[str], right: list[str]) -> float:
    if not left or not right:
        return 0.0
    if left == right:
        return 1.0
    core_left = [word for word in left if word not in _FILLER] or left
    core_right = [word for word in right if word not in _FILLER] or right
    if core_left == core_right:
        return 0.94
    common = sum(min(core_left.count(word), core_right.count(word)) for word in set(core_left))
    shared = 2 * common / (len(core_left) + len(core_right))
    spelled = SequenceMatcher(None, "".join(core_left), "".join(core_right)).ratio()
    return max(0.9 * shared, 0.8 * spelled if spelled > 0.75 else 0.0)
