"""The old shop's customers, and those of them who are on the new site already."""

from __future__ import annotations

import csv
import datetime as dt
import io
import random
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel

from demo.data import words

ROWS = 2412
ALREADY_THERE = 200
HEADERS = (
    "Customer ID", "E-mail Address", "First Name", "Surname", "Company", "Tier", "Joined", "Date of Birth",
    "Telephone", "Street", "Street 2", "Postcode", "City", "Country", "Language", "Newsletter", "Total Spent",
    "Orders", "Notes", "Last Seen", "Old Theme",
)  # fmt: skip

_TIERS = {
    "seedling": ("Seedling", "seedling", "SEEDLING", "Seedling "),
    "sapling": ("Sapling", "sapling", "SAPLING", " Sapling"),
    "grove": ("Grove", "grove", "GROVE"),
    "orchard": ("Orchard", "orchard", "Orchard "),
}
_COUNTRIES = {
    "NO": ("Norway", "NO", "Norge", "norway", "NORWAY", "no"),
    "DE": ("Germany", "DE", "Deutschland", "germany", "Tyskland"),
    "GB": ("United Kingdom", "GB", "UK", "U.K.", "Great Britain"),
    "SE": ("Sweden", "SE", "Sverige"),
    "DK": ("Denmark", "DK", "Danmark"),
    "IE": ("Ireland", "IE", "ireland"),
}
_WEIGHTS = {"NO": 48, "DE": 22, "GB": 14, "SE": 7, "DK": 6, "IE": 3}
_DIALLING = {"NO": "+47", "DE": "+49", "GB": "+44", "SE": "+46", "DK": "+45", "IE": "+353"}
_LANGUAGES = {"NO": "nb", "DE": "de", "GB": "en", "SE": "en", "DK": "en", "IE": "en"}
_ASCII = {"æ": "ae", "ø": "o", "å": "a", "ä": "ae", "ö": "oe", "ü": "ue", "ß": "ss", "ë": "e"}
_YES = ("yes", "Y", "TRUE")
_NO = ("no", "N", "FALSE")
_NOTES = (
    "Prefers paper packets.\nNo plastic, please.",
    'Known as "the bean lady" at the market;\nasks for runner beans every spring.',
    "Collects in person",
    "Swaps tomato seed with the allotment next door",
    "Leave parcels with the neighbour,\nnot on the step",
    "Wants the rye list, early",
)


class Manifest(BaseModel):
    """What was planted, by row number (the line in the file where the row begins)."""

    rows: int
    columns: int
    already_on_site: int
    identical: list[int]
    changed: list[int]
    bad_email: list[int]
    duplicate_email: list[int]
    impossible_date: list[int]
    unknown_tier: list[int]
    name_too_long: list[int]
    epoch_birth_date: list[int]
    """Rows that pass with a warning: their birth date is what a blank one becomes in many systems."""

    @property
    def held(self) -> set[int]:
        """Rows with at least one fault."""
        return {
            *self.bad_email,
            *self.duplicate_email,
            *self.impossible_date,
            *self.unknown_tier,
            *self.name_too_long,
        }


@dataclass(frozen=True)
class CustomersDemo:
    """The export's bytes, what the new site holds before, what every customer is meant to be, and the manifest."""

    csv: bytes
    on_site: list[dict[str, Any]]
    meant: list[dict[str, Any]]
    manifest: Manifest


def generate_customers(seed: int = 20261) -> CustomersDemo:
    """The same bytes for the same seed."""
    people = _People(seed)
    customers = [people.customer(number) for number in range(ROWS)]
    picks = random.Random(seed + 1)
    order = picks.sample(range(50, ROWS), 400)
    faults = _plant(customers, order, picks)
    there = order[200 : 200 + ALREADY_THERE]
    on_site, identical, changed = _already_there(customers, there, picks)
    data, lines = _write([customer["supplied"] for customer in customers])

    def at_lines(indices: list[int]) -> list[int]:
        return sorted(lines[index] for index in indices)

    manifest = Manifest.model_validate(
        {
            "rows": ROWS,
            "columns": len(HEADERS),
            "already_on_site": len(on_site),
            "identical": at_lines(identical),
            "changed": at_lines(changed),
            **{name: at_lines(indices) for name, indices in faults.items()},
        }
    )
    return CustomersDemo(data, on_site, [customer["meant"] for customer in customers], manifest)


