"""The formats a text can be held to, by the names JSON Schema 2020-12 and OpenAPI give them."""

from __future__ import annotations

from collections.abc import Callable

import polars as pl
from email_validator import EmailNotValidError, validate_email

Fits = Callable[[pl.Series], pl.Series]

# Addresses of this shape are well-formed by RFC 5322 dot-atoms and RFC 1035 labels; only the rest ask the library.
_PLAIN_EMAIL = (
    r"^[A-Za-z0-9_+\-]+(\.[A-Za-z0-9_+\-]+)*@[A-Za-z0-9]([A-Za-z0-9\-]{0,61}[A-Za-z0-9])?"
    r"(\.[A-Za-z0-9]([A-Za-z0-9\-]{0,61}[A-Za-z0-9])?)*\.[A-Za-z]{2,63}$"
)


def _matches(pattern: str) -> Fits:
    return lambda values: values.str.contains(pattern)


def _valid_email(text: str) -> bool:
    try:
        validate_email(text, check_deliverability=False, test_environment=True)
    except EmailNotValidError:
        return False
    return True


def _email(values: pl.Series) -> pl.Series:
    plain = values.str.contains(_PLAIN_EMAIL) & (values.str.len_chars() <= 254)
    odd = values.filter(~plain.fill_null(True)).unique()
    valid = [text for text in odd.to_list() if _valid_email(text)]
    return plain | values.is_in(valid)


def _date(values: pl.Series) -> pl.Series:
    return (
        values.str.contains(r"^\d{4}-\d\d-\d\d$") & values.str.strptime(pl.Date, "%Y-%m-%d", strict=False).is_not_null()
    )


def _date_time(values: pl.Series) -> pl.Series:
    shaped = values.str.contains(r"^\d{4}-\d\d-\d\d[Tt ]\d\d:\d\d:\d\d(\.\d+)?([Zz]|[+-]\d\d:\d\d)$")
    real = values.str.slice(0, 19).str.replace("[t ]", "T").str.strptime(pl.Datetime, "%Y-%m-%dT%H:%M:%S", strict=False)
    return shaped & real.is_not_null()


FORMATS: dict[str, tuple[str, Fits]] = {
    "email": ("an e-mail address", _email),
    "date": ("a date such as 2026-11-23", _date),
    "date-time": ("a date and time such as 2026-11-23T14:10:00Z", _date_time),
    "uri": ("a web address", _matches(r"^[A-Za-z][A-Za-z0-9+.\-]*:[^\s<>\"{}|\\^`]+$")),
    "uuid": ("a UUID", _matches(r"^[0-9A-Fa-f]{8}(-[0-9A-Fa-f]{4}){3}-[0-9A-Fa-f]{12}$")),
    "ipv4": ("an IP address", _matches(r"^((25[0-5]|2[0-4]\d|1?\d?\d)(\.|$)){4}$")),
    "hostname": ("a host name", _matches(r"^[A-Za-z0-9]([A-Za-z0-9\-.]{0,251}[A-Za-z0-9])?$")),
}
