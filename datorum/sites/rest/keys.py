"""Which fields tell two records apart, by themselves or together."""

from __future__ import annotations

import re
from collections.abc import Iterator

from datorum.core.model import Field, FieldType
from datorum.sites.rest.parts import bare

_USUAL = ("email", "sku", "slug", "username")
_OWN_MAIL = re.compile(r"(?i)^(e[-_]?)?mail([-_]?addr(ess)?)?$")
"""Not that of somebody else: an author's."""
_UNIQUE = re.compile(r"(?i)\bunique(ly|ness)?\b|\bunlike any other\b|\bno two \w+ (have|share)\b")
_NOT_UNIQUE = re.compile(r"(?i)\b(not|need not be|not necessarily|non-?)\W*unique\b")
_TOGETHER = re.compile(
    r"(?i)\bunique\W+(?:(?:together|combined|in combination) with|per|within|for each|for every|in each|inside) "
    r"(?:(?:the|its|an?|each|every|one|same) )*(?P<others>[\w\s,`'“”\"&.-]+)"
)
_IDENTIFIES = re.compile(
    r"(?i)\bunique\W+(?:identifier|id|reference|key|code|number)\W+(?:of|for|that identifies) "
    r"(?:(?:the|an?|this|your) )*(?P<kind>\w+(?: \w+)?)"
)
_KEYS = (FieldType.TEXT, FieldType.INTEGER)


def is_unique(field: Field, conflict: str | None, fields: tuple[Field, ...]) -> bool:
    """Whether a field is one that no two records share: its description says so; or the site answers 409 (``conflict``
    is what it says of that) and names it, or it is called as keys usually are."""
    if field.type not in _KEYS or field.in_list or _of_another(field, fields):
        return False
    if _NOT_UNIQUE.search(field.description):
        return False
    if says_unique(field):
        return not set(_others(field, fields))
    if conflict is None or field.read_only:
        return False
    own_mail = field.format == "email" and _OWN_MAIL.match(field.path)
    return bool(own_mail or field.path in _USUAL or _is_named(field, conflict))


def says_unique(field: Field) -> bool:
    """Whether a field's description says that no two records share it. “The unique identifier of the company” is said
    of a ``companyId``, and means the company."""
    if not _UNIQUE.search(field.description) or _NOT_UNIQUE.search(field.description):
        return False
    meant = _IDENTIFIES.search(field.description)
    last = bare(field.path.rpartition(".")[2])
    kinds = {bare(meant["kind"]), bare(meant["kind"].split()[0])} if meant else set()
    return last in kinds or not last.startswith(tuple(kinds))


def unique_together(fields: tuple[Field, ...]) -> Iterator[tuple[str, ...]]:
    """The fields that tell two records apart together, as descriptions say it: “Unique within its vocabulary.”"""
    seen: set[frozenset[str]] = set()
    for field in fields:
        others = tuple(dict.fromkeys(_others(field, fields)))
        if others and frozenset((field.path, *others)) not in seen:
            seen.add(frozenset((field.path, *others)))
            yield (field.path, *others)


def language_below(name: str, above: tuple[str, ...], fields: tuple[Field, ...]) -> tuple[str, ...] | None:
    """The fields that tell the records of a list of translations apart that are kept below what they translate: that
    has one in each language. None where a list is called otherwise, or says no language."""
    if not _IN_LANGUAGES.search(name) or len(above) != 1:
        return None
    spoken = [field.path for field in fields if not field.in_list and bare(field.path.rpartition(".")[2]) in _LANGUAGE]
    return (*above, spoken[0]) if spoken else None


_IN_LANGUAGES = re.compile(r"(?i)(translation|locali[sz]ation|locale|language)s?$")
_LANGUAGE = ("language", "languagecode", "lang", "locale", "localecode")


def _others(field: Field, fields: tuple[Field, ...]) -> Iterator[str]:
    """The paths of what a field is unique with."""
    found = _TOGETHER.search(field.description)
    if found is None:
        return
    words = {bare(word) for word in re.findall(r"\w+", found["others"])}
    for other in fields:
        last = other.path.rpartition(".")[2]
        stem = re.sub(r"(?i)[_-]?(id|name|slug|code|number|key)$", "", last)
        if other.path != field.path and not other.read_only and {bare(last), bare(stem)} & words - {""}:
            yield other.path


def _of_another(field: Field, fields: tuple[Field, ...]) -> bool:
    """Whether a field stands within another record that is shown in this one: an object with an id of its own."""
    around = field.path.rpartition(".")[0]
    return bool(around) and any(one.path in (f"{around}.id", f"{around}.uuid", f"{around}._id") for one in fields)


def _is_named(field: Field, conflict: str) -> bool:
    """Whether what is said of a conflict names a field: “The code is taken.”"""
    name = re.sub(r"[_.-]+", " ", field.path)
    return bool(re.search(rf"(?i)\b(the|this|that|same|its|an?|`|“) ?{re.escape(name)}\b", conflict))
