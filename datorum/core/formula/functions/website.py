"""Functions for websites and imports. The standard has none of these; they are Datorum's own."""

from __future__ import annotations

import datetime as dt
import hashlib
import json
import re
import unicodedata
import zoneinfo
from collections.abc import Callable
from functools import lru_cache
from typing import get_args
from urllib.parse import urljoin, urlsplit

import phonenumbers
import polars as pl

from datorum.core.formula.amount import plain_number
from datorum.core.formula.codes import country_code, currency_code, language_code
from datorum.core.formula.date_form import UNITS_SINCE, date_form
from datorum.core.formula.fault import NOT_AVAILABLE, FormulaFault, bad_value
from datorum.core.formula.function import function
from datorum.core.formula.functions.text import bounded
from datorum.core.formula.html import TooDeep, clean_html, strip_tags
from datorum.core.formula.scope import THIS, Scope
from datorum.core.formula.shortcodes import Treatment, treated
from datorum.core.formula.values import EPOCH, Lazy, Value, moment_of, read_number, serial, shown, to_number, to_text
from datorum.core.patterns import engine_says

_GROUP = "Websites"
_RUN = "Row and run"
_FOLDED = str.maketrans({"ø": "o", "æ": "ae", "œ": "oe", "ß": "ss", "đ": "d", "ð": "d", "þ": "th", "ł": "l", "ı": "i"})
_GERMAN = str.maketrans({"ä": "ae", "ö": "oe", "ü": "ue"})


@function(_GROUP, extension=True)
def first(value: Value, *more: Value) -> Value:
    """The first of the values that is not blank, such as that of a record's first line."""
    return next((one for one in (value, *more) if one not in (None, "")), None)


@function(_GROUP, extension=True)
def last(value: Value, *more: Value) -> Value:
    """The last of the values that is not blank, such as that of a record's last line."""
    return next((one for one in reversed((value, *more)) if one not in (None, "")), None)


@function(_GROUP, extension=True)
def slug(text: str, language: str = "") -> str:
    """A text as a part of a web address: lower case, no accents, hyphens between words; "de" writes ä as ae."""
    lower = text.lower()
    if language.lower().startswith("de"):
        lower = lower.translate(_GERMAN)
    plain = unicodedata.normalize("NFKD", lower.translate(_FOLDED))
    letters = "".join(letter for letter in plain if not unicodedata.combining(letter))
    return "-".join(re.findall(r"[a-z0-9]+", letters.replace("'", "").replace("’", "")))


@function(_GROUP, extension=True)
def striptags(html: str) -> str:
    """HTML as plain text."""
    return _not_too_deep(strip_tags, html)


@function(_GROUP, extension=True)
def cleanhtml(html: str, tags: str = "", shortcodes: str = "off") -> str:
    """HTML of allowed tags only, free of scripts and page-builder wrappers; shortcodes are taken "off", or "keep"."""
    allowed = frozenset(re.findall(r"[a-z][a-z0-9]*", tags.lower())) or None
    how = _treatment(shortcodes)
    return _not_too_deep(lambda text: clean_html(text, allowed, shortcodes=how), html)


@function(_GROUP, name="SHORTCODES", extension=True)
def shortcodes_dealt_with(text: str, others: str = "off", keep: str = "", out: str = "", off: str = "") -> str:
    """A text with its shortcodes taken "off", "out" with what they hold, or left ("keep"), some by their names."""
    named = [re.findall(r"[a-z][a-z0-9_-]*", names.lower()) for names in (keep, out, off)]
    return treated(text, _treatment(others), keep=named[0], out=named[1], off=named[2])


def _treatment(how: str) -> Treatment:
    """What is to become of shortcodes, by the word for it."""
    found: Treatment | None = next((one for one in get_args(Treatment) if one == how.strip().lower()), None)
    if found is None:
        raise bad_value(f"“{how}” says nothing of shortcodes; off, out and keep do")
    return found


def _not_too_deep(work: Callable[[str], str], html: str) -> str:
    try:
        return work(html)
    except TooDeep as error:
        raise bad_value(str(error)) from None


@function(_GROUP, extension=True)
def splitpart(text: str, separator: str, number: int) -> str:
    """One part of a text that a separator divides, counted from 1, or from -1 at the end; blank where there is none."""
    if not separator:
        raise bad_value("the separator is empty")
    if number == 0:
        raise bad_value("parts are counted from 1, or from -1 at the end")
    parts = text.split(separator)
    at = number - 1 if number > 0 else number
    return parts[at].strip() if -len(parts) <= at < len(parts) else ""


