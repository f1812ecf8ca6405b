"""What the words in headers mean, in the languages of Europe: a phrase stands for one or several concepts.

The concepts stand in the files of ``concepts``, one for each group that occurs together, as ``concepts/schema.json`` has
them: under each, its names by language (BCP 47), and under ``also`` names of several languages, abbreviations and the
spellings of databases. Words that stand nowhere mean themselves.
"""

from __future__ import annotations

import tomllib
from collections.abc import Iterator
from functools import lru_cache
from importlib import resources
from typing import Any, NamedTuple

from datorum.core.formula.codes import plain_word
from datorum.core.suggest.scripts import in_plain_latin

FILLERS = frozenset(
    """of the is has your my our a an and for in on at to by per variant de la le du des von der die das den det for av og und zu
    i pa til fra value data info information text column spalte kolonne felt col details custom main default
    primary current this own raw str txt flag y n yes gmt utc shop site web system profile record entry erp crm from old
    new legacy import export sql db tbl iso
    person people
    kg g gr mg mm cm ml cl dl lbs oz
    eur nok sek dkk usd gbp chf pln czk huf ron kr zl kc ft lei
    di del della dello dei degli delle dell do da dos das em no na el los las y o au aux du sur dans z w we i od dla ze
    s ve ke pri k a az es egy din cu la lui ale tou tis ton kai apo gia sto v dlya po iz ot ja ning een het van voor en
    per pour par za u iz te om av pa til fra""".split()
)
"""Words that say little: they count for next to nothing."""

GENERIC = {"name": 0.7, "number": 0.6, "id": 0.8, "code": 0.6, "date": 0.5, "type": 0.8, "address": 0.2, "status": 0.9,
           "mobile": 0.25, "total": 0.9, "line": 0.45, "content": 0.9, "note": 0.9,
           "author": 0.5, "count": 0.7, "created": 0.8, "regular": 0.5}  # fmt: skip
"""How much words count that stand beside others more often than alone; any other counts 1."""

GROUPS: tuple[frozenset[str], ...] = tuple(
    frozenset(line.split())
    for line in (
        "billing shipping",
        "created registered updated published lastlogin paid completed start end birth order_",
        "minimum maximum",
        "regular sale cost",
        "from to",
        "limit count",
        "given family middle display login company email phone",
        "second",
        "width height length weight",
        "source target",
        "summary description",
        "subtotal tax discount total shipping_",
        "user customer",
        "title_ description_",
        "featured virtual downloadable published verified",
    )
)
"""Words of which at most one can be meant."""

QUALIFIERS = {"billing": 0.9, "shipping": 0.72, "parent": 0.5, "updated": 0.6, "minimum": 0.6, "maximum": 0.6, "sale": 0.7,
              "cost": 0.5, "second": 0.5, "middle": 0.5, "lastlogin": 0.5, "paid": 0.6, "completed": 0.6, "end": 0.6,
              "seo": 0.4, "source": 0.7, "target": 0.8, "plural": 0.5, "start": 0.7, "birth": 0.6, "translator": 0.6,
              "user": 0.66, "line": 0.85}  # fmt: skip
"""What is left of a likeness when only one side has the word."""

RELATED = {frozenset(pair.split()): worth for pair, worth in {
    "id number": 0.7, "code number": 0.7, "id code": 0.6, "name display": 0.55, "name login": 0.3, "order registered": 0.0,
    "created registered": 0.85, "created order": 0.0, "content description": 0.85, "content comment": 0.9, "note comment": 0.7,
    "target translation": 0.95, "stock quantity": 0.75, "total price": 0.35, "discount total": 0.45, "id key": 0.6,
    "street address": 1.0, "author name": 0.5, "type category": 0.75, "status region": 0.6, "product line": 0.7, "brand company": 0.3, "note description": 0.6,
    "published status": 0.5, "summary description": 0.45, "published created": 0.6, "url slug": 0.35, "id sku": 0.72,
    "bio description": 0.7, "category tag": 0.3, "content note": 0.6, "id login": 0.2, "discount amount": 0.9, "name author": 0.5,
    "country region": 0.0, "name key": 0.3, "comment text": 0.8, "post product": 0.35, "id post": 0.5, "translation text": 0.6,
    "email login": 0.2, "source key": 0.35, "shipping_ shipping": 0.2, "total spent": 0.5, "tier type": 0.3, "tier role": 0.3,
    "image url": 0.4, "image avatar": 0.7, "approved status": 0.8, "quantity count": 0.8, "price regular": 0.0,
}.items()}  # fmt: skip
"""Words that say nearly the same, with what one is worth for the other."""


OWN_MEANS = {"coupon": "code", "comment": "content", "translation": "target", "order": "number", "product": "name",
             "customer": "name", "user": "login"}  # fmt: skip
"""What the name of a kind of record means when it is all that a header says: a sheet of coupons with a column “Coupon”."""


ANY = "*"
"""The language of a name that is of several, or of none."""


_FIRST = "en"


class Reading(NamedTuple):
    """What a phrase means in some languages."""

    concepts: tuple[str, ...]
    languages: frozenset[str]


Words = tuple[str, ...]


@lru_cache(maxsize=1)
def groups() -> dict[str, dict[str, dict[str, Any]]]:
    """The files of concepts by their names: each concept with its names by language."""
    folder = resources.files("datorum.core.suggest") / "concepts"
    files = sorted((file for file in folder.iterdir() if file.name.endswith(".toml")), key=lambda file: file.name)
    return {file.name.removesuffix(".toml"): tomllib.loads(file.read_text("utf-8")) for file in files}


def concepts() -> Iterator[tuple[str, dict[str, str]]]:
    """Every concept with its names by language, those of several languages under ``ANY``."""
    for group in groups().values():
        for concept, said in group.items():
            if concept != "about":
                yield concept, {ANY if key == "also" else key: said[key] for key in said if key != "values"}


@lru_cache(maxsize=1)
def known_concepts() -> frozenset[str]:
    """The words that concepts are called by."""
    return frozenset(word for concept, _ in concepts() for word in concept.split())


@lru_cache(maxsize=1)
def abbreviations() -> dict[str, Words]:
    """Words cut short, with what is meant by them."""
    file = resources.files("datorum.core.suggest") / "abbreviations.toml"
    return {short: tuple(meant.split()) for short, meant in tomllib.loads(file.read_text("utf-8")).items()}


@lru_cache(maxsize=1)
def kinds_of_values() -> dict[str, str]:
    """The kind of value that a concept has, where that is one by itself."""
    return {
        concept: said["values"] for group in groups().values() for concept, said in group.items()
        if concept != "about" and "values" in said
    }  # fmt: skip


def plain(text: str) -> str:
    """A name as it is looked up: in Latin letters without accents."""
    return plain_word(in_plain_latin(text))


@lru_cache(maxsize=1)
def phrases() -> dict[Words, tuple[Reading, ...]]:
    """Every phrase as words, with what it may mean: first what it means in several languages, then in English, which most
    sites name their fields in."""
    found: dict[Words, dict[Words, set[str]]] = {}
    every = list(concepts())
    for turn in (lambda one: one == ANY, lambda one: one == _FIRST, lambda one: one not in (ANY, _FIRST)):
        for concept, names in every:
            for language, listed in names.items():
                if turn(language):
                    for phrase in listed.split(","):
                        if words := tuple(plain(phrase).split()):
                            read = found.setdefault(words, {})
                            read.setdefault(tuple(concept.split()), set()).add(language)
    return {
        words: tuple(Reading(concepts, frozenset(languages)) for concepts, languages in readings.items())
        for words, readings in found.items()
    }
