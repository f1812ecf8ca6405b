"""Orders with their lines, and offers."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

from pydantic import AwareDatetime, Field, StringConstraints

from demo.site.records.parts import Address, Id, Money, Name, Sku, Strict


class OrderState(StrEnum):
    PENDING = "pending"
    PAID = "paid"
    SENT = "sent"
    DONE = "done"
    CANCELLED = "cancelled"
    REFUNDED = "refunded"


OfferCode = Annotated[str, StringConstraints(min_length=3, max_length=30, pattern=r"^[A-Z0-9-]+$")]


class OrderLine(Strict):
    product_sku: Sku = Field(title="SKU", description="The SKU of a product, or of one of its variants.")
    name: Name | None = None
    quantity: Annotated[int, Field(ge=1, le=10_000)]
    price: Money


class NewOrder(Strict):
    number: Annotated[int, Field(ge=1, description="Unique among orders; the next one, if it is left out.")] | None = (
        None
    )
    customer_id: Id = Field(description="Who ordered: the id of a customer.")
    placed_at: AwareDatetime = Field(title="Placed")
    status: OrderState = OrderState.PENDING
    lines: Annotated[list[OrderLine], Field(min_length=1)]
    shipping_cost: Money | None = Field(None, title="Shipping")
    discount: Money | None = None
    total: Money | None = None
    offer_code: OfferCode | None = Field(None, title="Offer", description="The code of an offer.")
    shipping_address: Address | None = Field(None, title="Shipping address")
    note: Annotated[str, StringConstraints(max_length=2000)] | None = None
    metadata: dict[str, str] = Field({}, description="Open fields, each of which is added before it is used.")


class OfferKind(StrEnum):
    PERCENT = "percent"
    AMOUNT = "amount"
    SHIPPING = "free shipping"


class NewOffer(Strict):
    code: OfferCode = Field(description="Unique among offers.")
    kind: OfferKind
    amount: Annotated[float, Field(ge=0)] | None = None
    starts_at: AwareDatetime | None = Field(None, title="Starts")
    ends_at: AwareDatetime | None = Field(None, title="Ends")
    usage_limit: Annotated[int, Field(ge=1, title="Times at most")] | None = None
    minimum: Money | None = Field(None, title="Least total")
    product_skus: list[Sku] = Field([], title="Products", description="For these only: the SKUs of products.")
    description: Annotated[str, StringConstraints(max_length=2000)] | None = None
