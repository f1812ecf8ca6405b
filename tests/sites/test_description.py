"""A site describes itself: fields, constraints, paging and mail come from its OpenAPI document."""

from __future__ import annotations

from typing import Any

import pytest

from datorum.core.errors import NotFound, SiteUnavailable
from datorum.core.model import FieldType, RecordType
from datorum.sites import SiteDescription, describe
from datorum.sites.rest.model import Credential
from demo.shop.app import ShopSettings
from demo.shop.app import create_app as create_shop


def test_the_stand_in_is_described(description: SiteDescription) -> None:
    customers = description.type("customers")
    listing, paging = customers.listing, customers.listing.paging
    assert customers.item is not None
    assert customers.update is not None
    assert (listing.path, customers.item.path) == ("/api/customers", "/api/customers/{id}")
    assert (listing.items_at, listing.total_at, customers.update.method) == ("items", "total", "patch")
    assert (paging.page, paging.size, paging.size_most) == ("page", "per_page", 200)
    assert "email" in listing.filters
    assert [(one.name, one.on_create, one.on_update) for one in customers.mails] == [("notify", True, True)]
    assert customers.etag_at == "etag"
    assert customers.auth == ((Credential(kind="bearer"),),)


def test_constraints_become_fields(customers: RecordType) -> None:
    email = customers.field("email")
    assert (email.title, email.format, email.required, email.unique, email.max_length) == (
        "E-mail", "email", True, True, 254,
    )  # fmt: skip
    assert customers.field("address.country").enum == ("DE", "DK", "GB", "IE", "NO", "SE")
    assert customers.field("joined_at").type is FieldType.DATE_TIME
    assert customers.field("phone").pattern == r"^\+[1-9][0-9]{6,14}$"
    assert customers.field("total_spent").minimum == 0
    assert {field.path for field in customers.fields if field.read_only} == {
        "id", "url", "created_at", "updated_at", "etag",
    }  # fmt: skip
    assert customers.key_candidates == ("email",)


def document(schema: dict[str, Any], **more: Any) -> dict[str, Any]:
    body = {"content": {"application/json": {"schema": schema}}}
    listing = {"content": {"application/json": {"schema": {"type": "array", "items": schema}}}}
    return {
        "openapi": "3.0.3",
        "paths": {
            "/v1/products": {
                "get": {"responses": {"200": listing}},
                "post": {"requestBody": body, "responses": {"201": {}, "409": {}}},
            },
            "/v1/products/{sku}": {"put": {"requestBody": body, "responses": {"200": {}}}},
        },
        **more,
    }  # fmt: skip


def test_another_site_in_openapi_3_0_is_described_as_well() -> None:
    part = {"properties": {"sku": {"type": "string"}, "colour": {"$ref": "#/components/schemas/Colour"}}}
    schema = {
        "type": "object",
        "allOf": [part],
        "required": ["sku"],
        "properties": {
            "price": {"type": "number", "minimum": 0, "exclusiveMinimum": True},
            "discontinuedOn": {"type": "string", "format": "date", "nullable": True},
            "tags": {"type": "array", "items": {"type": "string"}},
        },
    }
    found = describe(
        document(schema, components={"schemas": {"Colour": {"type": "string", "enum": ["red", "green"]}}}),
        "https://shop.example/spec/openapi.json",
    )
    products = found.type("products")
    assert found.base_url == "https://shop.example"
    assert products.update is not None
    assert (products.listing.items_at, products.update.method) == (None, "put")
    assert (products.id_field, products.mails) == ("sku", ())
    fields = {field.path: field for field in products.record_type.fields}
    assert set(fields) == {"sku", "colour", "price", "discontinuedOn", "tags"}
    assert (fields["tags"].type, fields["tags"].items is not None) == (FieldType.LIST, True)
    assert fields["sku"].required
    assert fields["sku"].unique
    assert fields["colour"].enum == ("red", "green")
    assert fields["discontinuedOn"].title == "Discontinued on"
    assert fields["discontinuedOn"].nullable


def _nested(deep: int) -> Any:
    """As deep as JSON is read at all."""
    found: Any = {}
    for _ in range(deep):
        found = {"a": found}
    return found


@pytest.mark.parametrize(
    ("given", "says"),
    [
        ([], "no OpenAPI 3 document"),
        ({"swagger": "2.0"}, "no OpenAPI 3 document"),
        ({"openapi": "3.1.0", "paths": _nested(1_020)}, "nested deeper"),
        ({"openapi": "3.1.0", "paths": {}}, "no list that records can be added to"),
        (document({"$ref": "#/components/schemas/Gone"}), "leads nowhere"),
        (document({"$ref": "https://elsewhere.example/schema"}), "leads nowhere"),
    ],
)
def test_what_is_no_description_is_refused(given: Any, says: str) -> None:
    with pytest.raises(SiteUnavailable, match=says):
        describe(given)


