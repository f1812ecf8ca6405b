"""What a site's document says of its record types, kept apart as documents keep it apart."""

from __future__ import annotations

import re
from typing import Any, Literal

from pydantic import BaseModel, model_validator

from datorum.core.model import Field, FieldType, RecordType, Relation

PagingStyle = Literal["page", "offset", "cursor", "next-url", "link-header", "none"]
Answers = Literal["record", "id", "location", "nothing", "later"]


class Credential(BaseModel, frozen=True):
    """One thing that a request has to carry: ``kind`` apiKey, basic, bearer, oauth2 or openIdConnect. A key goes
    ``within`` the query, a header or a cookie, by its ``name``. ``token_url``: where OAuth 2 gives a token for a
    client's own credentials (RFC 6749, 4.4), with ``scopes``."""

    kind: str
    within: str | None = None
    name: str | None = None
    token_url: str | None = None
    scopes: tuple[str, ...] = ()


Needs = tuple[tuple[Credential, ...], ...]
"""What a request has to carry: alternatives, each of what is needed together."""


class MailSwitch(BaseModel, frozen=True):
    """The query parameter that, set to false, keeps the site from sending mail, or mail of one kind, as it ``says``."""

    name: str
    says: str = ""
    on_create: bool
    on_update: bool


class Paging(BaseModel, frozen=True):
    """How the pages of a list are turned: ``style`` is the surest way, ``styles`` all that the document offers.

    ``page``, ``offset``, ``cursor`` and ``size`` are query parameters; ``first`` is the number of the first page.
    ``next_at`` and ``next_token_at`` say where an answer has the address or the token of the next page."""

    style: PagingStyle = "none"
    styles: tuple[PagingStyle, ...] = ()
    page: str | None = None
    first: int = 1
    offset: str | None = None
    cursor: str | None = None
    size: str | None = None
    size_most: int | None = None
    next_at: str | None = None
    next_token_at: str | None = None


class Listing(BaseModel, frozen=True):
    """The list of a record type. ``items_at``: where in the answer the records are, dotted, or None where the answer is
    the list; ``entry``: the property that each record is wrapped in; ``filters``: query parameters called like a field.
    ``constants`` and ``headers`` are parameters that must be sent and take but one value, here as in all operations.
    """

    path: str
    items_at: str | None = None
    entry: str | None = None
    total_at: str | None = None
    paging: Paging = Paging()
    filters: tuple[str, ...] = ()
    changed_since: str | None = None
    """The parameter that a moment is given in, to have what was changed at it or after."""
    newest_first: dict[str, str] = {}
    """What is asked to have first what was changed last; nothing where that cannot be asked."""
    constants: dict[str, str] = {}
    headers: dict[str, str] = {}


class OneRecord(BaseModel, frozen=True):
    """One record by itself. ``answer_at``: the property that it is wrapped in. ``readable``: it can be asked for, and
    not only changed there."""

    path: str
    answer_at: str | None = None
    readable: bool = True
    constants: dict[str, str] = {}
    headers: dict[str, str] = {}


class Call(BaseModel, frozen=True):
    """An operation that changes something: of one record, of a list of them, or beside both. ``media`` is the media
    type that is sent, None where nothing is; ``body_at``: the property that the request wraps it in; ``answer_at``:
    what the answer is wrapped in. ``auth`` is None where it asks for what the list asks for."""

    name: str = ""
    method: str
    path: str
    media: str | None = None
    body_at: str | None = None
    answer_at: str | None = None
    file_at: str | None = None
    """The field of a form that a file goes in (RFC 7578); None where a file is sent by itself."""
    constants: dict[str, str] = {}
    headers: dict[str, str] = {}
    many: bool = False
    """Whether what it takes is a list of records."""
    takes_key: bool = False
    """Whether it takes an Idempotency-Key, by which the same request is done once however often it comes."""
    auth: Needs | None = None


class Writing(Call, frozen=True):
    """An operation that creates or changes a record. ``medias`` are all media types that it takes. ``answers`` says
    what comes back. ``fields``: the paths of what it takes."""

    medias: tuple[str, ...] = ()
    answers: Answers = "record"
    fields: tuple[str, ...] = ()
    not_taken: tuple[str, ...] = ()
    """The paths of properties that a record has when it is read, and that are not sent: the site alone writes them."""
    closed: dict[str, tuple[str, ...]] = {}
    """By the paths of objects that take no properties but those described the names of these; the path is empty for
    the record itself."""
    required: tuple[str, ...] = ()
    """The paths of properties that every request must have."""
    lacks: tuple[str, ...] = ()
    """Those of them that are not given back when a record is read."""

    @property
    def replaces(self) -> bool:
        """Whether the record becomes what is sent, and what is not sent is lost."""
        return self.method == "put"


