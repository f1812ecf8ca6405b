"""A record type as a person corrected it."""

from __future__ import annotations

from typing import Any

from datorum.core.model import Field, Relation
from datorum.sites.rest.model import MailSwitch, SiteType
from datorum.sites.rest.overlay import AddedField, Correction
from datorum.sites.rest.schema import titled_part

_OF_TYPES: tuple[str, ...] = ("title", "id_field", "page_field")
_OF_LISTS: tuple[str, ...] = ("items_at", "entry", "total_at")
_OF_PAGES: tuple[str, ...] = ("page", "offset", "cursor", "size", "size_most", "next_at", "next_token_at")
_OF_WRITING: tuple[str, ...] = ("body_at", "answer_at")
"""What a person can correct, by the part of a record type that it stands in."""


def as_said(one: SiteType, correction: Correction) -> SiteType:
    """A record type as a person corrected it."""
    said: dict[str, Any] = {name: value or None for name, value in correction.model_dump(exclude_none=True).items()}
    paging = {name: said[name] for name in _OF_PAGES if name in said}
    if correction.first is not None:
        paging["first"] = correction.first
    listing = {name: said[name] for name in _OF_LISTS if name in said}
    changes: dict[str, Any] = {name: said[name] for name in _OF_TYPES if name in said}
    if listing or paging:
        turned = one.listing.paging.model_copy(update=paging)
        changes["listing"] = one.listing.model_copy(update={**listing, "paging": turned})
    if one.item is not None and "answer_at" in said:
        changes["item"] = one.item.model_copy(update={"answer_at": said["answer_at"]})
    if "body_at" in said or "answer_at" in said:
        wrap = {name: said[name] for name in _OF_WRITING if name in said}
        changes["create"] = one.create.model_copy(update=wrap)
        changes["update"] = one.update.model_copy(update=wrap) if one.update else None
    if "silences_mail" in said:
        name = said["silences_mail"]
        changes["mails"] = (MailSwitch(name=name, on_create=True, on_update=True),) if name else ()
    if correction.unique is not None:
        named = set(correction.unique)
        fields = tuple(field.model_copy(update={"unique": field.path in named}) for field in one.fields)
        changes |= {"fields": fields, "unique": tuple(field.path for field in fields if field.unique)}
    one = one.model_copy(update=changes)
    if correction.relations is not None:
        there = {field.path for field in one.fields}
        held = (said for said in correction.relations if set(said.parts.values()) <= there)
        why = "a person said so"
        relations = tuple(Relation(kind=said.kind, parts=said.parts, why=why) for said in held)
        one = one.model_copy(update={"relations": relations})
    return _with_added(one, correction.added or ())


def _with_added(one: SiteType, added: tuple[AddedField, ...]) -> SiteType:
    """A record type with the fields that a person has added to its open parts."""
    parts, there = {part.path: part for part in one.open_fields}, {field.path for field in one.fields}
    known = {said.path: said for said in added if said.path.rpartition(".")[0] in parts and said.path not in there}
    fields = tuple(
        Field(
            path=path,
            title=said.title or f"{titled_part(name)}, {parts[around].title.lower()}",
            type=parts[around].type,
        )
        for path, said in known.items()
        for around, _, name in [path.rpartition(".")]
    )
    if not fields:
        return one
    paths = tuple(known)
    changes: dict[str, Any] = {"fields": (*one.fields, *fields)}
    changes["create"] = one.create.model_copy(update={"fields": (*one.create.fields, *paths)})
    if one.update:
        changes["update"] = one.update.model_copy(update={"fields": (*one.update.fields, *paths)})
    return one.model_copy(update=changes)
