"""What records of several kinds have in common."""

from __future__ import annotations

import copy
from enum import StrEnum
from typing import Annotated, Any

from pydantic import AnyUrl, AwareDatetime, BaseModel, ConfigDict, Field, StringConstraints, create_model

Line = Annotated[str, StringConstraints(max_length=120)]
Name = Annotated[str, StringConstraints(min_length=1, max_length=120)]
Slug = Annotated[str, StringConstraints(min_length=1, max_length=120, pattern=r"^[a-z0-9]+(-[a-z0-9]+)*$")]
Sku = Annotated[str, StringConstraints(min_length=2, max_length=20, pattern=r"^[A-Z]{2}-[0-9]{3,6}(-[A-Z0-9]+)?$")]
Money = Annotated[float, Field(ge=0, le=1_000_000, description="In NOK.")]
Id = Annotated[int, Field(ge=1)]


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


class Strict(BaseModel):
    """A part that takes nothing that it does not name."""

    model_config = ConfigDict(extra="forbid")


class Address(Strict):
    street: Line | None = None
    street2: Line | None = Field(None, title="Street, second line")
    postcode: Annotated[str, StringConstraints(max_length=12, pattern=r"^[A-Z0-9][A-Z0-9 \-]*$")] | None = None
    city: Line | None = None
    country: Country | None = None


def given(title: str, description: str = "") -> Any:
    """A field that the site gives and does not take."""
    return Field(title=title, description=description, json_schema_extra={"readOnly": True})


class Kept(BaseModel):
    """What every record has that is kept."""

    id: Annotated[int, given("Id")]
    url: Annotated[AnyUrl, given("Page")]
    created_at: Annotated[AwareDatetime, given("Created")]
    updated_at: Annotated[AwareDatetime, given("Updated")]
    etag: Annotated[str, given("Entity tag", "As ETag gives it.")]


class Problem(BaseModel):
    """Problem details (RFC 9457)."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str = ""
    errors: list[dict[str, Any]] = []


def change_of(new: type[BaseModel], name: str) -> type[BaseModel]:
    """What a PATCH may carry of what a POST does: any of it; what it leaves out stays."""
    fields: dict[str, Any] = {}
    for field, info in new.model_fields.items():
        optional = copy.copy(info)
        if optional.is_required():
            optional.default = None
        fields[field] = (info.annotation, optional)
    return create_model(name, __base__=Strict, **fields)


def kept_of(new: type[BaseModel], name: str, kept: type[BaseModel] = Kept) -> type[BaseModel]:
    """A record as the site gives it, with what ``kept`` ones have besides. What is a secret is not given."""
    secret = {field: None for field, info in new.model_fields.items() if info.json_schema_extra == {"writeOnly": True}}
    shown = {field: (info.annotation, info) for field, info in new.model_fields.items() if field not in secret}
    return create_model(name, __base__=kept, **shown)  # type: ignore[call-overload,no-any-return]


def page_of(kept: type[BaseModel], name: str) -> type[BaseModel]:
    """A page of a list."""
    return create_model(name, items=(list[kept], ...), total=(int, ...))  # type: ignore[valid-type]
