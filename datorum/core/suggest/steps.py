"""Which steps make a column's values fit a field, and which pairs a value table is sure of."""

from __future__ import annotations

import difflib
import re
from collections.abc import Iterator
from collections.abc import Mapping as AnyMapping

import polars as pl

from datorum.core.formula.codes import country_code, country_names, currency_code, language_codes, plain_word
from datorum.core.formula.date_form import date_form
from datorum.core.formula.shortcodes import shortcodes_in
from datorum.core.model import Field, FieldType, ValueTable
from datorum.core.passwords import respelled, takes_hash
from datorum.core.profile import ColumnProfile
from datorum.core.steps import (
    AnyStep,
    Arithmetic,
    BlankWhen,
    Case,
    Default,
    Html,
    Join,
    Phone,
    PhoneByCountry,
    ReadDate,
    ReadNumber,
    ReadYesNo,
    Replace,
    Shortcodes,
    Slug,
    SplitList,
    SwapParts,
    TakeDigits,
    ToCode,
    Trim,
    WriteDate,
)
from datorum.core.steps.read_yes_no import YES
from datorum.core.suggest.fit import SEEN, code_meant, share_like, share_of_form
from datorum.core.suggest.names import tokens
from datorum.core.suggest.units import change_of_unit

_DATE_TYPES = (FieldType.DATE, FieldType.DATE_TIME)


def suggest_steps(
    field: Field, profiles: list[ColumnProfile], beside: AnyMapping[str, ColumnProfile]
) -> tuple[AnyStep, ...]:
    """Steps in order, judged by the profiles of the columns that feed the field; ``beside`` are all of the sheet."""
    steps: list[AnyStep] = []
    first = profiles[0]
    if field.type in (FieldType.INTEGER, FieldType.NUMBER) and not field.required and (words := _no_number(first)):
        steps.append(BlankWhen(words=words))
    if any(profile.stray_spaces for profile in profiles):
        steps.append(Trim())
    if len(profiles) > 1:
        steps.append(Join())
    if field.type is FieldType.LIST:
        listed = next((kind for kind in first.kinds if kind.name == "list"), None)
        if "JSON" not in first.by_kind:
            steps.append(SplitList(separator=listed.detail if listed and listed.detail else _between(first)))
    elif field.format == "email":
        steps.append(Case(to="lower"))
    elif field.type in _DATE_TYPES and (form := first.date_pattern or first.date_unit):
        steps.append(ReadDate(pattern=form))
        wants_time = field.type is FieldType.DATE_TIME
        if wants_time != date_form(form).has_time:
            # A day becomes the moment that it begins with, and of a moment its day stays.
            steps.append(WriteDate(pattern="YYYY-MM-DDTHH:MM:SSZ" if wants_time else "YYYY-MM-DD"))
    elif field.type in (FieldType.INTEGER, FieldType.NUMBER) and first.plain_numbers < 0.995 and first.decimal:
        steps.append(ReadNumber.model_validate({"decimal": first.decimal}))
        steps += times(change_of_unit(first, field).times)
    elif field.type in (FieldType.INTEGER, FieldType.NUMBER) and (change := change_of_unit(first, field).times) != 1:
        steps += times(change)
    elif field.type is FieldType.INTEGER and first.coded_numbers:
        steps.append(TakeDigits())
    elif field.type is FieldType.BOOLEAN and first.yes_no > 0.5:
        steps.append(ReadYesNo())
        if first.distinct == 1 and first.filled < first.rows:
            # A tick or nothing: where there is none, the answer is no.
            steps.append(Default(value="false" if first.samples[0].strip().lower() in YES else "true"))
    elif field.type is FieldType.TEXT and (code := code_meant(field, first)):
        steps.append(ToCode(of=code))
    elif field.type is FieldType.TEXT:
        steps += _of_text(field, profiles, beside)
    return tuple(steps)


def _between(profile: ColumnProfile) -> str:
    """What stands between the items of a list where few values have several: the sign that stands in most of them."""
    values = {*profile.samples, *(value for value, _ in profile.top)}
    return max((",", ";", "|", "\n"), key=lambda sign: sum(sign in value for value in values))