class Link(BaseModel, frozen=True):
    """A field that says which record of type ``to`` is meant, by its property ``by``; ``many`` of them where it is a
    list. ``confidence`` from 0 to 1, with the reason."""

    field: str
    to: str
    by: str
    many: bool = False
    confidence: float
    why: str


class OpenField(BaseModel, frozen=True):
    """A part of a record that takes fields of any name: an object (``map``), or a list of objects that each have a name
    and a value (``pairs``). ``type`` is that of the values. ``languages``: the names are codes of languages."""

    path: str
    title: str
    kind: Literal["map", "pairs"] = "map"
    type: FieldType = FieldType.TEXT
    name_at: str = ""
    value_at: str = ""
    languages: bool = False
    why: str


_ABOVE = re.compile(r"(?i)parent|above|superior|broader")
_FILE_ADDRESS = re.compile(
    r"(?i)(file|source|src|download|content|media|image|picture|asset|guid).*(url|uri|link|href)?$"
)
_CALLED = ("name", "title", "label", "subject")


def _last_name(field: Field) -> str:
    """What a field is called in small letters, without what it is in, and without the language that it is for."""
    path = field.path.rpartition(".")[0] if field.language is not None else field.path
    return path.rpartition(".")[2].lower()


class SiteType(BaseModel, frozen=True):
    """One record type of a site with all the requests that reach it."""

    name: str
    title: str
    server: str | None = None
    """Where it is, if not where the site's other records are."""
    listing: Listing
    item: OneRecord | None = None
    create: Writing
    update: Writing | None = None
    delete: Call | None = None
    bulk: tuple[Call, ...] = ()
    actions: tuple[Call, ...] = ()
    upload: Call | None = None
    id_field: str | None = None
    parents: tuple[str, ...] = ()
    """The parameters in the path of its list, each the id of a record that it belongs to."""
    parent_fields: tuple[Field, ...] = ()
    """One for each of them."""
    under: str | None = None
    """The record type of the last of them."""
    fields: tuple[Field, ...] = ()
    """What a request that creates takes, and what a record has beside it, read only."""
    record_rules: dict[str, Any] | None = None
    """The keywords that hold a record as a whole."""
    shown: bool = True
    """Whether the document says that its answer is a list."""
    open_fields: tuple[OpenField, ...] = ()
    unique: tuple[str, ...] = ()
    unique_together: tuple[tuple[str, ...], ...] = ()
    """Fields that tell two records apart together, each by itself not."""
    links: tuple[Link, ...] = ()
    relations: tuple[Relation, ...] = ()
    """What holds between fields."""
    auth: Needs | None = None
    """None where the document asks for nothing."""
    page_field: str | None = None
    """The field with the address of a record's own page, for a person to open."""
    changed_at: str | None = None
    """Where a record says when it was changed last."""
    etag_at: str | None = None
    """Where each record of a list has its entity tag, which saves asking for the record before it is changed."""
    language: str | None = None
    """The language that all its requests ask for, where a site gives and takes records in one at a time."""
    translates: str | None = None
    """The record type of the same records in the site's first language, where it is of a further one."""
    creates: bool = True
    """Whether new records are made by it; in a further language often not."""
    mails: tuple[MailSwitch, ...] = ()
    """One for each kind of mail; none where the site does not say how to keep it from sending any."""

    @model_validator(mode="before")
    @classmethod
    def _with_several_mails(cls, kept: Any) -> Any:
        # Once there was but one.
        if isinstance(kept, dict) and "mail" in kept:
            kept = {name: value for name, value in kept.items() if name != "mail"} | {
                "mails": kept.get("mails") or ([kept["mail"]] if kept["mail"] else [])
            }
        return kept

    @property
    def way_up(self) -> Link | None:
        """The link of a record to the one above it in a tree, where records of this type stand in one."""
        own = [link for link in self.links if link.to == self.name and not link.many and "." not in link.field]
        named = [link for link in own if _ABOVE.search(link.field)]
        return named[0] if named else own[0] if len(own) == 1 else None

    @property
    def called_at(self) -> str | None:
        """The path of what a person calls a record by, where it has such a field."""
        own = [field for field in self.fields if not field.in_list]
        return next((field.path for name in _CALLED for field in own if _last_name(field) == name), None)

    @property
    def file_field(self) -> Field | None:
        """The field that stands for the file of a record, where the site takes that by a request of its own."""
        if self.upload is None or not self.takes_file_apart:
            return None
        name = self.upload.file_at or self.upload.name or "file"
        known = {field.path for field in self.fields}
        path = name if name not in known else f"{name}_file"
        title = re.sub(r"[_\-]+", " ", path).capitalize()
        said = "A file that is handed in for the record once that is there."
        return Field(path=path, title=title, type=FieldType.FILE, description=said, write_only=True)

    @property
    def file_address_at(self) -> str | None:
        """Where a record says the address of its file: what the site gives and does not take, called so."""
        given = [field.path for field in self.fields
                 if field.read_only and not field.in_list and field.format in ("uri", "url", "iri")
                 and field.path != self.page_field]  # fmt: skip
        called = [path for path in given if _FILE_ADDRESS.match(path.rpartition(".")[2])]
        return next(iter([*called, *given]), None)

    @property
    def address_at(self) -> str | None:
        """Where a record says the address that text leads to: of one with a file that of the file, else that of its
        page."""
        takes_file = self.file_field is not None or any(field.type is FieldType.FILE for field in self.fields)
        return (self.file_address_at if takes_file else None) or self.page_field

    @property
    def takes_file_apart(self) -> bool:
        """Whether a file is handed in for a record that is there already."""
        return self.upload is not None and self.item is not None and self.upload.path.startswith(self.item.path)

    @property
    def record_type(self) -> RecordType:
        """What an import makes of it."""
        own = {field.path for field in self.fields}
        above = tuple(field for field in self.parent_fields if field.path not in own)
        file = (self.file_field,) if self.file_field is not None else ()
        return RecordType(
            name=self.name,
            title=self.title,
            fields=(*above, *self.fields, *file),
            other_keywords=self.record_rules,
            relations=self.relations,
            unique_together=self.unique_together,
        )

    @property
    def why_no_update(self) -> str:
        """Why a record that is there cannot be changed, as a sentence without its end; empty where it can be."""
        if self.update is None:
            return "the site has no way to change a record"
        if self.update.replaces and self.update.lacks:
            known = {field.path: field.title for field in self.fields}
            titles = " and ".join(known.get(path, path) for path in self.update.lacks)
            return f"the site replaces whole records, demands {titles}, and does not give that back"
        return ""

    @property
    def out_of_reach(self) -> str:
        """Why records cannot be imported, as a sentence without its end; empty where they can be."""
        if self.parents and self.under is None:
            return f"its records are kept apart by {' and '.join(self.parents)}, of which the site has no list"
        if not self.shown:
            return "the document does not say that its answer is a list"
        if not self.record_type.writable:
            return "the document does not say what a new record consists of"
        if self.create.media is None or not is_writable(self.create.media):
            return f"new records are taken as {self.create.media or 'nothing that the document names'} only"
        return ""


