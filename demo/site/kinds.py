"""The kinds of record that the site keeps: one line each, from which all else is made."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

from pydantic import BaseModel

from demo.site.mail import Mail, of_offer, of_order, welcome
from demo.site.records.catalogue import KeptMedium, NewMedium, NewOpenField, NewProduct, NewTerm, NewVocabulary
from demo.site.records.parts import Kept, change_of, kept_of, page_of
from demo.site.records.people import NewCustomer, NewEntry, NewUser
from demo.site.records.trade import NewOffer, NewOrder
from demo.site.records.writing import NewArticle, NewComment
from demo.store import Table


@dataclass(frozen=True)
class Points:
    """A field that points at records of a kind by one of their fields; ``within``: the list of objects it stands in;
    ``part``: a list of what such a record has, each of which can be meant as well, by the same field."""

    field: str
    to: str
    by: str = "id"
    within: str | None = None
    part: str | None = None

    def in_body(self, body: dict[str, Any]) -> list[tuple[str, Any]]:
        """Where a body points, as a JSON pointer, and at what."""
        if self.within:
            rows = enumerate(body.get(self.within) or [])
            found = [(f"{self.within}/{at}/{self.field}", row.get(self.field)) for at, row in rows]
        elif isinstance(body.get(self.field), list):
            found = [(f"{self.field}/{at}", one) for at, one in enumerate(body[self.field])]
        else:
            found = [(self.field, body.get(self.field))]
        return [(where, one) for where, one in found if one is not None]


@dataclass(frozen=True)
class Kind:
    """``name`` and ``one``: the plural and the singular. No two records share what they have in one of the fields of
    ``unique``. ``title``: the field that a page is headed by; ``columns``: what a list shows beside it."""

    name: str
    one: str
    new: type[BaseModel]
    unique: tuple[str, ...]
    title: str
    columns: tuple[str, ...] = ()
    filters: tuple[str, ...] = ()
    points: tuple[Points, ...] = ()
    created: Mail | None = None
    changed: Mail | None = None
    gives: type[BaseModel] = Kept
    """What its records have that the site gives."""
    counts: str | None = None
    """The field that is numbered on where it is left out."""

    @cached_property
    def change(self) -> type[BaseModel]:
        return change_of(self.new, f"{self._model}Change")

    @cached_property
    def kept(self) -> type[BaseModel]:
        return kept_of(self.new, self._model, self.gives)

    @cached_property
    def page(self) -> type[BaseModel]:
        return page_of(self.kept, f"{self._model}Page")

    @property
    def _model(self) -> str:
        return self.new.__name__.removeprefix("New")

    @property
    def queries(self) -> tuple[str, ...]:
        """The fields that a list can be asked for."""
        return (*self.unique, *self.filters)

    @cached_property
    def table(self) -> Table:
        """Where its records are kept."""
        return Table(self.one, self.unique, self.filters, self.counts)


TERMS, MEDIA = Points("term_ids", "terms"), Points("media_ids", "media")
CUSTOMER = Points("customer_id", "customers")

KINDS: dict[str, Kind] = {
    kind.name: kind
    for kind in (
        Kind("customers", "customer", NewCustomer, ("email",), "name", ("email", "plan", "address"), created=welcome),
        Kind("users", "user", NewUser, ("username", "email"), "username", ("email", "role"), ("role",)),
        Kind("vocabularies", "vocabulary", NewVocabulary, ("name",), "title", ("name",)),
        Kind(
            "terms", "term", NewTerm, ("slug",), "name", ("vocabulary_name", "parent_id"), ("vocabulary_name",),
            (Points("vocabulary_name", "vocabularies", "name"), Points("parent_id", "terms")),
        ),
        Kind("media", "medium", NewMedium, ("filename",), "filename", ("title", "alt", "size"), gives=KeptMedium),
        Kind(
            "products", "product", NewProduct, ("sku", "slug"), "name", ("sku", "price", "status"), ("status",),
            (TERMS, MEDIA),
        ),
        Kind(
            "offers", "offer", NewOffer, ("code",), "code", ("kind", "amount", "ends_at"), ("kind",),
            (Points("product_skus", "products", "sku"),), created=of_offer,
        ),
        Kind(
            "orders", "order", NewOrder, ("number",), "number", ("customer_id", "placed_at", "status", "total"),
            ("status", "customer_id"),
            (
                CUSTOMER, Points("offer_code", "offers", "code"),
                Points("product_sku", "products", "sku", "lines", "variants"),
            ),
            created=of_order, changed=of_order, counts="number",
        ),
        Kind(
            "articles", "article", NewArticle, ("slug",), "title", ("slug", "language", "status"), ("language",),
            (Points("author_id", "users"), Points("translation_of", "articles"), TERMS),
        ),
        Kind(
            "comments", "comment", NewComment, (), "author_name", ("article_id", "status", "body"),
            ("article_id", "status"), (Points("article_id", "articles"), Points("parent_id", "comments")),
        ),
        Kind(
            "course-entries", "course_entry", NewEntry, ("reference",), "reference", ("course", "customer_id", "state"),
            ("course",), (CUSTOMER, MEDIA),
        ),
        Kind("open-fields", "open_field", NewOpenField, ("name",), "title", ("name", "of")),
    )
}  # fmt: skip
TABLES = [kind.table for kind in KINDS.values()]
