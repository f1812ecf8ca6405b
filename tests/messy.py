"""A sheet of customers as people really keep it, made by a seed: another hand, another language, another export.

``messy(seed)`` draws each habit from what is known here; nothing in it is a formula's work, and all of it must land by
suggestion alone but for the planted faults.
"""

from __future__ import annotations

import csv
import datetime as dt
import io
import random
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, NamedTuple

import phonenumbers

ROWS = 300

_FIRST = ["Ada", "Bo", "Cato", "Dörte", "Eirik", "Frøya", "Gus", "Håkon", "Ingrid", "Jörg", "Kari", "Lüder", "Marit"]
_LAST = ["Birkholm", "Dornbusch", "Ereholt", "Fernwick", "Grasvik", "Hasselmyr", "Kornblum", "Mossgaard", "Rugland"]
_STREETS = ["Moosweg", "Kornlia", "Haselgasse", "Quill Street", "Rugfaret", "Am Roggenfeld"]
_CITIES = ["Old Harbour", "Rugnes", "Birkholm", "Saatingen", "Frøstad", "Haselfurt"]
_PLANS = ["seedling", "sapling", "grove", "orchard"]


class Country(NamedTuple):
    code: str
    german: str
    norwegian: str
    english: str


_COUNTRIES = [
    Country("DE", "Deutschland", "Tyskland", "Germany"),
    Country("DK", "Dänemark", "Danmark", "Denmark"),
    Country("NO", "Norwegen", "Norge", "Norway"),
    Country("SE", "Schweden", "Sverige", "Sweden"),
    Country("GB", "Großbritannien", "Storbritannia", "United Kingdom"),
]
_LANGUAGES = {
    "de": ("Deutsch", "tysk", "German"),
    "nb": ("Norwegisch", "norsk", "Norwegian"),
    "en": ("Englisch", "engelsk", "English"),
}


@dataclass(frozen=True)
class Person:
    """One customer as the site would keep it."""

    number: int
    first: str
    last: str
    email: str
    country: Country
    phone: str
    plan: str
    joined: dt.datetime
    born: dt.date
    language: str
    newsletter: bool
    spent: float
    orders: int
    note: str
    street: str
    postcode: str
    city: str


Write = Callable[[Person], str]
Column = tuple[str, Write]


def _mobile(region: str, chance: random.Random) -> str:
    example = phonenumbers.example_number_for_type(region, phonenumbers.PhoneNumberType.MOBILE)
    assert example is not None
    assert example.national_number is not None
    example.national_number = example.national_number // 100 * 100 + chance.randrange(100)
    return phonenumbers.format_number(example, phonenumbers.PhoneNumberFormat.NATIONAL)


def people(chance: random.Random) -> list[Person]:
    found = []
    for number in range(1, ROWS + 1):
        first, last, country = chance.choice(_FIRST), chance.choice(_LAST), chance.choice(_COUNTRIES)
        joined = dt.datetime(2009, 1, 1) + dt.timedelta(minutes=chance.randrange(8_000_000))
        plain = f"{first}.{last}{number}".lower().translate(str.maketrans("öøåü", "oøau")).replace("ø", "o")
        found.append(
            Person(
                number,
                first,
                last,
                f"{plain}@quillmoss.example",
                country,
                _mobile(country.code, chance),
                chance.choice(_PLANS),
                joined,
                dt.date(1940, 1, 1) + dt.timedelta(days=chance.randrange(24_000)),
                chance.choice(list(_LANGUAGES)),
                chance.random() < 0.4,
                chance.randrange(1_000_000) / 100,
                chance.randrange(60),
                chance.choice(["", "", "Likes beans & peas", "Wants the catalogue, early"]),
                f"{chance.choice(_STREETS)} {chance.randrange(1, 180)}",
                f"{chance.randrange(10_000, 99_999)}",
                chance.choice(_CITIES),
            )
        )
    return found


def _grouped(mark: str, decimal: str, unit: str = "") -> Write:
    return lambda one: f"{one.spent:,.2f}".replace(",", "\0").replace(".", decimal).replace("\0", mark) + unit


def _html(one: Person) -> str:
    return f"<p>{one.note.replace('&', '&amp;')}</p>" if one.note else ""


def _written(pattern: str) -> Write:
    return lambda one: one.joined.strftime(pattern)


def _born(pattern: str) -> Write:
    return lambda one: one.born.strftime(pattern)


def _epoch(thousand: int) -> Write:
    return lambda one: str(int(one.joined.replace(tzinfo=dt.UTC).timestamp()) * thousand)


def _serial(one: Person) -> str:
    return f"{(one.joined - dt.datetime(1899, 12, 30)) / dt.timedelta(days=1):.6f}"