class NotUnderstood(BaseModel, frozen=True):
    """A part of a document that nothing could be made of."""

    where: str
    why: str


class SiteModel(BaseModel, frozen=True):
    record_types: tuple[SiteType, ...]
    not_understood: tuple[NotUnderstood, ...] = ()

    def told(self) -> dict[str, Any]:
        """All of it as JSON, for others to read."""
        return {
            "record_types": [_told(one) for one in self.record_types],
            "not_understood": [one.model_dump() for one in self.not_understood],
        }


FORM = "application/x-www-form-urlencoded"


FORM_WITH_FILES = "multipart/form-data"


def is_writable(media: str) -> bool:
    """Whether records can be sent in a media type: JSON of any name but that of patches (RFC 6902), or a form."""
    bare = media.split(";")[0].strip().lower()
    return bare in (FORM, FORM_WITH_FILES) or (bare.endswith("json") and "json-patch" not in bare)


def _told(one: SiteType) -> dict[str, Any]:
    told = one.model_dump(mode="json", exclude={"record_rules", "shown", "auth", "parent_fields"})
    listing = told.pop("listing")
    auth = None if one.auth is None else [[_credential(need) for need in together] for together in one.auth]
    return {"name": told.pop("name"), "title": told.pop("title"), "list": listing, **told, "auth": auth}


def _credential(one: Credential) -> dict[str, Any]:
    return {"kind": one.kind, "in": one.within, "name": one.name}
