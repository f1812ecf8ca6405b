"""Orders in ten layouts, and offers."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Sequence
from xml.etree import ElementTree

from demo.data.exports.sheet import (
    Cells,
    Export,
    Planted,
    Record,
    Row,
    by_number,
    csv_file,
    json_file,
    moment,
    money,
    planted,
    to,
)

_HEAD: dict[str, Callable[[Record], str]] = {
    "Order no.": lambda one: str(one["number"]),
    "Customer e-mail": lambda one: one["customer"],
    "Ordered": lambda one: moment(one["placed_at"]),
    "Status": lambda one: one["status"],
    "Postage": lambda one: money(one["shipping"]),
    "Rebate": lambda one: money(one["discount"]),
    "Sum": lambda one: money(one["total"]),
    "Voucher": lambda one: one["offer"] or "",
    "Remark": lambda one: one["note"],
}
_LINE: dict[str, Callable[[Record], str]] = {
    "SKU": lambda row: row["sku"],
    "Article": lambda row: row["name"],
    "Qty": lambda row: str(row["quantity"]),
    "Price each": lambda row: money(row["price"]),
}
_MOST_LINES = 12


def _head(one: Record) -> Cells:
    return {name: told(one) for name, told in _HEAD.items()}


def _line(row: Record) -> Cells:
    return {name: told(row) for name, told in _LINE.items()}


def _wrong_sku(one: Record) -> None:
    one["lines"][0]["sku"] = f"{one['lines'][0]['sku'].split('-')[0]}-9999"


def _no_quantity(one: Record) -> None:
    one["lines"][-1]["quantity"] = "two"


def _wrong_sum(one: Record) -> None:
    one["total"] = round(one["total"] + 10.0, 2)


_OF_LINES = {"unknown SKU": 0, "quantity is no number": -1}
"""Faults of a line, with which of an order's lines has them."""
_FAULTS = {
    "unknown customer": (24, to("customer", "nobody@quillmoss.example")),
    "unknown SKU": (31, _wrong_sku),
    "sum is not that of its lines": (18, _wrong_sum),
    "impossible date": (12, to("placed_at", "31.02.2021 10:15")),
    "unknown state": (9, to("status", "lost in the post")),
    "quantity is no number": (7, _no_quantity),
}


def orders(world: Sequence[Record]) -> Iterator[Export]:
    """The same orders with the same faults in every layout."""
    found = planted(world, "orders", _FAULTS)
    many = len(found)
    yield csv_file("orders-rows.csv", "orders", "a row a line, the order repeated on each", _rows(found), many)
    yield csv_file(
        "orders-blank-below.csv", "orders", "a row a line, the order on its first row only", _blank_below(found), many
    )
    yield csv_file(
        "orders-mixed-up.csv", "orders", "a row a line, the rows of an order far apart",
        sorted(_rows(found), key=lambda row: (row[0]["SKU"], row[0]["Order no."])), many,
    )  # fmt: skip
    yield csv_file(
        "orders-columns.csv", "orders", "a row an order, numbered columns for its lines", _columns(found), many,
        delimiter=",",
    )  # fmt: skip
    for name, layout, packed in _PACKED:
        rows = [({**_head(one.record), "Lines": packed(one.record["lines"])}, one.faults) for one in found]
        yield csv_file(f"orders-{name}.csv", "orders", f"a row an order, its lines in a cell, {layout}", rows, many)
    nested = [({**_plain(one.record)}, one.faults) for one in found]
    yield json_file("orders.json", "orders", "objects with lists of lines", "orders", nested)
    yield _xml(found)
    yield csv_file("orders-heads.csv", "orders", "two files: the orders …", _heads(found), many)
    lines = [
        ({"Order no.": str(one.record["number"]), **_line(row)}, _of_line(one, at))
        for one in found
        for at, row in enumerate(one.record["lines"])
    ]
    lines.insert(400, ({"Order no.": "9999", **_line(found[0].record["lines"][0])}, {"line without its order"}))
    yield csv_file("orders-lines.csv", "orders", "… and their lines", lines, many)


def _rows(found: Sequence[Planted]) -> list[Row]:
    return [
        ({**_head(one.record), **_line(row)}, _of_head(one) | _of_line(one, at))
        for one in found
        for at, row in enumerate(one.record["lines"])
    ]


def _heads(found: Sequence[Planted]) -> list[Row]:
    return [(_head(one.record), _of_head(one)) for one in found]


