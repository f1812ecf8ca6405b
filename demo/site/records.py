"""What the site keeps of a customer, and what it accepts: the source of its OpenAPI document."""

from __future__ import annotations

import datetime as dt
from enum import StrEnum
from typing import Annotated, Any

from pydantic import AnyUrl, AwareDatetime, BaseModel, ConfigDict, EmailStr, Field, StringConstraints


class Plan(StrEnum):
    SEEDLING = "seedling"
    SAPLING = "sapling"
    GROVE = "grove"
    ORCHARD = "orchard"


class Country(StrEnum):
    """Where the co-operative sends seed to (ISO 3166-1 alpha-2)."""

    DE = "DE"
    DK = "DK"
    GB = "GB"
    IE = "IE"
    NO = "NO"
    SE = "SE"


class Language(StrEnum):
    EN = "en"
    NB = "nb"
    DE = "de"


Line = Annotated[str, StringConstraints(max_length=120)]


class Address(BaseModel):
    model_config = ConfigDict(extra="forbid")

    street: Line | None = None
    street2: Line | None = Field(None, title="Street, second line")
    postcode: Annotated[str, StringConstraints(max_length=12, pattern=r"^[A-Z0-9][A-Z0-9 \-]*$")] | None = None
    city: Line | None = None
    country: Country | None = None


class CustomerChange(BaseModel):
    """What a PATCH may carry; what it leaves out stays."""

    model_config = ConfigDict(extra="forbid")

    email: Annotated[EmailStr, Field(title="E-mail", max_length=254, description="Unique among customers.")] = ""
    name: Annotated[str, StringConstraints(min_length=1, max_length=120)] = ""
    member_number: Annotated[int, Field(ge=1, le=999_999_999, title="Member number")] | None = None
    company: Line | None = None
    phone: Annotated[str, StringConstraints(pattern=r"^\+[1-9][0-9]{6,14}$")] | None = Field(
        None, description="In E.164 form."
    )
    plan: Plan = Plan.SEEDLING
    joined_at: AwareDatetime | None = Field(None, title="Joined")
    birth_date: dt.date | None = Field(None, title="Date of birth")
    language: Language | None = None
    newsletter: bool = False
    total_spent: Annotated[float, Field(ge=0, title="Total spent", description="In NOK.")] | None = None
    orders_count: Annotated[int, Field(ge=0, title="Orders")] | None = None
    notes: Annotated[str, StringConstraints(max_length=2000)] | None = None
    address: Address = Address()


class NewCustomer(CustomerChange):
    """What a POST carries."""

    email: Annotated[EmailStr, Field(title="E-mail", max_length=254, description="Unique among customers.")]
    name: Annotated[str, StringConstraints(min_length=1, max_length=120)]


class Customer(NewCustomer):
    """A customer as the site gives it."""

    id: Annotated[int, Field(json_schema_extra={"readOnly": True})]
    url: Annotated[AnyUrl, Field(title="Page", json_schema_extra={"readOnly": True})]
    created_at: Annotated[AwareDatetime, Field(title="Created", json_schema_extra={"readOnly": True})]
    updated_at: Annotated[AwareDatetime, Field(title="Updated", json_schema_extra={"readOnly": True})]
    etag: Annotated[
        str, Field(title="Entity tag", description="As ETag gives it.", json_schema_extra={"readOnly": True})
    ]


class CustomerPage(BaseModel):
    items: list[Customer]
    total: int


class Problem(BaseModel):
    """Problem details (RFC 9457)."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str = ""
    errors: list[dict[str, Any]] = []
