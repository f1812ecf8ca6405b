"""The kinds of value that a column may hold, each told from its distinct values."""

from __future__ import annotations

import ipaddress
import json
import re
from collections import Counter
from collections.abc import Callable, Iterator
from typing import NamedTuple

from pydantic import BaseModel
from stdnum import ean

from datorum.core.formula.amount import plain_number
from datorum.core.formula.codes import country_code, currency_code, language_code
from datorum.core.formula.date_form import date_form
from datorum.core.steps.read_yes_no import NO, YES

DATE_PATTERNS = (
    "YYYY-MM-DD",
    "D/M/YYYY",
    "M/D/YYYY",
    "D.M.YYYY",
    "D-M-YYYY",
    "M-D-YYYY",
    "YYYY/M/D",
    "YYYYMMDD",
    "D MMM YYYY",
    "D. MMMM YYYY",
    "D MMMM YYYY",
    "MMM D, YYYY",
    "MMMM D, YYYY",
    "D/M/YY",
    "D.M.YY",
    "M/D/YY",
)
_TIMES = ("", " H:MM", " H:MM:SS", "THH:MM:SS", "THH:MM")
_ISO_MOMENT = re.compile(r"^\d{4}-\d\d-\d\d[T ]\d\d:\d\d(:\d\d(\.\d+)?)?([Zz]|[+-]\d\d:?\d\d)$")
"""With what it lies from UTC, without which it is no moment but a time on some clock."""
BEGINNING = 1_000
"""As many characters of a value are looked at: no kind is told by more, but that of JSON."""
_FIRST_LOOK = 48
_HOPELESS = 0.1
_DATELIKE = re.compile(r"\d.*\D.*\d|^\d{8}$")
# The other order of day and month, by which the same texts may read.
_SWAPPED = {"D/M": "M/D", "M/D": "D/M", "D-M": "M-D", "M-D": "D-M", "D.M": "M.D"}


class Kind(BaseModel, frozen=True):
    """One kind with the share of the distinct values that fit it, 0 to 1, and what else can be told of it."""

    name: str
    share: float
    detail: str = ""


def kinds_of(values: list[str], dates: Dates) -> tuple[Kind, ...]:
    """The kinds that at least half of the values fit, the best first. ``values``: filled, distinct, trimmed."""
    if not values:
        return ()
    beginnings = [value[:BEGINNING] for value in values]
    judged = {"date": (dates.share, dates.detail), **{name: rule(beginnings) for name, rule in _KINDS.items()}}
    judged["JSON"] = _each(_json)(values)
    found = [Kind(name=name, share=round(share, 4), detail=detail) for name, (share, detail) in judged.items()]
    return tuple(sorted((kind for kind in found if kind.share >= 0.5), key=lambda kind: -kind.share))


Rule = Callable[[list[str]], tuple[float, str]]


class Dates(NamedTuple):
    """How a column reads as dates: the pattern (None for moments in ISO 8601, which need none), the share of the
    values that it reads, and whether they read with day and month swapped as well."""

    pattern: str | None = None
    share: float = 0.0
    ambiguous: bool = False

    @property
    def detail(self) -> str:
        pattern = self.pattern or ("ISO 8601" if self.share else "")
        return f"{pattern}, day and month may be swapped" if self.ambiguous else pattern


def best_date(values: list[str]) -> Dates:
    """The pattern that reads most values."""
    like = [value for value in values if _DATELIKE.search(value)]
    if not values or len(like) < len(values) / 2:
        return Dates()
    moments = _share(values, _ISO_MOMENT)
    if moments > 0.9 and "T" in values[0]:
        return Dates(None, moments)
    best = Dates()
    for pattern in _all_patterns():
        read = date_form(pattern)
        if sum(re.match(read.shape, value) is not None for value in like[:40]) < min(len(like), 40) / 2:
            continue
        share = sum(read.read(value) is not None for value in values) / len(values)
        if share > best.share + 0.001:
            best = Dates(pattern, share)
    if best.pattern is None or best.share < 0.5:
        return Dates()
    swapped = next((best.pattern.replace(a, b, 1) for a, b in _SWAPPED.items() if a in best.pattern), None)
    if swapped is None:
        return best
    other = date_form(swapped)
    return best._replace(ambiguous=sum(other.read(value) is not None for value in values) >= best.share * len(values))