def _of_head(one: Planted) -> set[str]:
    return one.faults - _OF_LINES.keys()


def _of_line(one: Planted, at: int) -> set[str]:
    many = len(one.record["lines"])
    return {fault for fault in one.faults & _OF_LINES.keys() if at == _OF_LINES[fault] % many}


def _blank_below(found: Sequence[Planted]) -> Iterator[Row]:
    for one in found:
        for at, row in enumerate(one.record["lines"]):
            head = _head(one.record) if at == 0 else dict.fromkeys(_HEAD, "")
            yield {**head, **_line(row)}, _of_line(one, at) | (_of_head(one) if at == 0 else set())


def _columns(found: Sequence[Planted]) -> Iterator[Row]:
    for one in found:
        lines = {
            f"Item {at} {name}": text
            for at, row in enumerate(one.record["lines"], 1)
            for name, text in _line(row).items()
        }
        blank = {f"Item {at} {name}": "" for at in range(1, _MOST_LINES + 1) for name in _LINE}
        yield {**_head(one.record), **blank, **lines}, one.faults


def _times(lines: Sequence[Record]) -> str:
    return "; ".join(f"{row['sku']} x{row['quantity']} @ {money(row['price'])}" for row in lines)


def _labelled(lines: Sequence[Record]) -> str:
    return "\n".join(f"SKU: {row['sku']}, Qty: {row['quantity']}, Price: {row['price']}" for row in lines)


def _json(lines: Sequence[Record]) -> str:
    return json.dumps([{"sku": row["sku"], "qty": row["quantity"], "price": row["price"]} for row in lines])


_PACKED = (
    ("packed", "as counts", _times),
    ("labelled", "with labels", _labelled),
    ("packed-json", "as JSON", _json),
)


def _plain(one: Record) -> Record:
    lines = [{"sku": row["sku"], "name": row["name"], "qty": row["quantity"], "price": row["price"]}
             for row in one["lines"]]  # fmt: skip
    return {
        "order_no": one["number"], "customer": {"email": one["customer"]}, "ordered": moment(one["placed_at"]),
        "status": one["status"], "lines": lines, "postage": one["shipping"], "rebate": one["discount"],
        "sum": one["total"], "voucher": one["offer"], "remark": one["note"],
    }  # fmt: skip


def _xml(found: Sequence[Planted]) -> Export:
    root = ElementTree.Element("orders")
    for one in found:
        order = ElementTree.SubElement(root, "order", {"no": str(one.record["number"])})
        for name, text in (("customer", one.record["customer"]), ("ordered", moment(one.record["placed_at"])),
                           ("status", one.record["status"]), ("sum", str(one.record["total"]))):  # fmt: skip
            ElementTree.SubElement(order, name).text = text
        for row in one.record["lines"]:
            line = ElementTree.SubElement(order, "line", {"sku": row["sku"], "qty": str(row["quantity"])})
            line.text = str(row["price"])
    ElementTree.indent(root, " ")
    data = ElementTree.tostring(root, "utf-8", xml_declaration=True)
    many = len(found)
    faults = by_number([(one.record, one.faults) for one in found])
    return Export("orders.xml", "orders", "elements with their lines below them", data, many, many, faults)


def offers(world: Sequence[Record]) -> Iterator[Export]:
    """A row an offer, the articles that it is for in a cell."""
    found = planted(
        world, "offers",
        {
            "ends before it begins": (6, _ends_early),
            "unknown SKU": (4, to("skus", ["QX-9999"])),
            "more than all": (3, to("amount", 150)),
            "unknown kind": (3, to("kind", "two for one")),
        },
    )  # fmt: skip
    rows: list[Row] = [
        (
            {
                "Code": one.record["code"], "Kind": one.record["kind"], "Worth": str(one.record["amount"]),
                "Valid from": moment(one.record["starts_at"]), "Valid until": moment(one.record["ends_at"]),
                "Uses": str(one.record["usage_limit"] or "unlimited"), "From a sum of": money(one.record["minimum"]),
                "Articles": ", ".join(one.record["skus"]),
            },
            one.faults,
        )
        for one in found
    ]  # fmt: skip
    again = ({**rows[5][0]}, {"code stands twice"})
    rows.insert(200, again)
    yield csv_file("offers.csv", "offers", "a row an offer, articles in a cell", rows, len(found))


def _ends_early(one: Record) -> None:
    one["ends_at"] = one["starts_at"].replace(year=one["starts_at"].year - 1, day=min(one["starts_at"].day, 28))
