"""The formats a text can be held to, by the names JSON Schema 2020-12, OpenAPI and its registry give them."""

from __future__ import annotations

import re
from collections.abc import Callable
from urllib.parse import urlsplit
from zoneinfo import available_timezones

import phonenumbers
import polars as pl
from email_validator import EmailNotValidError, validate_email
from stdnum import ean, iban

from datorum.core.formula.codes import country_codes, currency_codes, language_code
from datorum.core.formula.html import TooDeep, clean_html
from datorum.core.patterns import UnusablePattern, pattern
from datorum.core.profile.kinds import hash_format

Fits = Callable[[pl.Series], pl.Series]

# Addresses of this shape are well-formed by RFC 5322 dot-atoms and RFC 1035 labels; only the rest ask the library.
_PLAIN_EMAIL = (
    r"^[A-Za-z0-9_+\-]+(\.[A-Za-z0-9_+\-]+)*@[A-Za-z0-9]+(-[A-Za-z0-9]+)*(\.[A-Za-z0-9]+(-[A-Za-z0-9]+)*)*"
    r"\.[A-Za-z]{2,63}$"
)
_SHORT = 64
"""No address of so many characters has a part that is too long."""


_MOMENT = r"^\d{4}-\d\d-\d\d[Tt ]([01]\d|2[0-3]):[0-5]\d:([0-5]\d|60)(\.\d+)?([Zz]|[+-]\d\d:\d\d)$"


_LONGEST = 2_000
"""No value of a format that is judged by a library has more characters."""


def each_distinct(values: pl.Series, test: Callable[[str], bool], longest: int | None = None) -> pl.Series:
    """A test of one value over a column, each distinct value tried once; null stays null. What is longer than
    ``longest`` is not tried, and fails."""
    distinct = values.drop_nulls().unique()
    answers = pl.Series(
        [(longest is None or len(value) <= longest) and test(value) for value in distinct], dtype=pl.Boolean
    )
    return values.replace_strict(distinct, answers, default=None, return_dtype=pl.Boolean)


def _matches(pattern: str) -> Fits:
    return lambda values: values.str.contains(pattern)


def _one_by_one(test: Callable[[str], bool], longest: int | None = _LONGEST) -> Fits:
    return lambda values: each_distinct(values, test, longest)


def _among(codes: Callable[[], frozenset[str]]) -> Fits:
    return lambda values: values.is_in(list(codes()))


def _valid_email(text: str) -> bool:
    try:
        validate_email(text, check_deliverability=False, test_environment=True)
    except EmailNotValidError:
        return False
    return True


def _email(values: pl.Series) -> pl.Series:
    plain = values.str.contains(_PLAIN_EMAIL) & (values.str.len_chars() <= _SHORT)
    odd = values.filter(~plain.fill_null(True) & (values.str.len_bytes() <= _LONGEST)).unique()
    valid = [text for text in odd.to_list() if _valid_email(text)]
    return plain | values.is_in(valid)


def _date(values: pl.Series) -> pl.Series:
    return values.str.contains(r"^\d{4}-\d\d-\d\d$") & _is_day(values)


def _date_time(values: pl.Series) -> pl.Series:
    return values.str.contains(_MOMENT) & _is_day(values.str.head(10))


def _is_day(days: pl.Series) -> pl.Series:
    """Whether texts shaped as dates are days of the calendar; only the ends of months need be looked up."""
    sure = days.str.contains(r"^\d{4}-(0[1-9]|1[0-2])-(0[1-9]|1\d|2[0-8])$")
    doubtful = (~sure).fill_null(False)
    if doubtful.any():
        real = days.filter(doubtful).str.strptime(pl.Date, "%Y-%m-%d", strict=False).is_not_null()
        sure = sure.scatter(doubtful.arg_true(), real)
    return sure


def _whole_address(text: str) -> bool:
    try:
        parts = urlsplit(text)
        return parts.scheme in ("http", "https") and bool(parts.hostname) and not re.search(r"[\s<>\"]", text)
    except ValueError:
        return False


def _e164(text: str) -> bool:
    try:
        return text.startswith("+") and phonenumbers.is_possible_number(phonenumbers.parse(text))
    except phonenumbers.NumberParseException:
        return False


def _regex(text: str) -> bool:
    try:
        pattern(text)
    except UnusablePattern:
        return False
    return True


def _time_zones() -> frozenset[str]:
    return frozenset(available_timezones())