class _People:
    """Made-up customers: each with the values it means and the way the old shop happens to write them."""

    def __init__(self, seed: int) -> None:
        self.random = random.Random(seed)
        self.emails: set[str] = set()

    def customer(self, number: int) -> dict[str, Any]:
        rng = self.random
        code = rng.choices(list(_WEIGHTS), list(_WEIGHTS.values()))[0]
        tongue = words.TONGUES[code]
        first, last = rng.choice(tongue.given), rng.choice(tongue.heads) + rng.choice(tongue.tails)
        joined = dt.datetime(2009, 3, 1) + dt.timedelta(minutes=rng.randrange(60 * 24 * 365 * 17))
        born = dt.date(1938, 1, 1) + dt.timedelta(days=rng.randrange(365 * 68)) if rng.random() < 0.7 else None
        cents = rng.randrange(0, 900_000) if rng.random() < 0.9 else 0
        tier = rng.choices(list(_TIERS), [50, 30, 15, 5])[0]
        newsletter = rng.random() < 0.6
        phone = "".join(str(rng.randrange(10)) for _ in range(8)) if rng.random() < 0.8 else ""
        seen = joined + dt.timedelta(days=rng.randrange(1, 2000))
        meant: dict[str, Any] = {
            "email": self._email(first, last),
            "name": f"{first} {last}",
            "member_number": 1000 + number * 3 + rng.randrange(3),
            "company": f"{last} {rng.choice(tongue.trades)}" if rng.random() < 0.15 else "",
            "plan": tier,
            "joined_at": joined.strftime("%Y-%m-%dT%H:%M:00Z"),
            "birth_date": born.isoformat() if born else None,
            "phone": f"{_DIALLING[code]}{phone}" if phone else None,
            "street": f"{rng.choice(tongue.streets)} {rng.randrange(1, 180)}",
            "street2": f"Unit {rng.randrange(1, 40)}" if rng.random() < 0.1 else "",
            "postcode": tongue.postcode(rng),
            "city": rng.choice(tongue.places),
            "country": code,
            "language": _LANGUAGES[code],
            "newsletter": newsletter,
            "total_spent": cents / 100,
            "orders_count": cents // 21_000 + (1 if cents else 0),
            "notes": rng.choice(_NOTES) if rng.random() < 0.25 else "",
        }
        return {"meant": meant, "supplied": self._as_the_shop_writes(meant, first, last, joined, born, cents, seen)}

    def _email(self, first: str, last: str) -> str:
        plain = "".join(_ASCII.get(letter, letter) for letter in f"{first}.{last}".lower())
        local = "".join(letter for letter in plain if letter.isascii() and (letter.isalnum() or letter == "."))
        local = local.strip(".").replace("..", ".")
        email, count = f"{local}@example.org", 2
        while email in self.emails:
            email, count = f"{local}{count}@example.org", count + 1
        self.emails.add(email)
        return email

    def _as_the_shop_writes(
        self,
        meant: dict[str, Any],
        first: str,
        last: str,
        joined: dt.datetime,
        born: dt.date | None,
        cents: int,
        seen: dt.datetime,
    ) -> dict[str, str]:
        rng = self.random
        return {
            "Customer ID": str(meant["member_number"]),
            "E-mail Address": self._strayed(rng.choice((meant["email"], meant["email"], meant["email"].title()))),
            "First Name": self._strayed(first.upper() if rng.random() < 0.06 else first),
            "Surname": self._strayed(last.upper() if rng.random() < 0.06 else last),
            "Company": meant["company"],
            "Tier": rng.choice(_TIERS[meant["plan"]]),
            "Joined": f"{joined.day:02}/{joined.month:02}/{joined.year} {joined.hour:02}:{joined.minute:02}",
            "Date of Birth": f"{born.day:02}/{born.month:02}/{born.year}" if born else "",
            "Telephone": meant["phone"] or "",
            "Street": meant["street"],
            "Street 2": meant["street2"],
            "Postcode": meant["postcode"],
            "City": self._strayed(meant["city"]),
            "Country": rng.choice(_COUNTRIES[meant["country"]]),
            "Language": meant["language"],
            "Newsletter": rng.choice(_YES if meant["newsletter"] else _NO),
            "Total Spent": rng.choice(("{} kr", "{} kr", "{} NOK", "kr {}")).format(f"{cents / 100:,.2f}"),
            "Orders": str(meant["orders_count"]),
            "Notes": meant["notes"],
            "Last Seen": seen.date().isoformat(),
            "Old Theme": rng.choice(("", "", "fern", "bark")),
        }

    def _strayed(self, text: str) -> str:
        """Now and then with a space too many."""
        chance = self.random.random()
        return f" {text}" if chance < 0.04 else f"{text} " if chance < 0.08 else text


