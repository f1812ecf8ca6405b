"""Names and spellings to codes: countries (ISO 3166-1), languages (BCP 47) and currencies (ISO 4217).

The names are those of the Unicode CLDR in the languages that web shops of Europe and America are kept in.
"""

from __future__ import annotations

import re
import unicodedata
from functools import lru_cache

from babel import Locale
from babel.core import get_global
from babel.numbers import get_territory_currencies

_LOCALES = ("en", "nb", "nn", "de", "da", "sv", "fi", "fr", "es", "pt", "it", "nl", "pl", "cs", "is", "et")
_COUNTRIES = {
    "usa": "US", "u s a": "US", "u s": "US", "america": "US", "united states of america": "US", "uk": "GB",
    "u k": "GB", "great britain": "GB", "england": "GB", "scotland": "GB", "wales": "GB", "northern ireland": "GB",
    "britain": "GB", "grossbritannien": "GB", "storbritannia": "GB", "holland": "NL", "the netherlands": "NL",
    "czech republic": "CZ",
    "korea": "KR", "south korea": "KR", "russia": "RU", "eire": "IE", "macedonia": "MK", "ivory coast": "CI",
    "brd": "DE", "ger": "DE", "uae": "AE", "hong kong": "HK", "macau": "MO", "turkey": "TR", "swaziland": "SZ",
}  # fmt: skip
_CURRENCIES = {
    "€": "EUR", "£": "GBP", "¥": "JPY", "₹": "INR", "₽": "RUB", "₩": "KRW", "₺": "TRY", "zł": "PLN", "us$": "USD",
    "fr": "CHF", "kč": "CZK", "euro": "EUR", "euros": "EUR", "pound": "GBP", "pounds": "GBP", "dollar": "USD",
    "dollars": "USD", "$": "USD",
}  # fmt: skip


def plain_word(text: str) -> str:
    """A name as it is looked up: lower case, no accents or points, one space between words."""
    folded = unicodedata.normalize("NFKD", text.replace("ß", "ss").replace("ø", "o").replace("Ø", "o")).casefold()
    letters = "".join(letter for letter in folded if not unicodedata.combining(letter))
    return " ".join(re.sub(r"[^\w$€£¥₹₽₩₺ ]+|_", " ", letters).split())


def country_code(text: str) -> str | None:
    """ISO 3166-1 alpha-2 for a code of two, three letters or three figures, or a name; None for anything else."""
    return country_names().get(plain_word(text))


def language_code(text: str) -> str | None:
    """The language subtag, with its region if the text has one: ``nb``, ``en-GB``; None for anything else."""
    tag = text.strip().replace("_", "-")
    parts = tag.split("-")
    if parts[0].lower() in _language_subtags() and len(parts) <= 2:
        if len(parts) == 1:
            return parts[0].lower()
        if len(parts[1]) == 2 and parts[1].isalpha():
            return f"{parts[0].lower()}-{parts[1].upper()}"
    return _languages().get(plain_word(text))


_SAME_LANGUAGE = {"no": "nb", "nb": "no", "iw": "he", "he": "iw", "in": "id", "id": "in", "tl": "fil", "fil": "tl"}
"""Subtags that are in use for one language, as BCP 47 registers them; Bokmål is what ``no`` is taken to be."""


def language_codes(text: str) -> tuple[str, ...]:
    """Every tag that a site may have for what a text names, the nearest first; none for what names no language."""
    code = language_code(text)
    if code is None:
        return ()
    subtag = code.split("-")[0]
    other = _SAME_LANGUAGE.get(subtag)
    return tuple(dict.fromkeys((code, subtag, *((other,) if other else ()))))


def currency_code(text: str) -> str | None:
    """ISO 4217 for a code, sign or name; None for anything else. ``kr`` is no one currency's."""
    word = text.strip()
    if word.upper() in currency_codes():
        return word.upper()
    return _CURRENCIES.get(word.lower()) or _currencies().get(plain_word(text))


@lru_cache(maxsize=1)
def country_codes() -> frozenset[str]:
    """Every alpha-2 code."""
    return frozenset(str(code) for code in Locale("en").territories if re.fullmatch(r"[A-Z]{2}", str(code))) - {
        "EU", "EZ", "UN", "ZZ", "QO", "XA", "XB", "AC", "CP", "DG", "EA", "IC", "TA", "CQ",
    }  # fmt: skip


@lru_cache(maxsize=1)
def country_names() -> dict[str, str]:
    """Every name and code of a country, as ``plain_word`` writes it, with its alpha-2 code."""
    named: dict[str, str] = {}
    for locale in _LOCALES:
        for code, name in Locale(locale).territories.items():
            if code in country_codes():
                named.setdefault(plain_word(name), code)
    for alias, codes in get_global("territory_aliases").items():
        if len(codes) == 1 and codes[0] in country_codes() and re.fullmatch(r"[A-Z]{3}|\d{3}", alias):
            named[alias.lower()] = codes[0]
    return named | _COUNTRIES | {code.lower(): code for code in country_codes()}


@lru_cache(maxsize=1)
def _language_subtags() -> frozenset[str]:
    return frozenset(str(code) for code in Locale("en").languages if re.fullmatch(r"[a-z]{2,3}", str(code)))


@lru_cache(maxsize=1)
def _languages() -> dict[str, str]:
    named: dict[str, str] = {}
    for locale in _LOCALES:
        for code, name in Locale(locale).languages.items():
            if code in _language_subtags():
                named.setdefault(plain_word(name), code)
    return named | {"norsk": "no", "norwegian": "no", "norwegisch": "no", "ger": "de", "eng": "en", "nor": "no"}


@lru_cache(maxsize=1)
def currency_codes() -> frozenset[str]:
    """The alphabetic code of every currency that is legal tender somewhere now."""
    return frozenset(code for land in country_codes() for code in get_territory_currencies(land))


@lru_cache(maxsize=1)
def _currencies() -> dict[str, str]:
    named: dict[str, str] = {}
    for locale in _LOCALES:
        for code, name in Locale(locale).currencies.items():
            if code in currency_codes():
                named.setdefault(plain_word(name), code)
    return named
