"""Record types whose records define fields of others: a site that lets a person add fields often keeps these so."""

from __future__ import annotations

import re
from typing import NamedTuple

from datorum.core.model import Field, FieldType
from datorum.sites.rest import SiteDescription, SiteType, singular
from datorum.sites.rest.model import OpenField

_DEFINES = re.compile(r"(?i)field|attribute|propert|characteristic|metafield|column")
_OF_LANGUAGES = re.compile(r"(?i)language|locale")
_NAMES = ("name", "key", "code", "slug", "identifier", "handle", "id")
_TITLES = ("title", "label", "display_name", "displayname", "caption", "name")
_TEXTS = ("text", "string", "single_line_text", "singleline", "varchar", "textfield", "input", "any")


class Definer(NamedTuple):
    """Records of the type ``record_type`` define what stands in an open part of others: by which of its fields the name
    is said (``name_at``), a title, and what is the same of every one (``always``)."""

    record_type: str
    name_at: str
    title_at: str | None
    always: dict[str, str]

    def changes(self, name: str, title: str) -> dict[str, str]:
        """What a record that defines a field of this name has, by path."""
        titled = {self.title_at: title} if self.title_at else {}
        return {**self.always, **titled, self.name_at: name}


def open_part(kind: SiteType, path: str) -> OpenField | None:
    """The open part of a record that a field stands in."""
    return next((part for part in kind.open_fields if path.rpartition(".")[0] == part.path), None)


def definer_of(description: SiteDescription, record_type: str, part: OpenField) -> Definer | None:
    """What defines the fields in an open part of a record type, where the site has an operation for that."""
    wanted = _OF_LANGUAGES if part.languages else _DEFINES
    for kind in description.usable.values():
        if kind.name != record_type and wanted.search(kind.name) and not kind.parents:
            found = _definer(kind, record_type, of_languages=part.languages)
            if found is not None:
                return found
    return None


def _definer(kind: SiteType, record_type: str, *, of_languages: bool) -> Definer | None:
    fields = [field for field in kind.record_type.writable if not field.in_list]
    by_name = {field.path.lower(): field for field in fields}
    name = next((by_name[one] for one in _NAMES if one in by_name and _is_text(by_name[one])), None)
    if name is None:
        return None
    title = next((by_name[one] for one in _TITLES if one in by_name and by_name[one] is not name), None)
    always: dict[str, str] = {}
    ours = {record_type.lower(), singular(record_type).lower()}
    of = next((field for field in fields if {value.lower() for value in field.enum} & ours), None)
    if of is not None:
        always[of.path] = next(value for value in of.enum if value.lower() in ours)
    elif not of_languages and singular(record_type).lower() not in kind.name.lower():
        # It defines fields of something else.
        return None
    for field in fields:
        if field.required and not field.nullable and field not in (name, title, of):
            text = next((value for value in field.enum if value.lower() in _TEXTS), None)
            if text is None:
                return None
            always[field.path] = text
    return Definer(kind.name, name.path, title.path if title is not None else None, always)


def _is_text(field: Field) -> bool:
    return field.type is FieldType.TEXT and not field.enum