@function(_GROUP, extension=True)
def takepart(text: str, separator: str, part: str) -> str:
    """One end of a text that a separator divides: first, last, all but first, or all but last."""
    parts = text.split(separator) if separator else [text]
    match part:
        case "first":
            return parts[0].strip()
        case "last":
            return parts[-1].strip() if len(parts) > 1 else ""
        case "all but first":
            return separator.join(parts[1:]).strip()
        case "all but last":
            return (separator.join(parts[:-1]) if len(parts) > 1 else text).strip()
    raise bad_value("the part is first, last, all but first, or all but last")


@function(_GROUP, extension=True)
def list_(text: str, separator: str) -> str:
    """A text that a separator divides as a list, written as a JSON array; blank items are passed over."""
    items = [item.strip() for item in text.split(separator)] if separator else [text.strip()]
    items = [item for item in items if item]
    return json.dumps(items, ensure_ascii=False) if items else ""


@function(_GROUP, extension=True)
def sentencecase(text: str) -> str:
    """A capital at the start, the rest in lower case."""
    return text[:1].upper() + text[1:].lower()


@function(_GROUP, extension=True)
def collapse(text: str) -> str:
    """Without spaces around, and with one between words; tabs and no-break spaces count as spaces, line ends stay."""
    return re.sub(r"[ \t\u00a0]+", " ", text).strip()


@function(_GROUP, extension=True)
def matches(text: str, pattern: str) -> bool:
    """TRUE if a regular expression is found in the text."""
    return bool(_expression(text, pl.col("text").str.contains(pattern)))


@function(_GROUP, extension=True)
def extract(text: str, pattern: str, group: int = 0) -> str:
    """What a regular expression, or a group of it, finds in the text; blank where nothing."""
    return to_text(_expression(text, pl.col("text").str.extract(pattern, group)))


@function(_GROUP, extension=True)
def replacepattern(text: str, pattern: str, by: str) -> str:
    """Everything that a regular expression finds, replaced; $1 stands for its first group."""
    count = _expression(text, pl.col("text").str.count_matches(pattern))
    # A group that is put in again is no longer than the text, and all of them together are not either.
    bounded(len(text) * (1 + by.count("$")) + int(to_number(count)) * len(by))
    return to_text(_expression(text, pl.col("text").str.replace_all(pattern, by)))


def _expression(text: str, found: pl.Expr) -> Value:
    """By the engine that works on columns: its time grows with the text only, whatever the pattern."""
    try:
        return pl.DataFrame({"text": [text]}).select(found).item()  # type: ignore[no-any-return]
    except pl.exceptions.PolarsError as error:
        raise bad_value(f"the pattern cannot be used: {engine_says(error)}") from None


@function(_GROUP, extension=True)
def readdate(text: Value, pattern: str, zone: str = "") -> Value:
    """The date that a text says by a pattern (D/M/YYYY H:MM; seconds since 1970); with a time zone, turned into UTC."""
    if not isinstance(text, str) and pattern not in UNITS_SINCE:
        return text
    trimmed = to_text(text).strip()
    if not trimmed:
        return None
    form = date_form(pattern)
    if form.fault:
        raise bad_value(form.fault)
    moment = form.read(trimmed)
    if moment is None:
        raise bad_value(f"“{shown(trimmed)}” does not read as {form.words}")
    return serial(_to_utc(moment, zone) if zone and form.has_time and form.is_local else moment)


@lru_cache(maxsize=64)
def _zone(name: str) -> zoneinfo.ZoneInfo:
    try:
        return zoneinfo.ZoneInfo(name)
    except (zoneinfo.ZoneInfoNotFoundError, ValueError, OSError):
        raise bad_value(f"there is no time zone “{shown(name)}”") from None


def _to_utc(moment: dt.datetime, zone: str) -> dt.datetime:
    """A local time in UTC; of a time that comes twice the first, and none for one that a clock skips."""
    there = moment.replace(tzinfo=_zone(zone))
    utc = there.astimezone(dt.UTC)
    if utc.astimezone(_zone(zone)).replace(tzinfo=None) != moment:
        raise bad_value(f"the clocks of {zone} skip this time")
    return utc.replace(tzinfo=None)


@function(_GROUP, extension=True)
def writedate(date: Value, pattern: str, zone: str = "") -> Value:
    """A date written by a pattern; with a time zone, taken as UTC and written in local time."""
    if date is None or date == "":
        return None
    moment = moment_of(read_number(date) if isinstance(date, str) else float(date))
    if zone:
        moment = moment.replace(tzinfo=dt.UTC).astimezone(_zone(zone)).replace(tzinfo=None)
    if moment < EPOCH.replace(year=1):
        raise bad_value("the date is out of range")
    return date_form(pattern).write(moment)


@function(_GROUP, extension=True)
def plainnumber(text: str, decimal: str = ".") -> Value:
    """The plain digits of an amount as text, none lost: currency and grouping marks gone, a point before decimals."""
    if not text.strip():
        return None
    found = plain_number(text, decimal)
    if found is None:
        raise bad_value(f"“{shown(text)}” does not read as a number with “{decimal}” before the decimals")
    return found


