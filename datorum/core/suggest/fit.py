"""How well a column's values fit a field, whatever either is called."""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import lru_cache
from typing import Literal, NamedTuple

import polars as pl

from datorum.core.formula.codes import country_code, currency_code, language_codes, plain_word
from datorum.core.model import Field, FieldType
from datorum.core.passwords import takes_hash, takes_password
from datorum.core.patterns import UnusablePattern
from datorum.core.patterns import pattern as usable
from datorum.core.profile import ColumnProfile
from datorum.core.suggest.names import tokens
from datorum.core.suggest.units import change_of_unit, unit_of


class Fit(NamedTuple):
    """``share`` of the values that fit, 0 to 1, or None where the field takes any; ``telling``: how much it says, 0 to
    1, that they do; the same in words."""

    share: float | None
    telling: float = 0.0
    words: str = ""


def asked_of_values(field: Field) -> tuple[object, ...]:
    """All that ``values_fit`` goes by of a field: two fields with the same are fitted by the same values."""
    path, end = frozenset(tokens(field.path)), frozenset(tokens(field.path.rpartition(".")[2]))
    inner = asked_of_values(field.items) if field.items is not None else ()
    return (
        field.type, field.format, field.enum, field.pattern, field.unique, field.max_length, path & frozenset(_CODES),
        end & _HEARD, unit_of(field) if field.type is FieldType.INTEGER else None, inner,
    )  # fmt: skip


def values_fit(field: Field, profile: ColumnProfile) -> Fit:
    """Judge a column's profile by a field's type, format, values, length and uniqueness."""
    if not profile.filled:
        return Fit(None, 0.0, "no values")
    if field.type is FieldType.LIST and field.items is not None:
        inner = values_fit(field.items, profile)
        return inner if inner.share is None or inner.share > 0.5 else Fit(None)
    fit = _typed(field, profile)
    if fit.share is not None and fit.share >= 0.5:
        if field.max_length and profile.longest > 3 * field.max_length and code_meant(field, profile) is None:
            return Fit(0.2, 0.0, f"up to {profile.longest:,} characters, {field.max_length:,} fit")
        if field.unique and profile.filled > 20 and profile.unique < 0.5:
            return Fit(0.4, 0.0, "values repeat, and the field's must not")
    return fit


CodeKind = Literal["country", "language", "currency"]
_CODES: dict[CodeKind, tuple[str, str]] = {
    "country": ("NO", "Norway"), "language": ("nb", "Norwegian"), "currency": ("NOK", "Norwegian krone"),
}  # fmt: skip
"""Of each open list of codes a code and the name that it stands for."""


def code_meant(field: Field, profile: ColumnProfile) -> CodeKind | None:
    """The list of codes that a field takes its values from, where a column has them or their names."""
    meant = set(tokens(field.path))
    for kind, (code, name) in _CODES.items():
        if kind not in meant or field.enum or profile.by_kind.get(kind, 0.0) < 0.5:
            continue
        short = field.max_length is not None and field.max_length < len(name)
        if short or (field.pattern and _matches(field.pattern, code) and not _matches(field.pattern, name)):
            return kind
    return None


def share_like(profile: ColumnProfile, shape: re.Pattern[str]) -> float:
    """The share of a column's commonest values that have a shape."""
    values = [value.strip() for value, _ in profile.top]
    return sum(shape.search(value) is not None for value in values) / len(values) if values else 0.0


def _matches(pattern: str, text: str) -> bool:
    """Whether a text fits a pattern; nothing fits one that cannot be used."""
    try:
        return usable(pattern).is_in(text)
    except UnusablePattern:
        return False


_EXACT = 400
_PLURALS = {
    "telephone": "telephone numbers", "country": "countries", "currency": "currencies", "language": "languages",
    "postcode": "postcodes", "GTIN": "GTINs", "IP address": "IP addresses", "password hash": "password hashes",
    "web address": "web addresses", "picture": "addresses of pictures", "slug": "parts of web addresses",
    "path": "paths", "list": "lists",
}  # fmt: skip


def _are(profile: ColumnProfile, share: float, what: str) -> str:
    """What the values are, for people; all of them only where all were looked at."""
    if share > 0.995:
        exact = profile.distinct <= _EXACT and profile.distinct_exact and share == 1
        return f"all {profile.filled:,} values are {what}" if exact else f"the values are {what}"
    return f"{share:.0%} of the values are {what}"


