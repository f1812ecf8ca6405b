"""All that Quillmoss has, as it is meant: what the old shop writes in its way, and the new site is to have in its
own."""

from __future__ import annotations

import datetime as dt
import random
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from demo.data import catalogue, people, trade, writing
from demo.data.customers import CustomersDemo, generate_customers

Record = dict[str, Any]
_SEED = 20262


@dataclass(frozen=True)
class World:
    """Records of each kind with natural keys in place of ids: an order's customer by e-mail, a line's product by
    SKU."""

    customers: list[Record]
    users: list[Record]
    terms: list[Record]
    products: list[Record]
    pictures: list[Record]
    offers: list[Record]
    orders: list[Record]
    articles: list[Record]
    comments: list[Record]
    entries: list[Record]

    @cached_property
    def files(self) -> list[Record]:
        """The media that course entries have attached."""
        names = (name for one in self.entries for name in one["files"])
        return [{"filename": name, "title": "", "alt": ""} for name in names]


def generate_world(customers: CustomersDemo | None = None) -> World:
    """The same for the same seed."""
    rng = random.Random(_SEED)
    known = (customers or generate_customers()).meant
    terms = catalogue.terms()
    products = catalogue.products(rng, terms)
    offers = trade.offers(rng, products)
    users = people.users(rng, known)
    many = trade.numbers_of_lines(rng)
    authors = [one for one in users if one["role"] != "subscriber"]
    articles = writing.articles(rng, authors, terms)
    return World(
        customers=known,
        users=users,
        terms=terms,
        products=products,
        pictures=list(catalogue.pictures(products)),
        offers=offers,
        orders=trade.orders(rng, known, products, offers, trade.FIRST_NUMBER, many),
        articles=articles,
        comments=writing.comments(rng, articles, known),
        entries=people.entries(rng, known),
    )


SAMPLES, OWN_ORDERS, OWN_FIRST_NUMBER = 6, 47, 70_001


def starter(customers: CustomersDemo) -> dict[str, list[Record]]:
    """What the new site has from its start, in its own form, by the singular of each kind: 200 customers, sample
    products and terms that came with it and are to be cleared, and 47 orders since it opened, numbered on from its
    own first number."""
    rng = random.Random(_SEED + 1)
    vocabularies = [{"name": name, "title": title} for name, title in catalogue.VOCABULARIES]
    terms = [
        {"vocabulary_name": "category", "slug": f"sample-{at}", "name": f"Sample category {at}", "position": at}
        for at in range(1, 4)
    ]
    samples: list[Record] = [
        {
            "sku": f"XX-{900 + at}",
            "name": f"Sample packet {at}",
            "slug": f"sample-packet-{at}",
            "price": 10.0 * at,
            "status": "published",
            "term_ids": [1 + at % 3],
        }
        for at in range(1, SAMPLES + 1)
    ]
    opened = dt.datetime(2026, 10, 1, 9, tzinfo=dt.UTC)
    orders = []
    for at in range(OWN_ORDERS):
        lines = [
            {"product_sku": one["sku"], "name": one["name"], "quantity": rng.randrange(1, 4), "price": one["price"]}
            for one in rng.sample(samples, rng.randrange(1, 4))
        ]
        orders.append(
            {
                "number": OWN_FIRST_NUMBER + at,
                "customer_id": rng.randrange(1, len(customers.on_site) + 1),
                "placed_at": (opened + dt.timedelta(hours=27 * at)).isoformat(),
                "status": rng.choice(("paid", "sent", "done")),
                "lines": lines,
                "total": round(sum(line["quantity"] * line["price"] for line in lines), 2),
            }
        )
    return {
        "customer": customers.on_site,
        "vocabulary": vocabularies,
        "term": terms,
        "product": samples,
        "order": orders,
    }