@function(_GROUP, extension=True)
def readamount(text: str, decimal: str = ".") -> Value:
    """The number that an amount says, currency and grouping marks gone."""
    digits = plainnumber(text, decimal)
    return None if digits is None else float(digits)


@function(_GROUP, extension=True)
def readyesno(text: str, yes: str, no: str) -> Value:
    """TRUE or FALSE for spellings given with | between them, in any case."""
    word = text.strip().lower()
    if not word:
        return None
    if word in yes.lower().split("|"):
        return True
    if word in no.lower().split("|"):
        return False
    raise bad_value(f"“{shown(text)}” is neither a yes nor a no")


@function(_GROUP, extension=True)
def phone(text: str, country: str = "") -> Value:
    """A telephone number in the form of E.164: +4722334455. The country is that of numbers without a prefix."""
    if not text.strip():
        return None
    # 00 is the international prefix nearly everywhere.
    written = re.sub(r"^\s*00(?=[1-9])", "+", text)
    try:
        number = phonenumbers.parse(written, country.upper() or None)
    except phonenumbers.NumberParseException:
        raise bad_value(f"“{shown(text)}” is no telephone number") from None
    if not phonenumbers.is_possible_number(number) or number.extension:
        raise bad_value(f"“{shown(text)}” is no telephone number of the right length")
    return str(phonenumbers.format_number(number, phonenumbers.PhoneNumberFormat.E164))


def _code(text: str, found: str | None, of: str) -> Value:
    if not text.strip():
        return None
    if found is None:
        raise bad_value(f"“{shown(text)}” is no {of} known by that name")
    return found


@function(_GROUP, extension=True)
def countrycode(text: str) -> Value:
    """The ISO 3166 code of a country's name in several languages, or of another code."""
    return _code(text, country_code(text), "country")


@function(_GROUP, extension=True)
def languagecode(text: str) -> Value:
    """The BCP 47 tag of a language's name."""
    return _code(text, language_code(text), "language")


@function(_GROUP, extension=True)
def currencycode(text: str) -> Value:
    """The ISO 4217 code of a currency's name or sign."""
    return _code(text, currency_code(text), "currency")


@function(_GROUP, extension=True)
def absoluteurl(address: str, base: str) -> Value:
    """A web address made whole by the address that it is relative to."""
    if not address.strip():
        return None
    try:
        whole = urljoin(base, address.strip())
        good = urlsplit(whole)
    except ValueError:
        raise bad_value(f"“{shown(address)}” is no web address") from None
    if good.scheme not in ("http", "https") or not good.netloc:
        raise bad_value(f"“{shown(whole)}” is no whole web address")
    return whole


@function(_GROUP, extension=True)
def hash_(text: str, method: str = "sha256") -> str:
    """The digest of a text in hexadecimal figures, by md5, sha1, sha256 or sha512."""
    name = method.lower().replace("-", "")
    if name not in ("md5", "sha1", "sha256", "sha512"):
        raise bad_value("the method is md5, sha1, sha256 or sha512")
    # Here a digest tells rows apart; nothing is kept secret by it.
    return hashlib.new(name, text.encode(), usedforsecurity=False).hexdigest()


@function(_GROUP, extension=True)
def default(value: Value, otherwise: Lazy) -> Value:
    """The value, or another one where it is blank."""
    return otherwise() if value is None or (isinstance(value, str) and not value.strip()) else value


@function(_RUN, extension=True)
def valuetable(table: str, value: str, scope: Scope) -> str:
    """The site value that a named value table has for a value; #N/A where it has none."""
    pairs = scope.tables.get(table)
    if pairs is None:
        raise bad_value(f"there is no value table “{shown(table)}”")
    if value not in pairs:
        raise FormulaFault(NOT_AVAILABLE, f"the value table “{table}” has no “{shown(value)}”")
    return pairs[value]


@function(_RUN, extension=True)
def this(scope: Scope) -> Value:
    """The value so far, where a formula stands among the steps of a field."""
    value = scope.cells.get(THIS)
    return None if value == "" else value


@function(_RUN, extension=True)
def rownumber(scope: Scope) -> float:
    """The line of the file where the row begins."""
    return float(scope.row)


@function(_RUN, extension=True)
def parameter(name: str, scope: Scope) -> str:
    """A parameter that was given to the run."""
    if name not in scope.parameters:
        raise FormulaFault(NOT_AVAILABLE, f"the run has no parameter “{shown(name)}”")
    return scope.parameters[name]


@function(_RUN, extension=True)
def person(scope: Scope) -> str:
    """The name of the person who last changed the mapping."""
    return scope.person


@function(_RUN, extension=True)
def rundate(scope: Scope) -> float:
    """The day of the run."""
    return serial(scope.now.date())
