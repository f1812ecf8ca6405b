"""What is sold, and what it is sorted by."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

from pydantic import AnyUrl, Field, StringConstraints

from demo.site.records.parts import Id, Kept, Line, Money, Name, Sku, Slug, Strict, given


class NewVocabulary(Strict):
    name: Slug = Field(description="Unique among vocabularies.")
    title: Name


class NewTerm(Strict):
    vocabulary_name: Slug = Field(title="Vocabulary", description="The name of a vocabulary.")
    slug: Slug = Field(description="Unique among terms.")
    name: Name
    parent_id: Id | None = Field(None, description="The term above it, by its id.")
    description: Annotated[str, StringConstraints(max_length=4000)] | None = None
    position: Annotated[int, Field(ge=0)] = 0


class NewMedium(Strict):
    filename: Annotated[str, StringConstraints(min_length=3, max_length=160, pattern=r"^[^/\\]+\.[a-z0-9]+$")] = Field(
        description="Unique among media."
    )
    title: Line | None = None
    alt: Annotated[str, StringConstraints(max_length=400)] | None = Field(None, title="Alternative text")


class KeptMedium(Kept):
    """What a medium has once its file was handed in."""

    size: Annotated[int | None, given("Size", "In bytes.")] = None
    content_type: Annotated[str | None, given("Media type")] = None
    file_url: Annotated[AnyUrl | None, given("Address of the file")] = None


class ProductState(StrEnum):
    DRAFT = "draft"
    PUBLISHED = "published"
    RETIRED = "retired"


class Variant(Strict):
    sku: Sku = Field(description="The variant's own, unlike any other.")
    name: Name
    price: Money
    stock: Annotated[int, Field(ge=0)] | None = None


class NewProduct(Strict):
    sku: Sku = Field(description="Unique among products.")
    name: Name
    slug: Slug = Field(description="Unique among products.")
    description: Annotated[str, StringConstraints(max_length=20_000)] | None = None
    price: Money
    sale_price: Money | None = Field(None, title="Sale price")
    stock: Annotated[int, Field(ge=0)] | None = None
    weight_g: Annotated[int, Field(ge=0, title="Weight", description="In grams.")] | None = None
    status: ProductState = ProductState.DRAFT
    term_ids: list[Id] = Field([], description="What it is sorted by: the ids of terms.")
    media_ids: list[Id] = Field([], description="Its pictures: the ids of media, the first the main one.")
    variants: list[Variant] = Field([])
    metadata: dict[str, str] = Field({}, description="Open fields, each of which is added before it is used.")


class OpenFieldOf(StrEnum):
    PRODUCTS = "products"
    ORDERS = "orders"


class NewOpenField(Strict):
    name: Annotated[str, StringConstraints(min_length=1, max_length=60, pattern=r"^[a-z][a-z0-9_]*$")] = Field(
        description="Unique among open fields."
    )
    title: Name
    of: OpenFieldOf
