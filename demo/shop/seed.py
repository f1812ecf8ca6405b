"""The world as the old shop has it: in its own words, with ids of its own."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable
from typing import Any

from demo.data import World

Record = dict[str, Any]


def seeded(world: World) -> dict[str, list[Record]]:
    """Its records by table, each in the place that its id says."""
    customers = _numbers(world.customers, "email")
    members, categories = _numbers(world.users, "username"), _numbers(world.terms, "slug")
    texts = _numbers(world.articles, "slug")
    return {
        "shop_customer": [_customer(one) for one in world.customers],
        "shop_member": [_member(one) for one in world.users],
        "shop_category": [
            _filled(
                tree=one["vocabulary"], code=one["slug"], label=one["name"],
                parent_category_id=categories.get(one["parent"]), sort=one["position"],
            )
            for one in world.terms
        ],
        "shop_item": [_item(one, categories) for one in world.products],
        "shop_order": [_order(one, customers) for one in world.orders],
        "shop_voucher": [
            _filled(
                code=one["code"], type=one["kind"], value=one["amount"], valid_from=_local(one["starts_at"]),
                valid_to=_local(one["ends_at"]), max_uses=one["usage_limit"], min_sum=one["minimum"],
            )
            for one in world.offers
        ],
        "shop_text": [
            _filled(
                urlname=one["slug"], lang=one["language"], group=one["key"], headline=one["title"], html=one["body"],
                teaser=one["summary"], online=one["status"] == "published", online_from=_local(one["published_at"]),
                member_id=members[one["author"]],
            )
            for one in world.articles
        ],
        "shop_remark": [
            _filled(
                text_id=texts[one["article"]], answers_remark_id=one["parent"], who=one["author_name"],
                email=one["author_email"], html=one["body"], state=one["status"], said=_local(one["posted_at"]),
            )
            for one in world.comments
        ],
        "shop_booking": [
            _filled(
                reference=one["reference"], course=one["course"], customer_id=customers[one["customer"]],
                booked=_local(one["entered_at"]), state=one["state"], paid=one["paid"], files=one["files"],
                remark=one["remarks"],
            )
            for one in world.entries
        ],
    }  # fmt: skip


def _numbers(records: Iterable[Record], key: str) -> dict[Any, int]:
    return {one[key]: number for number, one in enumerate(records, 1)}


def _filled(**values: Any) -> Record:
    """What is not blank: the shop leaves out the rest."""
    return {name: value for name, value in values.items() if value not in (None, "", [], {})}


def _local(moment: dt.datetime | None) -> str | None:
    return moment.strftime("%Y-%m-%d %H:%M:%S") if moment else None


def _customer(one: Record) -> Record:
    return _filled(
        email=one["email"], fullname=one["name"], membership=one["member_number"], firm=one["company"],
        tel=one["phone"], tier=one["plan"], since=one["joined_at"].replace("T", " ").rstrip("Z"),
        born=one["birth_date"],
        lang=one["language"], wants_news=one["newsletter"], spent=one["total_spent"], addr_street=one["street"],
        addr_street2=one["street2"], addr_zip=one["postcode"], addr_city=one["city"], addr_country=one["country"],
    )  # fmt: skip


def _member(one: Record) -> Record:
    return _filled(
        login=one["username"], email=one["email"], nicename=one["display_name"], level=one["role"], about=one["bio"],
        homepage=one["website"], lang=one["locale"], since=_local(one["registered_at"]),
    )  # fmt: skip


def _item(one: Record, categories: dict[Any, int]) -> Record:
    variants = [
        _filled(item_no=row["sku"], label=row["name"], unit_price=row["price"], in_stock=row["stock"])
        for row in one["variants"]
    ]
    return _filled(
        item_no=one["sku"], label=one["name"], text=one["description"], unit_price=one["price"],
        offer_price=one["sale_price"], in_stock=one["stock"], grams=one["weight_g"],
        active=one["status"] == "published",
        category_ids=[categories[term] for term in one["terms"]], picture_files=one["pictures"], variants=variants,
        extra=_filled(sowing_depth=one["sowing_depth"]),
    )  # fmt: skip


def _order(one: Record, customers: dict[Any, int]) -> Record:
    positions = [
        _filled(item_no=row["sku"], label=row["name"], qty=row["quantity"], unit_price=row["price"])
        for row in one["lines"]
    ]
    return _filled(
        order_no=one["number"], customer_id=customers[one["customer"]], ordered=_local(one["placed_at"]),
        state=one["status"], positions=positions, postage=one["shipping"], rebate=one["discount"], sum=one["total"],
        voucher_code=one["offer"], remark=one["note"],
    )  # fmt: skip
