"""Orders with lines, and offers."""

from __future__ import annotations

import datetime as dt
import random
from typing import Any

ORDERS, LINES, OFFERS = 6214, 20_881, 318
FIRST_NUMBER = 10_400
Record = dict[str, Any]
_BEGAN = dt.datetime(2014, 2, 1, 8, 0)
_OF_LINES = ("sku", "product", "name", "price")
_STATES = (("done", 70), ("sent", 8), ("paid", 7), ("pending", 4), ("cancelled", 7), ("refunded", 4))


def offers(rng: random.Random, products: list[Record]) -> list[Record]:
    """318 offers, some for a few products only."""
    found: list[Record] = []
    taken = set[str]()
    while len(found) < OFFERS:
        code = f"{rng.choice(('SPRING', 'RYE', 'BEAN', 'MOSS', 'FROST', 'HARVEST'))}-{rng.randrange(10, 9999)}"
        if code in taken:
            continue
        taken.add(code)
        starts = _BEGAN + dt.timedelta(days=rng.randrange(4200))
        kind = rng.choices(("percent", "amount", "free shipping"), (60, 30, 10))[0]
        few = rng.sample(products, rng.randrange(1, 6)) if rng.random() < 0.3 else []
        found.append(
            {
                "code": code,
                "kind": kind,
                "amount": {"percent": rng.choice((5, 10, 15, 20)), "amount": rng.choice((25, 50, 100))}.get(kind, 0),
                "starts_at": starts,
                "ends_at": starts + dt.timedelta(days=rng.randrange(5, 90)) if rng.random() < 0.9 else None,
                "usage_limit": rng.choice((None, 1, 100, 500)),
                "minimum": rng.choice((None, None, 200.0, 400.0)),
                "skus": [one["sku"] for one in few],
            }
        )
    return found


def orders(
    rng: random.Random, customers: list[Record], products: list[Record], of: list[Record], number: int, many: list[int]
) -> list[Record]:
    """Orders in the order of their numbers, from ``number`` on, each with as many lines as ``many`` says."""
    bought = [variant | {"product": one["sku"]} for one in products for variant in (one["variants"] or [one])]
    placed = _BEGAN
    found = []
    for at, lines in enumerate(many):
        placed += dt.timedelta(minutes=rng.randrange(20, 1900))
        chosen = rng.sample(bought, lines)
        rows = [{name: one[name] for name in _OF_LINES} | {"quantity": rng.choice((1, 1, 2, 3, 5))} for one in chosen]
        goods = sum(row["quantity"] * row["price"] for row in rows)
        offer = rng.choice(of) if of and rng.random() < 0.12 else None
        discount = round(goods * offer["amount"] / 100, 2) if offer and offer["kind"] == "percent" else 0.0
        shipping = 0.0 if goods > 600 else 59.0
        states, weights = zip(*_STATES, strict=True)
        found.append(
            {
                "number": number + at,
                "customer": rng.choice(customers)["email"],
                "placed_at": placed,
                "status": rng.choices(states, weights)[0],
                "lines": rows,
                "shipping": shipping,
                "discount": discount,
                "total": round(goods + shipping - discount, 2),
                "offer": offer["code"] if offer else None,
                "note": rng.choice(("", "", "", "Please ring first", "A gift, no invoice")),
            }
        )
    return found


def numbers_of_lines(rng: random.Random) -> list[int]:
    """How many lines each order has: 20,881 in all."""
    found = [rng.choice((1, 2, 2, 3, 3, 4, 5, 7)) for _ in range(ORDERS)]
    while sum(found) != LINES:
        at, by = rng.randrange(ORDERS), 1 if sum(found) < LINES else -1
        if 1 <= found[at] + by <= 12:
            found[at] += by
    return found