_WHOLE_NUMBER = re.compile(r"^-?\d{5,17}(\.\d+)?$")
_UNITS = (
    # Each for moments from about 1927 to 2099; counts near an epoch are too like other numbers.
    ("days since 1899-12-30", 10_000, 73_050),
    ("seconds since 1970", 10**7, 4.1e9),
    ("milliseconds since 1970", 10**10, 4.1e12),
    ("microseconds since 1970", 10**13, 4.1e15),
)


def date_unit(values: list[str]) -> str | None:
    """The unit in which numbers may count moments since an epoch, where nearly all of them can be that; whether they
    are is for who knows what the column is to be."""
    counts = [abs(float(value)) for value in values if _WHOLE_NUMBER.match(value)]
    if not counts or len(counts) < 0.95 * len(values):
        return None
    for unit, least, most in _UNITS:
        if sum(least <= count <= most for count in counts) >= 0.95 * len(counts):
            parts_of_days = unit.startswith("days") and any(count % 1 for count in counts)
            return unit.replace("days since", "days and time since") if parts_of_days else unit
    return None


def _all_patterns() -> Iterator[str]:
    return (day + time for day in DATE_PATTERNS for time in _TIMES)


def best_number(values: list[str]) -> tuple[str | None, float]:
    """The decimal mark by which most values read as amounts, and the share that does."""
    if not values:
        return None, 0.0
    shares = {mark: sum(plain_number(value, mark) is not None for value in values) / len(values) for mark in ".,"}
    mark = "." if shares["."] >= shares[","] else ","
    return (mark, shares[mark]) if shares[mark] >= 0.5 else (None, 0.0)


def yes_no(values: list[str]) -> float:
    """The share of the values that are spellings of yes or no."""
    words = {*YES, *NO}
    return sum(value.lower() in words for value in values) / len(values) if values and len(values) <= 16 else 0.0


def _share(values: list[str], pattern: re.Pattern[str]) -> float:
    return sum(pattern.search(value) is not None for value in values) / len(values)


def _matches(pattern: str, detail: str = "") -> Rule:
    compiled = re.compile(pattern)
    return lambda values: (_share(values, compiled), detail)


