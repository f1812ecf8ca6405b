"""What Quillmoss sells and what it is sorted by: terms in three vocabularies, products with variants and pictures."""

from __future__ import annotations

import random
from collections.abc import Iterator
from typing import Any

from demo.data.words import slug

PRODUCTS, VARIANTS = 538, 1905
Record = dict[str, Any]

VOCABULARIES = (("category", "Categories"), ("habit", "Habits"), ("sowing", "Sowing times"))
_CATEGORIES = {
    "Vegetables": {
        "Beans": ("Runner beans", "Broad beans", "Bush beans"), "Roots": ("Carrots", "Beetroots", "Parsnips"),
        "Leaves": ("Kale", "Chard", "Lettuce", "Spinach"),
        "Fruiting": ("Tomatoes", "Squashes", "Cucumbers", "Peppers", "Aubergines"),
        "Onions": ("Leeks", "Bulb onions", "Shallots"),
    },
    "Herbs": {"Kitchen herbs": ("Parsley", "Dill", "Chives", "Basil"), "Tea herbs": ("Mint", "Lemon balm")},
    "Flowers": {
        "Annuals": ("Poppies", "Cornflowers", "Marigolds", "Sweet peas"),
        "Perennials": ("Yarrow", "Columbines", "Lupins"),
    },
    "Grain": {"Rye": ("Winter rye", "Spring rye"), "Oats": ("Naked oats",), "Barley": ("Two-row barley",)},
}  # fmt: skip
_HABITS = {"Growth": ("Climbing", "Bushy", "Trailing", "Upright"), "Light": ("Full sun", "Half shade", "Shade"),
           "Hardiness": ("Hardy", "Half hardy", "Tender")}  # fmt: skip
_SOWING = {"Spring": ("March", "April", "May"), "Summer": ("June", "July"), "Autumn": ("September", "October")}
_HEADS = ("Mosevik", "Old Harbour", "Ryewick", "Lynggard", "Saatinger", "Quillham", "Hasel", "Bramble", "Nebel", "Frø")
_TAILS = ("Giant", "Early", "Blue", "Striped", "Long Keeper", "Red", "White", "Market", "Winter", "Gold", "Dwarf")
_PACKS = (("10", "10 seeds", 0.5), ("25", "25 seeds", 1.0), ("100", "100 seeds", 2.6), ("G50", "50 g", 4.0),
          ("G250", "250 g", 11.0), ("K1", "1 kg", 30.0))  # fmt: skip


def terms() -> list[Record]:
    """All terms, each after the one that it stands under (``parent``: that one's slug)."""
    found: list[Record] = []

    def add(vocabulary: str, name: str, parent: str | None) -> str:
        taken = {one["slug"] for one in found}
        own = slug(name) if slug(name) not in taken else f"{slug(name)}-{parent}"
        position = sum(one["parent"] == parent and one["vocabulary"] == vocabulary for one in found)
        found.append({"vocabulary": vocabulary, "name": name, "slug": own, "parent": parent, "position": position})
        return own

    for first, groups in _CATEGORIES.items():
        top = add("category", first, None)
        for group, kinds in groups.items():
            middle = add("category", group, top)
            for kind in kinds:
                add("category", kind, middle)
    for vocabulary, groups_of in (("habit", _HABITS), ("sowing", _SOWING)):
        for group, names in groups_of.items():
            top = add(vocabulary, group, None)
            for name in names:
                add(vocabulary, name, top)
    return found


def products(rng: random.Random, of: list[Record]) -> list[Record]:
    """538 products with 1,905 variants, sorted by terms and each with its pictures."""
    parents = {one["parent"] for one in of}
    kinds = [one for one in of if one["vocabulary"] == "category" and one["slug"] not in parents]
    others = [one for one in of if one["vocabulary"] != "category" and one["parent"]]
    many = _numbers_of_variants(rng)
    taken: set[str] = set()
    return [_product(rng, number, rng.choice(kinds), others, many[number], taken) for number in range(PRODUCTS)]


def _numbers_of_variants(rng: random.Random) -> list[int]:
    """How many variants each product has: none for some, and 1,905 in all."""
    found = [0 if rng.random() < 0.06 else rng.choice((2, 3, 4, 4, 5)) for _ in range(PRODUCTS)]
    while sum(found) != VARIANTS:
        at, by = rng.randrange(PRODUCTS), 1 if sum(found) < VARIANTS else -1
        if found[at] and 2 <= found[at] + by <= len(_PACKS):
            found[at] += by
    return found


def _product(
    rng: random.Random, number: int, kind: Record, others: list[Record], variants: int, taken: set[str]
) -> Record:
    name = _unlike(rng, kind["name"], taken)
    sku = f"Q{kind['slug'][0].upper()}-{100 + number}"
    price = round(rng.randrange(28, 90) + rng.choice((0.0, 0.5, 0.9)), 2)
    packs = sorted(rng.sample(range(len(_PACKS)), variants)) if variants else []
    pictures = rng.choices((0, 1, 2, 3), (5, 60, 25, 10))[0]
    return {
        "sku": sku,
        "name": name,
        "slug": slug(name),
        "description": f"<p>{name}, of our {kind['name'].lower()}, grown at Quillmoss &amp; shared by members.</p>",
        "price": price,
        "sale_price": round(price * 0.8, 2) if rng.random() < 0.1 else None,
        "stock": rng.randrange(0, 400),
        "weight_g": rng.choice((12, 15, 20, 60, 260)),
        "status": rng.choices(("published", "draft", "retired"), (85, 10, 5))[0],
        "terms": [kind["slug"], *(one["slug"] for one in rng.sample(others, rng.randrange(0, 3)))],
        "pictures": [f"{slug(name)}-{at + 1}.jpg" for at in range(pictures)],
        "variants": [
            {
                "sku": f"{sku}-{code}",
                "name": text,
                "price": round(price * times, 2),
                "stock": rng.randrange(0, 200),
            }
            for code, text, times in (_PACKS[at] for at in packs)
        ],
        "sowing_depth": rng.choice(("", "", "1 cm", "2 cm", "4 cm")),
    }


def _unlike(rng: random.Random, kind: str, taken: set[str]) -> str:
    """A name that no product has yet."""
    while True:
        name = f"{kind.removesuffix('s')} {rng.choice(_HEADS)} {rng.choice(_TAILS)}"
        if slug(name) in taken:
            name = f"{name} {rng.choice('IVX')}{rng.randrange(2, 90)}"
        if slug(name) not in taken:
            taken.add(slug(name))
            return name


def pictures(of: list[Record]) -> Iterator[Record]:
    """A medium for each picture of each product."""
    for product in of:
        for at, filename in enumerate(product["pictures"]):
            yield {"filename": filename, "title": product["name"], "alt": f"{product['name']}, picture {at + 1}"}