def test_a_record_type_that_the_site_does_not_keep_is_named(description: SiteDescription) -> None:
    with pytest.raises(NotFound, match="no growers"):
        description.type("growers")


LINKS = {
    ("terms", "vocabulary_name"): ("vocabularies", "name", False),
    ("terms", "parent_id"): ("terms", "id", False),
    ("products", "term_ids"): ("terms", "id", True),
    ("products", "media_ids"): ("media", "id", True),
    ("offers", "product_skus"): ("products", "sku", True),
    ("orders", "customer_id"): ("customers", "id", False),
    ("orders", "lines.product_sku"): ("products", "sku", False),
    ("orders", "offer_code"): ("offers", "code", False),
    ("articles", "author_id"): ("users", "id", False),
    ("articles", "translation_of"): ("articles", "id", False),
    ("articles", "term_ids"): ("terms", "id", True),
    ("comments", "article_id"): ("articles", "id", False),
    ("comments", "parent_id"): ("comments", "id", False),
    ("course-entries", "customer_id"): ("customers", "id", False),
    ("course-entries", "media_ids"): ("media", "id", True),
}
KEYS = {
    "customers": {"email"}, "users": {"username", "email"}, "vocabularies": {"name"}, "terms": {"slug"},
    "media": {"filename"}, "products": {"sku", "slug"}, "offers": {"code"}, "orders": {"number"},
    "articles": {"slug"}, "comments": set(), "course-entries": {"reference"}, "open-fields": {"name"},
}  # fmt: skip


def test_every_record_type_link_and_key_of_the_new_site_is_right_without_a_correction(
    description: SiteDescription,
) -> None:
    types = description.types
    found = {(name, link.field): (link.to, link.by, link.many) for name, one in types.items() for link in one.links}
    assert found == LINKS
    assert {name: set(one.record_type.key_candidates) for name, one in types.items()} == KEYS
    assert [one.out_of_reach for one in types.values()] == [""] * len(types)
    assert description.not_understood == ()
    silenced = {name for name, one in types.items() if one.mails}
    assert silenced == {"customers", "offers", "orders"}
    assert [call.name for call in types["users"].actions] == ["invite"]
    assert types["media"].upload is not None
    assert {one.update.method for one in types.values() if one.update} == {"patch"}


SHOP_LINKS = {
    ("categories", "parent_category_id"): ("categories", "category_id", False),
    ("items", "category_ids"): ("categories", "category_id", True),
    ("orders", "customer_id"): ("customers", "customer_id", False),
    ("orders", "positions.item_no"): ("items", "item_no", False),
    ("orders", "voucher_code"): ("vouchers", "code", False),
    ("texts", "member_id"): ("members", "member_id", False),
    ("remarks", "text_id"): ("texts", "text_id", False),
    ("remarks", "answers_remark_id"): ("remarks", "remark_id", False),
    ("bookings", "customer_id"): ("customers", "customer_id", False),
}
SHOP_KEYS = {
    "customers": {"email"}, "members": {"login", "email"}, "categories": {"code"}, "items": {"item_no"},
    "orders": {"order_no"}, "vouchers": {"code"}, "texts": {"urlname"}, "remarks": set(), "bookings": {"reference"},
}  # fmt: skip


def test_every_record_type_link_and_key_of_the_old_shop_is_right_without_a_correction() -> None:
    description = describe(create_shop(ShopSettings("postgresql://", "")).openapi(), "http://127.0.0.1:1/openapi.json")
    types = description.types
    found = {(name, link.field): (link.to, link.by, link.many) for name, one in types.items() for link in one.links}
    assert found == SHOP_LINKS
    assert {name: set(one.record_type.key_candidates) for name, one in types.items()} == SHOP_KEYS
    assert [one.out_of_reach for one in types.values()] == [""] * len(types)
    for name, one in types.items():
        word = one.listing.entry
        assert one.item is not None
        assert one.update is not None
        assert (one.listing.items_at, one.item.answer_at, one.id_field) == (name, word, f"{word}_id")
        assert (one.create.answers, one.update.method, one.listing.total_at) == ("id", "put", "info.found")
        form = name == "vouchers"
        assert one.create.body_at == (None if form else word)
        assert one.create.media == ("application/x-www-form-urlencoded" if form else "application/json")
        assert one.auth == ((Credential(kind="apiKey", within="header", name="X-Shop-Key"),),)
