"""What the old shop keeps, in its own flat and uneven words: the source of its OpenAPI document."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

Short = Annotated[str, Field(max_length=190)]
Long = Annotated[str, Field(max_length=60_000)]
Day = Annotated[str, Field(pattern=r"^\d{4}-\d\d-\d\d \d\d:\d\d:\d\d$", description="Local time of the shop.")]


class Form(BaseModel):
    """The shop passes over what it does not know."""

    model_config = ConfigDict(extra="ignore")


class Tier(StrEnum):
    SEEDLING = "seedling"
    SAPLING = "sapling"
    GROVE = "grove"
    ORCHARD = "orchard"


class Customer(Form):
    email: Annotated[str, Field(max_length=190, json_schema_extra={"format": "email"}, description="Must be unique.")]
    fullname: Short
    membership: int | None = None
    firm: Short | None = None
    tel: Short | None = None
    tier: Tier = Tier.SEEDLING
    since: Day | None = None
    born: Annotated[str, Field(json_schema_extra={"format": "date"})] | None = None
    lang: Annotated[str, Field(max_length=2)] | None = None
    wants_news: bool = False
    spent: float | None = None
    addr_street: Short | None = None
    addr_street2: Short | None = None
    addr_zip: Short | None = None
    addr_city: Short | None = None
    addr_country: Annotated[str, Field(max_length=2)] | None = None


class Member(Form):
    login: Annotated[str, Field(max_length=60, description="Must be unique.")]
    email: Annotated[str, Field(max_length=190, json_schema_extra={"format": "email"}, description="Must be unique.")]
    nicename: Short | None = None
    level: Short = "subscriber"
    about: Long | None = None
    homepage: Short | None = None
    lang: Annotated[str, Field(max_length=2)] | None = None
    since: Day | None = None


class Category(Form):
    tree: Annotated[str, Field(max_length=40)] = Field("category", description="category, habit or sowing.")
    code: Annotated[str, Field(max_length=120, description="Must be unique.")]
    label: Short
    parent_category_id: int | None = Field(None, description="The id of the category above it.")
    sort: int = 0


class Variant(Form):
    item_no: Annotated[str, Field(max_length=40)]
    label: Short
    unit_price: float
    in_stock: int | None = None


class Article(Form):
    """What is sold; the shop calls it so."""

    item_no: Annotated[str, Field(max_length=40, description="Must be unique.")]
    label: Short
    text: Long | None = None
    unit_price: float
    offer_price: float | None = None
    in_stock: int | None = None
    grams: int | None = None
    active: bool = True
    category_ids: list[int] = Field([], description="The ids of categories.")
    picture_files: list[str] = []
    variants: list[Variant] = []
    extra: dict[str, str] = {}


class Position(Form):
    item_no: Short = Field(description="The number of an item or of one of its variants.")
    label: Short | None = None
    qty: int
    unit_price: float


class Sale(Form):
    order_no: Annotated[int, Field(description="Must be unique.")]
    customer_id: int = Field(description="The id of a customer.")
    ordered: Day
    state: Short = "pending"
    positions: list[Position]
    postage: float | None = None
    rebate: float | None = None
    sum: float | None = None
    voucher_code: Short | None = Field(None, description="The code of a voucher.")
    remark: Long | None = None


class Voucher(Form):
    code: Annotated[str, Field(max_length=40, description="Must be unique.")]
    type: Short
    value: float | None = None
    valid_from: Day | None = None
    valid_to: Day | None = None
    max_uses: int | None = None
    min_sum: float | None = None


class Text(Form):
    urlname: Annotated[str, Field(max_length=190, description="Must be unique.")]
    lang: Annotated[str, Field(max_length=2)]
    group: Short | None = Field(None, description="What the languages of one text share.")
    headline: Short
    html: Long | None = None
    teaser: Long | None = None
    online: bool = True
    online_from: Day | None = None
    member_id: int | None = Field(None, description="Who wrote it: the id of a member.")


class Remark(Form):
    text_id: int = Field(description="The id of a text.")
    answers_remark_id: int | None = Field(None, description="The id of the remark that it answers.")
    who: Short
    email: Short | None = None
    html: Long
    state: Short = "waiting"
    said: Day | None = None


class Booking(Form):
    reference: Annotated[str, Field(max_length=40, description="Must be unique.")]
    course: Short
    customer_id: int = Field(description="The id of a customer.")
    booked: Day | None = None
    state: Short = "booked"
    paid: float | None = None
    files: list[str] = []
    remark: Long | None = None
