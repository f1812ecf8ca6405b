"""Users of the old shop, and who came to its courses."""

from __future__ import annotations

import datetime as dt
import random
from typing import Any

from demo.data import words

USERS, STAYING = 917, 4
ENTRIES = 702
Record = dict[str, Any]
_COURSES = (
    "Saving bean seed",
    "Rye from field to loaf",
    "Grafting for beginners",
    "A winter garden",
    "Seed cleaning day",
)


def users(rng: random.Random, customers: list[Record]) -> list[Record]:
    """917 users, the first four of them administrators who stay where they are. Many are customers as well."""
    found, taken = [], set[str]()
    for number in range(USERS):
        customer = customers[number * 2 + rng.randrange(2)]
        first = customer["name"].split()[0]
        username = _unlike(f"{words.slug(first)}.{words.slug(customer['name'].split()[-1])}"[:50], taken)
        role = "administrator" if number < STAYING else rng.choices(("author", "editor", "subscriber"), (8, 3, 89))[0]
        found.append(
            {
                "username": username,
                "email": customer["email"],
                "display_name": customer["name"],
                "role": role,
                "locale": customer["language"],
                "registered_at": dt.datetime(2010, 1, 1) + dt.timedelta(minutes=rng.randrange(8_000_000)),
                "bio": rng.choice(("", "", "", "Grows beans on a balcony.", "Keeps <b>bees</b> &amp; rye.")),
                "website": rng.choice(("", "", "", "https://garden.example/")),
            }
        )
    return found


def _unlike(name: str, taken: set[str]) -> str:
    found, count = name, 2
    while found in taken:
        found, count = f"{name}{count}", count + 1
    taken.add(found)
    return found


def entries(rng: random.Random, customers: list[Record]) -> list[Record]:
    """702 course entries, some with files."""
    return [
        {
            "reference": f"C{2015 + number % 11}-{1000 + number}",
            "course": rng.choice(_COURSES),
            "customer": rng.choice(customers)["email"],
            "entered_at": dt.datetime(2015, 1, 5) + dt.timedelta(hours=rng.randrange(95_000)),
            "state": rng.choices(("attended", "booked", "cancelled"), (70, 18, 12))[0],
            "paid": rng.choice((0.0, 250.0, 250.0, 480.0)),
            "files": [f"entry-{number}-{at + 1}.pdf" for at in range(rng.choices((0, 1, 2), (55, 35, 10))[0])],
            "remarks": rng.choice(("", "", "Vegetarian", "Comes by train,\nneeds a lift")),
        }
        for number in range(ENTRIES)
    ]
