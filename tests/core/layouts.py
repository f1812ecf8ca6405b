"""The same records in every layout that sheets have: orders, a tree of terms, articles in languages."""

from __future__ import annotations

import csv
import datetime as dt
import io
import json
import random
from collections.abc import Callable
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import polars as pl

from datorum.core.formula import Scope
from datorum.core.model import Field, FieldType, RecordType
from datorum.core.records import bodies
from datorum.core.shape.whole import shaped
from datorum.core.suggest.link_keys import LinkKey
from datorum.core.suggest.shapes import Suggested
from datorum.core.table import open_file

ORDERS = RecordType(
    name="orders",
    title="Orders",
    fields=(
        Field(path="number", title="Number", type=FieldType.INTEGER, unique=True),
        Field(path="customer_id", title="Customer ID", type=FieldType.INTEGER),
        Field(path="placed_at", title="Placed at", type=FieldType.DATE),
        Field(path="total", title="Total", type=FieldType.NUMBER),
        Field(path="lines.product_sku", title="Product SKU", in_list="lines"),
        Field(path="lines.quantity", title="Quantity", type=FieldType.INTEGER, in_list="lines"),
        Field(path="lines.price", title="Price", type=FieldType.NUMBER, in_list="lines"),
        Field(path="note", title="Note"),
    ),
)
KEYS = (LinkKey("customer_id", "email", Field(path="email", title="customer e-mail", format="email", unique=True)),)
ENGLISH = ("Order no.", "Customer e-mail", "Ordered", "Sum", "Remark", "SKU", "Qty", "Price each")
GERMAN = (
    "Bestellnummer",
    "E-Mail des Kunden",
    "Bestelldatum",
    "Gesamtbetrag",
    "Bemerkung",
    "Artikelnummer",
    "Menge",
    "Einzelpreis",
)
"""Four of an order, its remark, three of a line."""


def orders(count: int = 60) -> list[dict[str, Any]]:
    """Orders as they are to land."""
    chance = random.Random(5)
    made = []
    for number in range(count):
        lines: list[dict[str, Any]] = [
            {"product_sku": f"Q{chance.choice('ABC')}-{chance.randint(100, 999)}", "quantity": chance.randint(1, 9),
             "price": chance.randint(100, 99_999) / 100}
            for _ in range(chance.choice((1, 1, 2, 3, 5)))
        ]  # fmt: skip
        made.append({
            "number": 4100 + number,
            "customer_id": {"email": f"{chance.choice('abcdefgh')}.corfield{chance.randint(1, 30)}@quillmoss.example"},
            "placed_at": f"20{chance.randint(14, 25)}-{chance.randint(1, 12):02}-{chance.randint(1, 28):02}",
            "total": round(sum(line["quantity"] * line["price"] for line in lines), 2),
            "lines": lines,
            **({"note": "Please ring first"} if number % 7 == 0 else {}),
        })  # fmt: skip
    return made


def head(one: dict[str, Any], words: tuple[str, ...]) -> dict[str, str]:
    cells = (one["number"], one["customer_id"]["email"], one["placed_at"], f"{one['total']:.2f}", one.get("note", ""))
    return dict(zip(words[:5], map(str, cells), strict=True))


def line(one: dict[str, Any], words: tuple[str, ...]) -> dict[str, str]:
    return dict(zip(words[5:], (one["product_sku"], str(one["quantity"]), f"{one['price']:.2f}"), strict=True))


Rows = list[dict[str, str]]


def row_a_line(made: list[dict[str, Any]], words: tuple[str, ...]) -> Rows:
    return [head(one, words) | line(item, words) for one in made for item in one["lines"]]


def blank_below(made: list[dict[str, Any]], words: tuple[str, ...]) -> Rows:
    blank = dict.fromkeys(words[:5], "")
    return [(head(one, words) if at == 0 else blank) | line(item, words)
            for one in made for at, item in enumerate(one["lines"])]  # fmt: skip