def _typed(field: Field, profile: ColumnProfile) -> Fit:
    kinds = profile.by_kind
    match field.type:
        case FieldType.DATE | FieldType.DATE_TIME:
            if profile.date_unit and profile.dates < 0.5:
                # Numbers of five figures are many things, and days the least of them.
                days = profile.date_unit.startswith("days")
                return Fit(0.7 if days else 1.0, 0.0 if days else 0.5, f"the values may be {profile.date_unit}")
            return Fit(profile.dates, 0.5, _are(profile, profile.dates, "dates"))
        case FieldType.INTEGER:
            if profile.coded_numbers:
                return Fit(0.8, 0.0, "the values are numbers in codes")
            if change_of_unit(profile, field).times > 1:
                # Half a kilogram is no whole number, but so many grams.
                return Fit(profile.numbers, 0.1, _are(profile, profile.numbers, "numbers"))
            share = max(kinds.get("integer", 0.0), 0.8 * profile.numbers * profile.whole_numbers)
            return Fit(share, 0.1, _are(profile, share, "whole numbers"))
        case FieldType.NUMBER:
            return Fit(profile.numbers, 0.15, _are(profile, profile.numbers, "numbers"))
        case FieldType.BOOLEAN:
            return Fit(profile.yes_no, 0.35, _are(profile, profile.yes_no, "yes or no"))
    if field.enum:
        share = _among(field, profile)
        if not share and profile.yes_no == 1:
            return Fit(0.0, 0.0, "the values are yes or no")
        return (
            Fit(share, 0.5, _are(profile, share, "known to the site")) if share or profile.distinct > 40 else Fit(None)
        )
    if field.format == "email":
        return Fit(profile.emails, 0.8, _are(profile, profile.emails, "e-mail addresses"))
    if field.format in ("uri", "url", "uri-reference"):
        share = max(kinds.get("web address", 0.0), kinds.get("picture", 0.0))
        return Fit(share, 0.3, _are(profile, share, "web addresses"))
    return _text(field, profile)


def _text(field: Field, profile: ColumnProfile) -> Fit:
    """A field of any text still has a name, and the values may speak for or against it."""
    kinds = profile.by_kind
    meant = set(tokens(field.path.rsplit(".", 1)[-1]))
    hashes = kinds.get("password hash", 0.0)
    if hashes >= 0.5 and takes_password(field):
        return Fit(0.0, 0.0, "stored hashes, not passwords")
    if hashes >= 0.5 and takes_hash(field):
        return Fit(hashes, 0.6, _are(profile, hashes, "password hashes"))
    for concept, kind in _SPEAKING.items():
        if concept in meant:
            share = kinds.get(kind, 0.0)
            if share >= 0.5:
                return Fit(share, 0.4, _are(profile, share, _PLURALS.get(kind, f"of the kind {kind}")))
    if profile.emails > 0.8 and "email" not in meant:
        return Fit(0.1, 0.0, "e-mail addresses")
    if profile.dates > 0.9 and not meant & {"date", "note", "name"}:
        return Fit(0.15, 0.0, "dates")
    if kinds.get("web address", 0.0) > 0.9 and not meant & {"url", "image", "avatar", "slug"}:
        return Fit(0.15, 0.0, "web addresses")
    if field.pattern:
        matching = _matching(field.pattern, profile)
        if matching is not None:
            return Fit(max(matching, 0.35), 0.25, _are(profile, matching, "of the form that the site wants"))
    figures = max(kinds.get(kind, 0.0) for kind in ("integer", "decimal, point", "decimal, comma"))
    if meant & _WORDY and figures > 0.95 and profile.distinct > 3:
        return Fit(0.2, 0.0, "only numbers")
    if meant & _WORDY and profile.coded_numbers:
        return Fit(0.2, 0.0, "numbers in codes")
    return Fit(None)


_SPEAKING = {
    "phone": "telephone", "country": "country", "currency": "currency", "language": "language", "postcode": "postcode",
    "gtin": "GTIN", "ip": "IP address", "password": "password hash", "url": "web address", "image": "picture",
    "slug": "slug", "category": "path", "tag": "list",
}  # fmt: skip
_WORDY = {"name", "given", "family", "city", "street", "company", "description", "summary", "content", "author", "bio",
          "note", "country", "language", "brand"}  # fmt: skip

_HEARD = {*_SPEAKING, *_WORDY, "email", "date", "name", "avatar"}
"""The words in a field's name that anything is made of."""


def _among(field: Field, profile: ColumnProfile) -> float:
    """The share of the rows whose value is one the site accepts, by its letters or by what it names."""
    accepted = {plain_word(value) for value in field.enum}
    codes = {value.lower() for value in field.enum}
    known = 0
    for value, count in profile.top:
        word, named = _said(value)
        near = any(word and len(word) > 2 and (word.startswith(one) or one.startswith(word)) for one in accepted if one)
        if word in accepted or near or named & codes or any(code.split("-")[0] in codes for code in named):
            known += count
    total = sum(count for _, count in profile.top)
    return known / total if total else 0.0


@lru_cache(maxsize=8_192)
def _said(value: str) -> tuple[str, frozenset[str]]:
    """A value as a plain word, and the codes of what it may name. All fields with a few values ask for it."""
    codes = (country_code(value), *language_codes(value), currency_code(value))
    return plain_word(value), frozenset(code.lower() for code in codes if code)


def _matching(pattern: str, profile: ColumnProfile) -> float | None:
    return share_of_form(pattern, [value for value, _ in profile.top[:SEEN]])


SEEN = 30
"""As many of a column's commonest values are looked at."""


def share_of_form(pattern: str, values: Iterable[str | None]) -> float | None:
    """The share of some values that fit a pattern; None where it cannot be used, or there are none."""
    try:
        shape = usable(pattern)
    except UnusablePattern:
        return None
    some = pl.Series([None if value is None else value.strip()[:200] for value in values], dtype=pl.String)
    return float(shape.found_in(some).sum()) / len(some) if len(some) else None