KNOWN: list[list[list[Column]]] = [
    [[("Kundennr.", lambda p: f"K-{p.number:05}")], [("Customer no", lambda p: f"C{p.number:04}")]],
    [
        [("Kunde", lambda p: f"{p.last}, {p.first}")],
        [("Vorname", lambda p: p.first), ("Nachname", lambda p: p.last)],
        [("Name", lambda p: f"{p.first} {p.last}")],
        [("Vor- und Zuname", lambda p: f"{p.first} {p.last}")],
        [("Customer (last, first)", lambda p: f"{p.last}, {p.first}")],
        [("Wer", lambda p: f"{p.last}, {p.first}")],
    ],
    [[("E-Mail", lambda p: p.email)], [("Email address", lambda p: p.email.upper())]],
    [
        [("Telefon", lambda p: p.phone), ("Land", lambda p: p.country.german)],
        [("Phone", lambda p: p.phone), ("Country", lambda p: p.country.english)],
    ],
    [[("Stufe", lambda p: p.plan.title())], [("Plan", lambda p: f" {p.plan.upper()}")]],
    [
        [("registered", _epoch(1))],
        [("Joined", _epoch(1_000))],
        [("Mitglied seit", _written("%d.%m.%Y %H:%M"))],
        [("Joined on", _serial)],
        [("Date joined", _written("%Y-%m-%dT%H:%M:%S"))],
    ],
    [[("birthday", _born("%-m/%-d/%Y"))], [("Geburtsdatum", _born("%d.%m.%Y"))], [("Date of birth", _born("%Y%m%d"))]],
    [[("Sprache", lambda p: _LANGUAGES[p.language][0])], [("Language", lambda p: p.language.upper())]],
    [
        [("Newsletter", lambda p: "x" if p.newsletter else "")],
        [("Newsletter", lambda p: "ja" if p.newsletter else "nein")],
        [("newsletter", lambda p: "1" if p.newsletter else "0")],
        [("NL-Abo", lambda p: "1" if p.newsletter else "0")],
    ],
    [[("Umsatz", _grouped("'", "."))], [("Total spent", _grouped(",", "."))], [("Umsatz", _grouped(".", ",", " kr"))]],
    [
        [("Bestellungen", lambda p: str(p.orders))],
        [("Orders", lambda p: f"{p.orders}")],
        [("Orders", lambda p: f"{p.orders}.0")],
    ],
    [[("Notiz", _html)], [("Notes", lambda p: p.note)]],
    [
        [("Straße", lambda p: p.street), ("PLZ", lambda p: p.postcode), ("Ort", lambda p: p.city)],
        [("Street", lambda p: p.street), ("Postcode", lambda p: p.postcode), ("City", lambda p: p.city)],
    ],
]
"""Of each thing that is kept the ways to keep it that this project was built beside."""


@dataclass(frozen=True)
class Messy:
    """``faults`` are the lines that cannot go, ``beside`` those that are no records at all and may be passed over."""

    data: bytes
    faults: set[int]
    beside: set[int]


def messy(seed: int, habits: list[list[list[Column]]] = KNOWN) -> Messy:
    """A file of one habit each, with its faults."""
    chance = random.Random(seed)
    columns = [column for ways in habits for column in (ways[seed % len(ways)] if seed < 3 else chance.choice(ways))]
    delimiter, encoding = chance.choice([(";", "cp1252"), (",", "utf-8-sig"), ("\t", "utf-16"), (";", "utf-8")])
    written = io.StringIO(newline="")
    writer = csv.writer(written, delimiter=delimiter, lineterminator="\r\n")
    line, faults, beside = 0, set[int](), set[int]()

    def put(cells: list[Any]) -> int:
        nonlocal line
        writer.writerow(cells)
        line += 1
        return line

    header = [name for name, _ in columns]
    if seed % 2 == 0:
        put(["Customers, spring export"])
        put([])
    put(header)
    kept = people(chance)
    chosen = chance.sample(range(20, ROWS - 10), 8)
    for at, one in enumerate(kept):
        cells = {name: write(one) for name, write in columns}
        mail = next(name for name, write in columns if "@" in write(one))
        if at in chosen[:2]:
            cells[mail] = cells[mail].replace("@", "(at)")
        if at == chosen[2]:
            cells[mail] = next(write for name, write in columns if name == mail)(kept[3])
        number = put([*cells.values(), *(["seen", "twice"] if at in chosen[3:5] else [])])
        if at in chosen[:5]:
            faults.add(number)
        if at == chosen[5]:
            beside.add(put(header))
    if seed % 3 == 0:
        total = [
            f"{sum(one.spent for one in kept):.2f}" if name in ("Umsatz", "Total spent") else "" for name in header
        ]
        beside.add(put(["Total" if at == 0 else cell for at, cell in enumerate(total)]))
    return Messy(written.getvalue().encode(encoding), faults, beside)