def mixed_up(made: list[dict[str, Any]], words: tuple[str, ...]) -> Rows:
    rows = row_a_line(made, words)
    places = {str(one["number"]): at for at, one in enumerate(made)}
    # Far apart, yet each order's lines in their order, and the orders by their first.
    return sorted(rows[: len(rows) // 2], key=lambda row: places[row[words[0]]]) + rows[len(rows) // 2 :]


def sets(label: str) -> Callable[[list[dict[str, Any]], tuple[str, ...]], Rows]:
    def laid_out(made: list[dict[str, Any]], words: tuple[str, ...]) -> Rows:
        blank = {label.format(n=n, part=part): "" for n in range(1, 7) for part in words[5:]}
        return [
            head(one, words) | blank | {
                label.format(n=n, part=part): text
                for n, item in enumerate(one["lines"], 1) for part, text in line(item, words).items()
            }
            for one in made
        ]  # fmt: skip

    return laid_out


def packed(
    pack: Callable[[list[dict[str, Any]], tuple[str, ...]], str],
) -> Callable[[list[dict[str, Any]], tuple[str, ...]], Rows]:
    return lambda made, words: [head(one, words) | {"Lines": pack(one["lines"], words)} for one in made]


def as_counts(lines: list[dict[str, Any]], _: tuple[str, ...]) -> str:
    return "; ".join(f"{one['product_sku']} x{one['quantity']} @ {one['price']:.2f}" for one in lines)


def as_labels(lines: list[dict[str, Any]], words: tuple[str, ...]) -> str:
    return "\n".join(", ".join(f"{name}: {text}" for name, text in line(one, words).items()) for one in lines)


def as_json(lines: list[dict[str, Any]], words: tuple[str, ...]) -> str:
    return json.dumps([line(one, words) for one in lines])


SHEETS = {
    "a row a line": row_a_line,
    "blanks below": blank_below,
    "far apart": mixed_up,
    "sets with the number within": sets("Item {n} {part}"),
    "sets with the number behind": sets("{part} {n}"),
    "counts": packed(as_counts),
    "labels": packed(as_labels),
    "JSON in a cell": packed(as_json),
}


def frame_of(path: Path) -> pl.DataFrame:
    with open_file(path, path.name) as found:
        return found.read(found.guess()).collect().frame


def written(path: Path, rows: Rows) -> pl.DataFrame:
    text = io.StringIO()
    writer = csv.DictWriter(text, list(rows[0]), delimiter=";")
    writer.writeheader()
    writer.writerows(rows)
    path.write_text(text.getvalue())
    return frame_of(path)


def landed(
    told: Suggested, frame: pl.DataFrame, sheets: dict[str, pl.DataFrame] | None = None, kind: RecordType = ORDERS
) -> list[dict[str, Any]]:
    keys = {(key.path, key.by): key.field for key in KEYS}
    scope = Scope(now=dt.datetime(2026, 11, 28, tzinfo=dt.UTC))
    return list(bodies(told.mapping, kind, shaped(told.mapping.shape, frame, sheets), scope, keys))


TERMS = RecordType(
    name="terms",
    title="Terms",
    fields=(
        Field(path="slug", title="Slug", unique=True),
        Field(path="name", title="Name"),
        Field(path="parent_id", title="Parent ID", type=FieldType.INTEGER),
    ),
)
PARENT = (LinkKey("parent_id", "slug", Field(path="slug", title="term slug", unique=True)),)
TREE = {
    "Vegetables": None, "Beans": "Vegetables", "Runner beans": "Beans", "Broad beans": "Beans", "Roots": "Vegetables",
    "Carrots": "Roots", "Herbs": None, "Dill": "Herbs",
}  # fmt: skip


def path_of(name: str) -> list[str]:
    above = TREE[name]
    return [*(path_of(above) if above else []), name]


def slug(name: str) -> str:
    return name.lower().replace(" ", "-")


def by_levels(name: str) -> dict[str, str]:
    return {f"Level {at}": part for at, part in enumerate([*path_of(name), "", ""][:3], 1)} | {"Slug": slug(name)}


ARTICLES = RecordType(
    name="articles",
    title="Articles",
    fields=(
        Field(path="slug", title="Slug", unique=True),
        Field(path="language", title="Language", enum=("en", "nb", "de")),
        Field(path="title", title="Title"),
        Field(path="author", title="Author"),
        Field(path="translation_of", title="Translation of", type=FieldType.INTEGER),
    ),
)
ORIGINAL = (LinkKey("translation_of", "slug", Field(path="slug", title="article slug", unique=True)),)


def texts() -> list[dict[str, Any]]:
    """Articles in three languages as they are to land, originals first."""
    named = {"en": "Sowing {}", "nb": "Såing av {}", "de": "Aussaat von {}"}
    kinds = ("beans", "dill", "moss", "rye", "oats", "flax")
    made = []
    for code, title in named.items():
        for kind in kinds:
            one: dict[str, Any] = {
                "slug": f"{kind}-{code}", "language": code, "title": title.format(kind), "author": f"{kind}.corfield"
            }  # fmt: skip
            made.append(one if code == "en" else one | {"translation_of": {"slug": f"{kind}-en"}})
    return made


def text_row(one: dict[str, Any]) -> dict[str, str]:
    return {"Language": one["language"], "Web name": one["slug"], "Headline": one["title"], "Author": one["author"]}


def in_columns(made: list[dict[str, Any]]) -> tuple[Rows, Rows]:
    rows = []
    for first in made[:6]:
        row = {"Author": first["author"]}
        for one in made:
            if one["author"] == first["author"]:
                row |= {f"{name} ({one['language']})": one[key] for name, key in
                        (("Web name", "slug"), ("Headline", "title"))}  # fmt: skip
        rows.append(row)
    return rows, []


def by_group(made: list[dict[str, Any]]) -> tuple[Rows, Rows]:
    rows = [{"Group": f"note-{one['author'][:3]}"} | text_row(one) for one in made]
    return sorted(rows, key=lambda row: row["Group"]), []


def in_one(made: list[dict[str, Any]]) -> tuple[Rows, Rows]:
    return [{"Translation of": one.get("translation_of", {}).get("slug", "")} | text_row(one) for one in made], []


def in_two(made: list[dict[str, Any]]) -> tuple[Rows, Rows]:
    rows, _ = in_one(made)
    return [text_row(one) for one in made[:6]], rows[6:]


def as_nested(made: list[dict[str, Any]]) -> str:
    """Orders as JSON, their lines within them."""
    nested = [
        {"order_no": one["number"], "customer": {"email": one["customer_id"]["email"]}, "ordered": one["placed_at"],
         "sum": one["total"], "remark": one.get("note"), "lines": [line(item, ENGLISH) for item in one["lines"]]}
        for one in made
    ]  # fmt: skip
    return json.dumps({"orders": nested})


def as_elements(made: list[dict[str, Any]]) -> str:
    """Orders as XML, their lines within them."""
    root = ElementTree.Element("orders")
    for one in made:
        order = ElementTree.SubElement(root, "order", {"no": str(one["number"])})
        for name, text in (("customer", one["customer_id"]["email"]), ("ordered", one["placed_at"]),
                           ("sum", str(one["total"])), ("remark", one.get("note", ""))):  # fmt: skip
            ElementTree.SubElement(order, name).text = text
        for item in one["lines"]:
            attributes = {"sku": item["product_sku"], "qty": str(item["quantity"])}
            ElementTree.SubElement(order, "line", attributes).text = str(item["price"])
    return ElementTree.tostring(root, "unicode", xml_declaration=True)
