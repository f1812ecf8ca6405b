"""Which steps make a column's values fit a field, and which pairs a value table is sure of."""

from __future__ import annotations

import difflib
import re

from datorum.core.formula.codes import country_code, country_names, currency_code, language_code, plain_word
from datorum.core.formula.date_form import date_form
from datorum.core.model import Field, FieldType, ValueTable
from datorum.core.profile import ColumnProfile
from datorum.core.steps import AnyStep, Case, Join, ReadDate, ReadNumber, ReadYesNo, SplitList, ToCode, Trim, WriteDate
from datorum.core.suggest.fit import code_meant

_DATE_TYPES = (FieldType.DATE, FieldType.DATE_TIME)


def suggest_steps(field: Field, profiles: list[ColumnProfile]) -> tuple[AnyStep, ...]:
    """Steps in order, judged by the profiles of the columns that feed the field."""
    steps: list[AnyStep] = []
    first = profiles[0]
    if any(profile.stray_spaces for profile in profiles):
        steps.append(Trim())
    if len(profiles) > 1:
        steps.append(Join())
    if field.type is FieldType.LIST:
        listed = next((kind for kind in first.kinds if kind.name == "list"), None)
        if "JSON" not in first.by_kind:
            steps.append(SplitList(separator=listed.detail if listed and listed.detail else ","))
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
    elif field.type is FieldType.BOOLEAN and first.yes_no > 0.5:
        steps.append(ReadYesNo())
    elif field.type is FieldType.TEXT and (code := code_meant(field, first)):
        steps.append(ToCode(of=code))
    return tuple(steps)


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
    return ValueTable(pairs=pairs)


def _named(value: str, accepted: tuple[str, ...], meaning: set[str]) -> set[str]:
    """What a value names by an open list of codes or by the trade's words, as the site spells it."""
    found: set[str] = set()
    if "country" in meaning:
        found |= {code for code in (country_code(value),) if code}
    if "language" in meaning:
        code = language_code(value)
        found |= {one for one in accepted if code and one.lower() in (code.lower(), code.split("-")[0].lower())} or (
            {code} if code else set()
        )
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