def _no_number(profile: ColumnProfile) -> tuple[str, ...]:
    """The words among a column of numbers that say that there is none."""
    values = {value.strip().lower() for value in (*profile.samples, *(value for value, _ in profile.top))}
    return tuple(sorted(values & _NONE))


_NONE = frozenset(
    (
        "n/a na none nil null - -- – — unlimited infinite ∞ any ingen ubegrenset ubegrenzt unbegrenzt unbeschränkt"
        " keine keins kein no-limit"
    ).split()
) | {"no limit", "not set", "not applicable", "ikke satt", "uten grense", "ohne grenze"}  # fmt: skip


def times(number: float) -> Iterator[AnyStep]:
    """What multiplies by a number, in the words in which a person would."""
    if number > 1:
        yield Arithmetic(operation="multiply", number=number)
    elif number < 1:
        yield Arithmetic(operation="divide", number=round(1 / number, 6))


def _of_text(field: Field, profiles: list[ColumnProfile], beside: AnyMapping[str, ColumnProfile]) -> Iterator[AnyStep]:
    """What makes a text fit: names the right way round, telephone numbers with their country, no HTML where it is not
    meant."""
    first = profiles[0]
    meant = set(tokens(field.path))
    if len(profiles) == 1 and "name" in meant and not meant & {"product", "company"} and surname_first(first):
        yield SwapParts()
    way = _to_the_form(field, first)
    country = _country_beside(meant, beside) if "phone" in meant else None
    if country and (isinstance(way, Phone) or share_like(first, _NATIONAL) > 0.2):
        yield PhoneByCountry(column=country)
    elif way:
        yield way
    if takes_hash(field):
        for begins, other in respelled(field, (value for one in profiles for value in one.samples)).items():
            yield Replace(find=begins, by=other)
    if first.by_kind.get("HTML", 0.0) >= 0.5 and not meant & {"description", "content", "summary", "html"}:
        yield Html(to="text")
    elif any(shortcodes_in(value) for one in profiles for value in one.samples):
        yield Shortcodes()


def _to_the_form(field: Field, profile: ColumnProfile) -> AnyStep | None:
    """What makes the values of a column of the form that a field asks for, where as they are most are not."""
    if not field.pattern:
        return None
    values = pl.Series([value for value, _ in profile.top[:SEEN]], dtype=pl.String)
    as_they_are = share_of_form(field.pattern, values)
    if as_they_are is None or as_they_are >= _MOST:
        return None
    fitting = {way: share_of_form(field.pattern, way.apply(values).values) or 0.0 for way in _WAYS}
    best = max(fitting, key=lambda way: fitting[way])
    return best if fitting[best] >= _MOST else None


_WAYS: tuple[AnyStep, ...] = (Case(to="upper"), Case(to="lower"), Phone(), Slug())
_MOST = 0.9
_NATIONAL = re.compile(r"^(?!\+|00)[(\d][\d\s()/.-]{4,}$")
_SURNAME_FIRST = re.compile(r"^[^,;\d]+, *[^,;\d]+$")


def surname_first(profile: ColumnProfile) -> bool:
    """Whether a column of names has the surname, a comma, and the first name."""
    return share_like(profile, _SURNAME_FIRST) > 0.8


def _country_beside(meant: set[str], beside: AnyMapping[str, ColumnProfile]) -> str | None:
    """The column of the sheet that names countries, of the same address where there are several; the only one that
    holds them, where none is called so."""
    sides = {"billing", "shipping"}
    holding = {name: share for name, one in beside.items() if (share := one.by_kind.get("country", 0.0)) > 0.6}
    found = [name for name in holding if "country" in tokens(name)]
    if not found:
        sure = [name for name, share in holding.items() if share > 0.9]
        found = sure if len(sure) == 1 else []
    same = [name for name in found if sides & set(tokens(name)) == sides & meant]
    return next(iter(same or found), None)