def _each(test: Callable[[str], object]) -> Rule:
    def rule(values: list[str]) -> tuple[float, str]:
        few = values[:: max(len(values) // _FIRST_LOOK, 1)]
        share = sum(bool(test(value)) for value in few) / len(few)
        # What next to none of some spread over all are is not what half of them are.
        if len(few) == len(values) or share < _HOPELESS:
            return share, ""
        return sum(bool(test(value)) for value in values) / len(values), ""

    return rule


def _decimal(mark: str) -> Rule:
    group = "," if mark == "." else "."
    decimals = re.compile(rf"^[+-]?(\d+|\d{{1,3}}({re.escape(group)}\d{{3}})+){re.escape(mark)}\d+$")
    whole = re.compile(r"^[+-]?\d+$")

    def rule(values: list[str]) -> tuple[float, str]:
        some = _share(values, decimals)
        return (some + _share(values, whole) if some >= 0.2 else 0.0), ""

    return rule


_MONEY = re.compile(r"^([^\d\s.,+-]{1,5})?\s*[+-]?\d[\d.,'\s\u00a0]*(?:,-)?\s*([^\d\s.,]{1,5}\.?)?$")


def _money(values: list[str]) -> tuple[float, str]:
    currencies: Counter[str] = Counter()
    for one in values:
        match = _MONEY.match(one)
        sign = (match[1] or match[2] or "").rstrip(".").strip() if match else ""
        if sign and (currency_code(sign) or sign.lower() == "kr"):
            currencies[currency_code(sign) or "kr"] += 1
    return currencies.total() / len(values), ", ".join(name for name, _ in currencies.most_common(3))


def _yes_no(values: list[str]) -> tuple[float, str]:
    return yes_no(values), ", ".join(values[:6])


def _ip(text: str) -> bool:
    try:
        ipaddress.ip_address(text)
    except ValueError:
        return False
    return True


def _json(text: str) -> bool:
    if text[:1] not in "[{":
        return False
    try:
        json.loads(text)
    except (ValueError, RecursionError):
        return False
    return True


_PHONE = re.compile(r"^(\+|00|\(?0)?[\d\s()/.-]{6,22}$")


def _is_phone(text: str) -> bool:
    digits = sum(letter.isdigit() for letter in text)
    marked = text[:1] in "+(" or text[:1] == "0" or any(mark in text for mark in " -/")
    # 2024-03-05 and 3.50 have the marks of a number that one dials, but are none.
    if re.match(r"^\d{4}-\d\d-\d\d|^\d{1,2}[./-]\d{1,2}[./-]\d{2,4}$|^[\d ]*[.,]\d{1,2}$", text):
        return False
    return 7 <= digits <= 15 and marked and bool(_PHONE.match(text))


_POSTCODE = re.compile(
    r"^(?:\d{4,5}|\d{3} ?\d{2}|\d{5}-\d{4}|[A-Z]{1,2}\d[A-Z\d]? ?\d[A-Z]{2}|[A-Z]{1,2}-?\d{4,5}|\d{4} ?[A-Z]{2}"
    r"|\d{2}-\d{3}|[A-Z]\d[A-Z] ?\d[A-Z]\d)$"
)

_HASHES = (
    ("bcrypt", re.compile(r"^\$2[abxy]\$\d\d\$[./A-Za-z0-9]{53}$")),
    ("argon2", re.compile(r"^\$argon2(id|i|d)\$")),
    ("phpass", re.compile(r"^\$[PH]\$[./A-Za-z0-9]{31}$")),
    ("SHA-512 crypt", re.compile(r"^\$6\$")),
    ("SHA-256 crypt", re.compile(r"^\$5\$")),
    ("scrypt", re.compile(r"^\$scrypt\$|^\$7\$")),
    ("PBKDF2", re.compile(r"^\$?pbkdf2[-_a-z0-9]*[$:]\d+[$:]", re.IGNORECASE)),
    ("SHA-512", re.compile(r"^[0-9a-f]{128}$", re.IGNORECASE)),
    ("SHA-256", re.compile(r"^[0-9a-f]{64}$", re.IGNORECASE)),
    ("SHA-1", re.compile(r"^[0-9a-f]{40}$", re.IGNORECASE)),
    ("MD5", re.compile(r"^[0-9a-f]{32}$", re.IGNORECASE)),
)


def hash_format(text: str) -> str | None:
    """The format of a stored password hash, or None."""
    return next((name for name, shape in _HASHES if shape.match(text)), None)


def _hashes(values: list[str]) -> tuple[float, str]:
    formats = Counter(filter(None, map(hash_format, values)))
    return formats.total() / len(values), ", ".join(name for name, _ in formats.most_common(3))


def _divided(separators: tuple[str, ...], most: int) -> Rule:
    """Texts that one separator divides into short parts."""

    def rule(values: list[str]) -> tuple[float, str]:
        best, which = 0.0, ""
        for separator in separators:
            divided = [one.split(separator) for one in values if separator in one]
            if len(divided) <= best * len(values):
                continue
            hits = sum(all(len(part) <= most for part in parts) for parts in divided)
            parts = [part.strip() for parts in divided for part in parts]
            # The parts of lists recur; those of sentences do not.
            if hits / len(values) > best and len(parts) > len(set(parts)) * 1.3:
                best, which = hits / len(values), separator
        return best, which.strip() or which

    return rule


_KINDS: dict[str, Rule] = {
    "integer": _matches(r"^[+-]?\d{1,18}$"),
    "decimal, point": _decimal("."),
    "decimal, comma": _decimal(","),
    "money": _money,
    "time": _matches(r"^\d{1,2}:\d\d(:\d\d)?$"),
    "yes or no": _yes_no,
    "e-mail": _matches(r"^\S+@\S+\.\S+$"),
    "web address": _matches(r"^(https?://|www\.)\S+$"),
    "telephone": _each(_is_phone),
    "country": _each(lambda text: len(text) > 1 and country_code(text)),
    "language": _each(lambda text: len(text) > 1 and language_code(text)),
    "currency": _each(lambda text: currency_code(text)),
    "postcode": _each(lambda text: _POSTCODE.match(text.upper())),
    "GTIN": _each(lambda text: len(text) in (8, 12, 13, 14) and ean.is_valid(text)),
    "IP address": _each(_ip),
    "UUID": _matches(r"^[0-9A-Fa-f]{8}(-[0-9A-Fa-f]{4}){3}-[0-9A-Fa-f]{12}$"),
    "password hash": _hashes,
    "HTML": _matches(r"<(p|br|div|span|a|b|i|em|strong|ul|ol|li|h[1-6]|img|table)\b[^>]*>"),
    "list": _divided(("|", ";", ", ", ","), 40),
    "path": _divided((" > ", ">", " / ", " » ", "/"), 60),
    "slug": _matches(r"^[a-z0-9]+(-[a-z0-9]+)+$"),
    "picture": _matches(r"(?i)\.(jpe?g|png|gif|webp|svg|avif)(\?\S*)?$"),
}
