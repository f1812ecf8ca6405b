"""What a site's document says of its record types, kept apart as documents keep it apart."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel
from pydantic import Field as Attribute

from datorum.core.model import Field

PagingStyle = Literal["page", "offset", "cursor", "next-url", "link-header", "none"]
Answers = Literal["record", "id", "location", "nothing", "later"]


class Paging(BaseModel, frozen=True):
    """How the pages of a list are turned: ``style`` is the surest way, ``styles`` all that the document offers.
    ``page``, ``offset``, ``cursor`` and ``size`` are query parameters; ``next_at`` and ``next_token_at`` say where an
    answer has the address or the token of the next page."""

    style: PagingStyle = "none"
    styles: tuple[PagingStyle, ...] = ()
    page: str | None = None
    offset: str | None = None
    cursor: str | None = None
    size: str | None = None
    size_most: int | None = None
    next_at: str | None = None
    next_token_at: str | None = None


class Listing(BaseModel, frozen=True):
    """The list of a record type. ``items_at``: where in the answer the records are, dotted, or None where the answer is
    the list; ``entry``: the property that each record is wrapped in; ``constants``: parameters that must be sent and
    take but one value."""

    path: str
    items_at: str | None = None
    entry: str | None = None
    total_at: str | None = None
    paging: Paging = Paging()
    filters: tuple[str, ...] = ()
    constants: dict[str, str] = {}


class OneRecord(BaseModel, frozen=True):
    """One record by itself. ``answer_at``: the property that it is wrapped in."""

    path: str
    answer_at: str | None = None


class Writing(BaseModel, frozen=True):
    """An operation that creates or changes a record. ``body_at``: the property that the request wraps it in; ``medias``
    are all media types that it takes, ``media`` the one that is sent."""

    method: str
    path: str
    media: str | None = None
    medias: tuple[str, ...] = ()
    body_at: str | None = None
    answers: Answers = "record"


class Call(BaseModel, frozen=True):
    """Any other operation on a record or a list of them."""

    name: str
    method: str
    path: str


class Link(BaseModel, frozen=True):
    """A field that says which record of type ``to`` is meant, by its property ``by``; ``many`` of them where it is a
    list. ``confidence`` from 0 to 1, with the reason."""

    field: str
    to: str
    by: str
    many: bool = False
    confidence: float
    why: str


class Credential(BaseModel, frozen=True):
    """One thing that a request has to carry: ``kind`` apiKey, basic, bearer, oauth2 or openIdConnect."""

    kind: str
    within: str | None = Attribute(None, serialization_alias="in")
    name: str | None = None


class SiteType(BaseModel, frozen=True):
    """One record type of a site with all the requests that reach it."""

    name: str
    title: str
    listing: Listing = Attribute(serialization_alias="list")
    item: OneRecord | None = None
    create: Writing
    update: Writing | None = None
    delete: Call | None = None
    bulk: tuple[Call, ...] = ()
    actions: tuple[Call, ...] = ()
    id_field: str | None = None
    parents: tuple[str, ...] = ()
    fields: tuple[Field, ...] = ()
    """What a request that creates takes, and what a record has beside it, read only."""
    record_rules: dict[str, Any] | None = Attribute(None, exclude=True)
    """The keywords that hold a record as a whole."""
    shown: bool = Attribute(True, exclude=True)
    """Whether the document says that its answer is a list."""
    unique: tuple[str, ...] = ()
    links: tuple[Link, ...] = ()
    auth: tuple[tuple[Credential, ...], ...] | None = None
    """Alternatives, each of what is needed together; None where the document asks for nothing."""


class NotUnderstood(BaseModel, frozen=True):
    """A part of a document that nothing could be made of."""

    where: str
    why: str


class SiteModel(BaseModel, frozen=True):
    record_types: tuple[SiteType, ...]
    not_understood: tuple[NotUnderstood, ...] = ()