def suggest_pairs(values: list[str], accepted: tuple[str, ...], meaning: set[str]) -> ValueTable:
    """Pairs for the values whose site value is beyond doubt: the same word, a known name, or a slip of one letter.

    ``meaning`` holds the concepts of the field's name; what is in doubt stays open.
    """
    by_word = {plain_word(value): value for value in accepted}
    pairs: dict[str, str] = {}
    for value in values:
        # “Full sun” says no more of the sun that a plant wants than “full”.
        word = " ".join(part for part in plain_word(value).split() if part not in meaning) or plain_word(value)
        named = {by_word[word]} if word in by_word else _named(value, accepted, meaning)
        if not named:
            spellings = by_word | (country_names() if "country" in meaning else {})
            near = difflib.get_close_matches(word, [w for w in spellings if len(w) > 4], n=2, cutoff=0.86)
            named = {spellings[name] for name in near}
        # A name that is known for something the site does not take stays open, however like another it is.
        if len(named) == 1 and named <= set(accepted):
            pairs[value] = named.pop()
    if "country" in meaning:
        pairs |= _by_sign(values, accepted, pairs)
    return ValueTable(pairs=pairs)


_SIGNS = {"A": "AT", "B": "BE", "D": "DE", "E": "ES", "F": "FR", "FIN": "FI", "H": "HU", "I": "IT", "IRL": "IE",
          "L": "LU", "N": "NO", "P": "PT", "S": "SE"}  # fmt: skip
"""Signs of countries on vehicles (Convention on Road Traffic, 1968, annex 3), where those are no codes."""
_AROUND_THEM = frozenset(_SIGNS.values()) | {"CH", "CZ", "DK", "GB", "IS", "LI", "NL", "PL", "SI", "SK"}


def _by_sign(values: list[str], accepted: tuple[str, ...], known: AnyMapping[str, str]) -> dict[str, str]:
    """The countries that single letters mean among other countries, where all of those are around them."""
    others = {code for code in known.values() if code}
    if not others or not others <= _AROUND_THEM:
        return {}
    signs = {value: _SIGNS[value.strip().upper()] for value in values if value.strip().upper() in _SIGNS}
    return {value: code for value, code in signs.items() if value not in known and code in accepted}


def _named(value: str, accepted: tuple[str, ...], meaning: set[str]) -> set[str]:
    """What a value names by an open list of codes or by the trade's words, as the site spells it."""
    found: set[str] = set()
    if "country" in meaning:
        found |= {code for code in (country_code(value),) if code}
    if "language" in meaning:
        codes = language_codes(value)
        taken = (next((one for one in accepted if one.lower() == code.lower()), None) for code in codes)
        found |= {next((one for one in taken if one), codes[0])} if codes else set()
    if "currency" in meaning:
        found |= {code for code in (currency_code(value),) if code}
    word = plain_word(value)
    for line in _SYNONYMS:
        if word in line:
            found |= {one for one in accepted if plain_word(re.sub(r"[_-]", " ", one)) in line}
    return found


_SYNONYMS = tuple(
    frozenset(plain_word(word) for word in line.split(","))
    for line in (
        "completed, complete, done, fulfilled, finished, abgeschlossen, erledigt, fullfort, ferdig, levert, delivered,"
        "shipped, sendt, versendet",
        "processing, in progress, in process, in bearbeitung, under behandling, behandles, open, offen, apen",
        "pending, pending payment, awaiting payment, unpaid, ausstehend, venter, venter pa betaling, unbezahlt,ubetalt",
        "cancelled, canceled, storniert, kansellert, avbrutt, annullert, abgebrochen",
        "refunded, erstattet, refundert, tilbakebetalt, returned",
        "on hold, hold, held, zuruckgestellt, pa vent, wartend",
        "failed, fehlgeschlagen, feilet, mislykket",
        "published, publish, live, online, active, aktiv, veroffentlicht, publisert, visible, synlig, enabled",
        "draft, entwurf, utkast, kladd, unpublished, inactive, inaktiv, hidden, skjult",
        "approved, approve, genehmigt, freigegeben, godkjent, ja, yes, 1",
        "spam, junk, sperre",
        "trash, deleted, geloscht, slettet, papierkorb",
        "percent, percentage, prozent, prosent, %, relative",
        "fixed, fixed amount, fixed cart, fest, fester betrag, fast belop, fast, amount, absolute, betrag, belop",
        "administrator, admin, superuser",
        "editor, redakteur, redaktor",
        "author, autor, forfatter, verfasser",
        "customer, kunde, shopper, buyer",
        "subscriber, abonnent, member, medlem, mitglied",
    )
)