def _plant(customers: list[dict[str, Any]], order: list[int], rng: random.Random) -> dict[str, list[int]]:
    faults = {
        "bad_email": order[0:9],
        "duplicate_email": order[9:16],
        "impossible_date": order[16:21],
        "unknown_tier": order[21:27],
        "name_too_long": order[27:31],
    }
    for number, index in enumerate(faults["bad_email"]):
        local = customers[index]["meant"]["email"].split("@")[0]
        customers[index]["supplied"]["E-mail Address"] = (f"{local}(at)example.org", local, f"{local}@@example.org")[
            number % 3
        ]
    for index in faults["duplicate_email"]:
        earlier = customers[rng.randrange(0, 50)]["meant"]["email"]
        customers[index]["supplied"]["E-mail Address"] = rng.choice((earlier, earlier.upper(), f" {earlier}"))
    for number, index in enumerate(faults["impossible_date"]):
        customers[index]["supplied"]["Joined"] = ("31/02/2020 10:00", "30/02/2017 08:15", "31/04/2019 12:30")[
            number % 3
        ]
    for number, index in enumerate(faults["unknown_tier"]):
        customers[index]["supplied"]["Tier"] = ("Bonsai", "Hedge")[number % 2]
    for index in faults["name_too_long"]:
        customers[index]["supplied"]["Surname"] = " ".join(["Featherstonehaugh"] * 8)
    epoch = [index for index, one in enumerate(customers) if one["supplied"]["Date of Birth"] == "01/01/1970"]
    return {**faults, "epoch_birth_date": epoch}


def _already_there(
    customers: list[dict[str, Any]], indices: list[int], rng: random.Random
) -> tuple[list[dict[str, Any]], list[int], list[int]]:
    """Records for the new site: two fifths the same as in the sheet, the rest changed since in one to three fields."""
    records, identical, changed = [], [], []
    for number, index in enumerate(indices):
        supplied = customers[index]["supplied"]
        record = dict(customers[index]["meant"])
        # The sheet says what it says: a name in capitals is in capitals in the record that counts as the same.
        record["name"] = f"{supplied['First Name'].strip()} {supplied['Surname'].strip()}"
        if number < len(indices) * 2 // 5:
            identical.append(index)
        else:
            changed.append(index)
            # A field that the sheet leaves blank keeps what the site has, so only filled ones are changed.
            for field in rng.sample(("plan", "city", "newsletter", "total_spent"), rng.randrange(1, 4)):
                record[field] = {
                    "plan": "seedling" if record["plan"] != "seedling" else "sapling",
                    "city": "Old Harbour",
                    "newsletter": not record["newsletter"],
                    "total_spent": round(record["total_spent"] + 12.5, 2),
                }[field]
        records.append(_as_record(record))
    return records, identical, changed


def _write(rows: list[dict[str, str]]) -> tuple[bytes, list[int]]:
    """The CSV's bytes and the line where each row begins."""
    out = io.StringIO(newline="")
    writer = csv.DictWriter(out, HEADERS)
    writer.writeheader()
    lines, line = [], 2
    for row in rows:
        lines.append(line)
        writer.writerow(row)
        line += 1 + sum(value.count("\n") for value in row.values())
    return out.getvalue().encode(), lines


def _as_record(flat: dict[str, Any]) -> dict[str, Any]:
    """A customer in the new site's form: the address is an object, and blank fields are left out."""
    parts = ("street", "street2", "postcode", "city", "country")
    body = {name: value for name, value in flat.items() if name not in parts and value not in (None, "")}
    return {**body, "address": {name: flat[name] for name in parts if flat[name]}}
