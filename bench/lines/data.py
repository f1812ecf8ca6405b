"""Order lines, and the customers and products that they mean."""

from __future__ import annotations

import random
from pathlib import Path

import polars as pl

_HOME = Path(__file__).parents[2] / ".datorum" / "bench"
CUSTOMERS, PRODUCTS = 300_000, 200_000
HEADERS = ("Order no.", "Customer e-mail", "Ordered", "Status", "Sum", "Postage", "SKU", "Article", "Qty", "Price each")


def email(number: int) -> str:
    return f"person.{number}@quillmoss.example"


def sku(number: int) -> str:
    return f"Q{chr(65 + number % 26)}-{100 + number % 900}-{number // 900 + 1}"


def lines_csv(lines: int) -> Path:
    """The file, made once and kept: four lines an order on average, one order in fifty with something wrong."""
    path = _HOME / f"order-lines-{lines}.csv"
    if path.exists():
        return path
    path.parent.mkdir(parents=True, exist_ok=True)
    chance = random.Random(11)
    columns: dict[str, list[str]] = {name: [] for name in HEADERS}
    number = 0
    while len(columns["SKU"]) < lines:
        number += 1
        items = [(sku(chance.randrange(PRODUCTS)), chance.randint(1, 5), chance.randint(100, 90_000) / 100)
                 for _ in range(min(chance.choice((1, 2, 3, 4, 6, 8)), lines - len(columns["SKU"])))]  # fmt: skip
        wrong = chance.randrange(50)
        postage = chance.choice((0.0, 59.0))
        total = round(sum(count * price for _, count, price in items) + postage + (7.0 if wrong == 1 else 0.0), 2)
        who = email(chance.randrange(CUSTOMERS) if wrong != 2 else CUSTOMERS + number)
        day = f"{chance.randint(1, 28):02}.{chance.randint(1, 12):02}.{chance.randint(2014, 2025)}"
        head = (
            str(100_000 + number),
            who,
            day,
            chance.choice(("paid", "sent", "done")),
            f"{total:.2f}",
            f"{postage:.2f}",
        )
        for item, count, price in items:
            for name, cell in zip(HEADERS, (*head, item, "Seeds of the year", str(count), f"{price:.2f}"), strict=True):
                columns[name].append(cell)
    pl.DataFrame(columns).write_csv(path)
    return path
