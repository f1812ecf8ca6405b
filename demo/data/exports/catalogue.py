"""Terms as paths, with ids of what they stand under, and by levels; products in four layouts; media."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from demo.data.exports.sheet import Cells, Export, Planted, Record, Row, csv_file, money, planted, to

_LEVELS = 3


def terms(world: Sequence[Record]) -> Iterator[Export]:
    """The same trees three times."""
    names = {one["slug"]: one["name"] for one in world}
    above = {one["slug"]: one["parent"] for one in world}
    numbers = {one["slug"]: 100 + at for at, one in enumerate(world)}
    many = len(world)

    def path(slug: str | None) -> list[str]:
        found: list[str] = []
        while slug is not None:
            found.insert(0, names[slug])
            slug = above[slug]
        return found

    def row(one: Record, more: Cells) -> Cells:
        return {"Vocabulary": one["vocabulary"], **more, "Slug": one["slug"], "Order": str(one["position"])}

    paths: list[Row] = [(row(one, {"Path": " > ".join(path(one["slug"]))}), set()) for one in world]
    paths.insert(30, ({**paths[12][0], "Path": paths[12][0]["Path"].replace(" > ", ">")}, {"path stands twice"}))
    yield csv_file("terms-paths.csv", "terms", "a row a term, its path in a cell", paths, many)

    parents: list[Row] = [
        (
            {
                "ID": str(numbers[one["slug"]]), **row(one, {"Name": one["name"]}),
                "Parent ID": str(numbers[one["parent"]]) if one["parent"] else "",
            },
            set(),
        )
        for one in world
    ]  # fmt: skip
    for at, parent, fault in ((20, "999", "parent is not there"), (41, parents[41][0]["ID"], "stands under itself")):
        parents[at] = ({**parents[at][0], "Parent ID": parent}, {fault})
    # Children before their parents, as exports sorted by name have it.
    parents.sort(key=lambda one: one[0]["Name"])
    yield csv_file("terms-parents.csv", "terms", "a row a term with the id of the one above", parents, many)

    levels: list[Row] = []
    for one in world:
        parts = path(one["slug"])
        cells = {f"Level {at + 1}": parts[at] if at < len(parts) else "" for at in range(_LEVELS)}
        levels.append((row(one, cells), set()))
    levels[50] = ({**levels[50][0], "Level 1": ""}, {"level above is blank"})
    yield csv_file("terms-levels.csv", "terms", "a row a term, a column a level", levels, many, encoding="cp1252")


def media(world: Sequence[Record]) -> Iterator[Export]:
    """A row a file."""
    found = planted(world, "media", {"no ending": (5, _no_ending), "folder in its name": (3, _in_folder)})
    rows = [({"File": one.record["filename"], "Title": one.record["title"], "Alt text": one.record["alt"]}, one.faults)
            for one in found]  # fmt: skip
    yield csv_file("media.csv", "media", "a row a file", rows, len(found), delimiter=",")


def _no_ending(one: Record) -> None:
    one["filename"] = one["filename"].rpartition(".")[0]


def _in_folder(one: Record) -> None:
    one["filename"] = f"uploads/{one['filename']}"


def _dear_offer(one: Record) -> None:
    one["sale_price"] = one["price"] + 5


def _short_sku(one: Record) -> None:
    one["sku"] = one["sku"].replace("-", "")


_FAULTS = {
    "price is no number": (6, to("price", "ask us")),
    "sale price above its price": (5, _dear_offer),
    "unknown term": (8, to("terms", ["moon-plants"])),
    "stock below nought": (4, to("stock", -3)),
    "unknown state": (3, to("status", "maybe")),
    "SKU out of form": (4, _short_sku),
}
_VARIANTS = 6


def products(world: Sequence[Record]) -> Iterator[Export]:
    """The same products with the same faults in every layout."""
    found = planted(world, "products", _FAULTS)
    many = len(found)
    yield csv_file("products-rows.csv", "products", "a row a variant, the product repeated", _rows(found), many)
    yield csv_file(
        "products-blank-below.csv", "products", "a row a variant, the product on its first row only",
        _rows(found, repeated=False), many,
    )  # fmt: skip
    yield csv_file("products-columns.csv", "products", "a row a product, numbered columns for variants",
                   _columns(found), many, delimiter="\t", encoding="utf-16")  # fmt: skip
    packed = [({**_head(one.record), "Packs": _packed(one.record["variants"])}, one.faults) for one in found]
    yield csv_file("products-packed.csv", "products", "a row a product, its variants in a cell", packed, many)


def _head(one: Record) -> Cells:
    price = one["price"]
    return {
        "Article no.": one["sku"], "Article": one["name"], "Web name": one["slug"], "Text": one["description"],
        "Price": price if isinstance(price, str) else money(price), "Offer price": money(one["sale_price"]),
        "In stock": str(one["stock"]), "Weight (g)": str(one["weight_g"]), "State": one["status"],
        "Sorted under": "|".join(one["terms"]), "Pictures": ", ".join(one["pictures"]),
        "Sowing depth": one["sowing_depth"],
    }  # fmt: skip


def _variant(one: Record) -> Cells:
    return {"Pack no.": one["sku"], "Pack": one["name"], "Pack price": money(one["price"]),
            "Pack stock": str(one["stock"])}  # fmt: skip


def _rows(found: Sequence[Planted], *, repeated: bool = True) -> Iterator[Row]:
    for one in found:
        for at, variant in enumerate(one.record["variants"] or [None]):
            first = at == 0
            head = _head(one.record) if first or repeated else dict.fromkeys(_head(one.record), "")
            yield {**head, **(_variant(variant) if variant else {})}, one.faults if first or repeated else set()


def _columns(found: Sequence[Planted]) -> Iterator[Row]:
    for one in found:
        cells = _head(one.record)
        for at in range(_VARIANTS):
            variant = one.record["variants"][at] if at < len(one.record["variants"]) else None
            told = _variant(variant) if variant else {}
            names = ("Pack no.", "Pack", "Pack price", "Pack stock")
            cells |= {f"{name} {at + 1}": told.get(name, "") for name in names}
        yield cells, one.faults


def _packed(variants: Sequence[Record]) -> str:
    return " | ".join(f"{one['sku']} = {one['name']} ({money(one['price'])})" for one in variants)