def _uncut_html(text: str) -> bool:
    """Whether cleaning takes nothing away but the way the same markup is written."""
    try:
        cleaned = clean_html(text)
    except TooDeep:
        return False
    return "".join(cleaned.split()).lower() == "".join(text.split()).lower()


_URI = r"^[A-Za-z][A-Za-z0-9+.\-]*:[^\s<>\"{}|\\^`]+$"
_IPV6 = r"^([0-9A-Fa-f]{0,4}:){2,7}([0-9A-Fa-f]{0,4}|(\d{1,3}\.){3}\d{1,3})$"

FORMATS: dict[str, tuple[str, Fits]] = {
    "email": ("an e-mail address", _email),
    "idn-email": ("an e-mail address", _email),
    "date": ("a date such as 2026-11-23", _date),
    "date-time": ("a date and time such as 2026-11-23T14:10:00Z", _date_time),
    "time": (
        "a time such as 14:10:00Z",
        _matches(r"^([01]\d|2[0-3]):[0-5]\d:([0-5]\d|60)(\.\d+)?([Zz]|[+-]\d\d:\d\d)?$"),
    ),
    "duration": ("a duration such as P3D", _matches(r"^P(\d+W|(\d+Y)?(\d+M)?(\d+D)?(T(\d+H)?(\d+M)?(\d+S)?)?)$")),
    "uri": ("a web address", _matches(_URI)),
    "iri": ("a web address", _matches(_URI)),
    "url": ("a web address that begins with http:// or https://", _one_by_one(_whole_address)),
    "uri-reference": ("a web address or a part of one", _matches(r"^[^\s<>\"{}|\\^`]*$")),
    "uuid": ("a UUID", _matches(r"^[0-9A-Fa-f]{8}(-[0-9A-Fa-f]{4}){3}-[0-9A-Fa-f]{12}$")),
    "ipv4": ("an IP address", _matches(r"^((25[0-5]|2[0-4]\d|1?\d?\d)(\.|$)){4}$")),
    "ipv6": ("an IPv6 address", _matches(_IPV6)),
    "hostname": ("a host name", _matches(r"^[A-Za-z0-9]([A-Za-z0-9\-.]{0,251}[A-Za-z0-9])?$")),
    "regex": ("a regular expression", _one_by_one(_regex)),
    "json-pointer": ("a JSON pointer", _matches(r"^(/([^~/]|~[01])*)*$")),
    "phone": ("a telephone number such as +4722334455", _one_by_one(_e164)),
    "e164": ("a telephone number such as +4722334455", _one_by_one(_e164)),
    "tel": ("a telephone number such as +4722334455", _one_by_one(_e164)),
    "country": ("an ISO 3166 country code", _among(country_codes)),
    "country-code": ("an ISO 3166 country code", _among(country_codes)),
    "iso-3166-1-alpha-2": ("an ISO 3166 country code", _among(country_codes)),
    "currency": ("an ISO 4217 currency code", _among(currency_codes)),
    "iso-4217": ("an ISO 4217 currency code", _among(currency_codes)),
    "language": ("a language tag such as nb or en-GB", _one_by_one(lambda text: language_code(text) == text)),
    "bcp47": ("a language tag such as nb or en-GB", _one_by_one(lambda text: language_code(text) == text)),
    "locale": (
        "a locale such as nb or en_GB",
        _one_by_one(lambda text: language_code(text) == text.replace("_", "-")),
    ),
    "gtin": ("a GTIN with a right check digit", _one_by_one(ean.is_valid)),
    "ean": ("a GTIN with a right check digit", _one_by_one(ean.is_valid)),
    "ean13": ("a GTIN with a right check digit", _one_by_one(ean.is_valid)),
    "iban": ("an IBAN with a right check digit", _one_by_one(iban.is_valid)),
    "timezone": ("a time zone such as Europe/Oslo", _among(_time_zones)),
    "time-zone": ("a time zone such as Europe/Oslo", _among(_time_zones)),
    "iana-timezone": ("a time zone such as Europe/Oslo", _among(_time_zones)),
    "password-hash": ("a password hash in a known format", _one_by_one(lambda text: hash_format(text) is not None)),
    "phc": ("a password hash in a known format", _one_by_one(lambda text: hash_format(text) is not None)),
    "slug": ("a part of a web address such as red-onion", _matches(r"^[a-z0-9]+(-[a-z0-9]+)*$")),
    "html": ("HTML that the site would keep whole", _one_by_one(_uncut_html, longest=None)),
}
