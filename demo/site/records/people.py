"""Customers, users, and who comes to a course."""

from __future__ import annotations

import datetime as dt
from enum import StrEnum
from typing import Annotated

from pydantic import AnyUrl, AwareDatetime, EmailStr, Field, StringConstraints

from demo.site.records.parts import Address, Id, Language, Line, Money, Name, Strict


class Plan(StrEnum):
    SEEDLING = "seedling"
    SAPLING = "sapling"
    GROVE = "grove"
    ORCHARD = "orchard"


class NewCustomer(Strict):
    email: Annotated[EmailStr, Field(title="E-mail", max_length=254, description="Unique among customers.")]
    name: Name
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


_HASH = r"^(\$2b\$[0-9]{2}\$[./A-Za-z0-9]{53}|\$argon2(id|i|d)\$.+)$"


class Role(StrEnum):
    ADMINISTRATOR = "administrator"
    EDITOR = "editor"
    AUTHOR = "author"
    SUBSCRIBER = "subscriber"


class NewUser(Strict):
    username: Annotated[str, StringConstraints(min_length=3, max_length=60, pattern=r"^[a-z0-9._-]+$")] = Field(
        description="Unique among users."
    )
    email: Annotated[EmailStr, Field(title="E-mail", max_length=254, description="Unique among users.")]
    display_name: Name | None = Field(None, title="Display name")
    role: Role = Role.SUBSCRIBER
    password: Annotated[str, StringConstraints(min_length=8, max_length=200)] | None = Field(
        None, description="To sign in on the site's own page.", json_schema_extra={"writeOnly": True}
    )
    password_hash: Annotated[str, StringConstraints(max_length=200, pattern=_HASH)] | None = Field(
        None,
        description="What another site has kept of a password: bcrypt ($2b$), or Argon2 as a PHC string.",
        json_schema_extra={"writeOnly": True},
    )
    locale: Language | None = None
    website: AnyUrl | None = None
    bio: Annotated[str, StringConstraints(max_length=4000)] | None = None
    registered_at: AwareDatetime | None = Field(None, title="Registered")


class EntryState(StrEnum):
    BOOKED = "booked"
    ATTENDED = "attended"
    CANCELLED = "cancelled"


class NewEntry(Strict):
    reference: Annotated[str, StringConstraints(min_length=3, max_length=30)] = Field(
        description="Unique among course entries."
    )
    course: Name
    customer_id: Id = Field(description="Who comes: the id of a customer.")
    entered_at: AwareDatetime | None = Field(None, title="Entered")
    state: EntryState = EntryState.BOOKED
    paid: Money | None = None
    media_ids: list[Id] = Field([], description="Attached files: the ids of media.")
    remarks: Annotated[str, StringConstraints(max_length=2000)] | None = None
