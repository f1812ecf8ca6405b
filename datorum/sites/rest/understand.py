"""A document's record types: each list that records can be added to, with what is said of one record.

A part that is out of order costs that part: it is told where it stands and why nothing could be made of it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from datorum.core.errors import DatorumError, SiteUnavailable
from datorum.core.model import Field, FieldType
from datorum.core.suggest.relations import relations_of
from datorum.sites.rest.by_language import in_each_language
from datorum.sites.rest.calls import (
    actions_of,
    bulk_of,
    constant_headers,
    constants,
    delete_of,
    one_record_of,
    update_of,
    upload_of,
    writing_of,
)
from datorum.sites.rest.changes import changed_at, changed_since, newest_first
from datorum.sites.rest.envelopes import entry_of, items_of, kind_of, stem, wrapped
from datorum.sites.rest.keys import is_unique, language_below, says_unique, unique_together
from datorum.sites.rest.links import links_of
from datorum.sites.rest.model import (
    Link,
    Listing,
    MailSwitch,
    NotUnderstood,
    SiteModel,
    SiteType,
)
from datorum.sites.rest.open_fields import open_fields_of
from datorum.sites.rest.overlay import Correction, correction_of
from datorum.sites.rest.paging import paging_of, total_at
from datorum.sites.rest.parts import Operations, bare, plain
from datorum.sites.rest.said import as_said
from datorum.sites.rest.schema import Json, fields_of, record_rules
from datorum.sites.rest.security import needs_of

_ID_NAMES = ("id", "_id", "uuid", "uid", "guid", "identifier", "key", "slug", "name")
_MAIL_NAME = re.compile(r"(?i)^(notify|notif\w*|send_?(e?mail|welcome|notif)\w*|e?mail_(user|customer))$")
_PAGE_FIELDS = ("html_url", "permalink", "url", "link", "web_url")
_ETAGS = ("etag", "_etag", "eTag", "meta.version")
_STANDS_FOR_ID = ("number", "no", "nr", "key", "identifier", "pk", "record", "ref")
"""Names of parameters that may mean whatever a record is told by."""
_OUT_OF_ORDER = (DatorumError, AttributeError, TypeError, KeyError, ValueError, IndexError, RecursionError)


def understand(document: Any) -> SiteModel:
    """Read a parsed OpenAPI 3 document; anything may be wrong with its parts. Raises SiteUnavailable where it is none
    at all."""
    if not isinstance(document, dict) or not isinstance(document.get("paths"), dict):
        raise SiteUnavailable("This is no OpenAPI document.", remedy="Give one that has paths.")
    operations = Operations(document)
    found: list[SiteType] = []
    missed: list[NotUnderstood] = []
    for path in operations.paths:
        if not _is_list(path, operations):
            continue
        try:
            found.append(as_said(_site_type(path, operations), correction_of(operations.item(path))))
        except _OUT_OF_ORDER as error:
            missed.append(NotUnderstood(where=path, why=_why(error)))
    apart = tuple(_told_apart(found))
    apart = tuple(one.model_copy(update={"under": _under(one, apart)}) if one.parents else one for one in apart)
    linked = [_linked(one, apart, correction_of(operations.item(one.listing.path))) for one in apart]
    further = [other for one in linked for other in in_each_language(one, operations)]
    return SiteModel(record_types=(*linked, *further), not_understood=tuple(missed))


def _linked(one: SiteType, others: tuple[SiteType, ...], correction: Correction) -> SiteType:
    """A record type with its links: those that a person named, and those that are found for the other fields."""
    found = {link.field: link for link in links_of(one, others)}
    kinds = {other.name: other for other in others}
    fields = {field.path: field for field in one.fields}
    if one.under is not None and len(one.parents) == 1:
        above, by = one.parents[0], kinds[one.under].id_field or "id"
        found[above] = Link(field=above, to=one.under, by=by, confidence=1.0, why="its records are kept below those")
    for path, said in correction.links.items():
        found.pop(path, None)
        if said.to in kinds and path in fields:
            to = kinds[said.to]
            many = fields[path].type is FieldType.LIST
            by = said.by or to.id_field or "id"
            found[path] = Link(field=path, to=to.name, by=by, many=many, confidence=1.0, why="a person said so")
    one = one.model_copy(update={"links": tuple(found.values())})
    if (in_each := language_below(one.name, one.parents, one.fields)) and not one.unique and not one.unique_together:
        one = one.model_copy(update={"unique_together": (in_each,)})
    return one if correction.unique is not None else _without_references(one)


def _without_references(one: SiteType) -> SiteType:
    """A record type whose keys are no references: several may point at one record, unless a description says not."""
    fields = tuple(
        field.model_copy(update={"unique": False})
        if field.unique and field.path in {link.field for link in one.links} and not says_unique(field)
        else field
        for field in one.fields
    )
    return one.model_copy(update={"fields": fields, "unique": tuple(field.path for field in fields if field.unique)})


def _why(error: Exception) -> str:
    if isinstance(error, DatorumError):
        return str(error)
    return "a part of the document that describes it is not of the form that OpenAPI gives it"


def _is_list(path: str, operations: Operations) -> bool:
    """Whether records can be listed and added there."""
    return not stem(path).endswith("}") and {"get", "post"} <= operations.of(path).keys()


def _told_apart(found: list[SiteType]) -> Iterator[SiteType]:
    """Record types whose paths end with one word get the words before it as well."""
    names = [one.name for one in found]
    for one in found:
        if names.count(one.name) == 1:
            yield one
            continue
        words = [part for part in one.listing.path.split("/") if part and "{" not in part]
        name = "_".join(words[-2:]) if len(words) > 1 else one.name
        yield one.model_copy(update={"name": name, "title": titled(name)})


def _under(one: SiteType, others: tuple[SiteType, ...]) -> str | None:
    """The record type whose records the last parameter of a list's path means."""
    before = one.listing.path.rpartition("{")[0]
    found = (
        other.name
        for other in others
        if stem(other.listing.path) == before.rstrip("/") and other.parents == one.parents[:-1] and other.id_field
    )
    return next(found, None)


def _parent_fields(path: str, listed: Json, operations: Operations) -> tuple[Field, ...]:
    """The parameters of a path as fields that must be there."""
    said = operations.parameters(path, listed, within="path")
    return tuple(
        field.model_copy(update={"required": True, "read_only": False, "nullable": False})
        for name in re.findall(r"\{([^{}]+)\}", path)
        for field in fields_of(
            {"type": "object", "properties": {name: plain(plain(said.get(name)).get("schema")) or {"type": "string"}}},
            operations.resolver,
        )
    )


def _site_type(path: str, operations: Operations) -> SiteType:
    listed, created = operations.of(path)["get"], operations.of(path)["post"]
    answer = operations.answer(listed)
    items_at, entry = items_of(answer, path, operations)
    wrapper = entry_of(entry or {})
    record = operations.merged(plain((entry or {}).get("properties")).get(wrapper)) if wrapper else entry or {}
    parameters = operations.parameters(path, listed)
    item_path = _item_path(path, operations)
    item = operations.of(item_path) if item_path else {}
    shown = operations.answer(item["get"]) if "get" in item else {}
    answer_at, one = wrapped(shown, kind_of(path), operations)
    record = record or one
    read_as = [schema for schema in (record, one) if schema]
    create, body = writing_of("post", path, path, read_as, operations)
    upload = upload_of(path, item_path, operations)
    update = update_of(path, item_path, read_as, operations)
    name = next((part for part in reversed(stem(path).split("/")) if part and "{" not in part), "records")
    fields = written_fields(body, record, created, operations)
    changed = operations.of(update.path)[update.method] if update else {}
    return SiteType(
        name=name,
        title=titled(name),
        server=operations.server(path, listed),
        listing=Listing(
            path=path,
            items_at=items_at,
            entry=wrapper,
            total_at=total_at(answer, operations),
            paging=paging_of(parameters, answer, listed, operations),
            filters=tuple(name for name in parameters if name in {field.path for field in fields}),
            changed_since=changed_since(parameters, fields),
            newest_first=newest_first(parameters, fields),
            constants=constants(parameters),
            headers=constant_headers(path, listed, operations),
        ),
        item=one_record_of(item_path, item, answer_at, operations) if item_path else None,
        create=create,
        update=update,
        delete=delete_of(item_path, item, operations),
        bulk=tuple(bulk_of(path, item_path, operations)),
        actions=tuple(call for call in actions_of(item_path, operations) if upload is None or call.path != upload.path),
        upload=upload,
        id_field=_id_field(item_path, path, record, operations) if item_path else None,
        parents=tuple(re.findall(r"\{([^{}]+)\}", path)),
        parent_fields=_parent_fields(path, listed, operations),
        fields=fields,
        record_rules=record_rules(body, operations.resolver) if body else None,
        shown=entry is not None,
        open_fields=open_fields_of(body, operations.resolver) if body else (),
        unique=tuple(field.path for field in fields if field.unique),
        unique_together=tuple(unique_together(fields)),
        relations=relations_of(fields),
        auth=needs_of(listed, operations),
        page_field=_page_field(fields),
        changed_at=changed_at(fields),
        etag_at=_etag_at(fields),
        mails=_mail_switches(
            operations.parameters(path, created), operations.parameters(update.path, changed) if update else {}
        ),
    )


def written_fields(body: Json, record: Json, created: Json, operations: Operations) -> tuple[Field, ...]:
    """What a request that creates takes and, read only, what else a record has."""
    writable = fields_of(body, operations.resolver) if body else []
    known = {field.path for field in writable}
    given = [field for field in fields_of(record, operations.resolver) if field.path not in known] if record else []
    conflict = plain(created.get("responses")).get("409")
    told = None if conflict is None else str(operations.follow(conflict).get("description", ""))
    every = (*writable, *(field.model_copy(update={"read_only": True}) for field in given))
    return tuple(
        field.model_copy(update={"unique": True}) if is_unique(field, told, every) else field for field in every
    )


def titled(name: str) -> str:
    """The name of a record type as a person reads it."""
    words = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", " ", name)
    return re.sub(r"[_\-]+", " ", words).strip().capitalize()


def _item_path(path: str, operations: Operations) -> str | None:
    """Where one record is: the list's path and a parameter, with the same end as the list's or a suffix."""
    wanted = re.compile(re.escape(stem(path)) + r"/\{[^/{}]+\}(\.\w+)?/?")
    return next((other for other in operations.paths if wanted.fullmatch(other)), None)


def _page_field(fields: tuple[Field, ...]) -> str | None:
    """A web address that the site gives and does not take, by one of the names that sites use for it."""
    return next((f.path for f in fields if f.read_only and f.format == "uri" and f.path in _PAGE_FIELDS), None)


def _etag_at(fields: tuple[Field, ...]) -> str | None:
    """A text that the site gives and does not take, by one of the names of an entity tag: ``meta.version`` is that of
    SCIM (RFC 7643, 3.1)."""
    return next((f.path for f in fields if f.read_only and f.type is FieldType.TEXT and f.path in _ETAGS), None)


def _mail_switches(create: dict[str, Json], update: dict[str, Json]) -> tuple[MailSwitch, ...]:
    """The parameters that say whether mail is sent, each for mail of its kind."""
    found = []
    for name, parameter in (create | update).items():
        described = str(parameter.get("description", ""))
        schema = plain(parameter.get("schema"))
        if schema.get("type") == "boolean" and (_MAIL_NAME.match(name) or re.search(r"(?i)\be?-?mail\b", described)):
            switch = MailSwitch(name=name, says=described[:200], on_create=name in create, on_update=name in update)
            found.append(switch)
    return tuple(found)


def _id_field(item_path: str, path: str, record: Json, operations: Operations) -> str:
    """The property of a record that its path is made with: the parameter's own name, in any spelling, or what is left
    of it without the kind of record; else what is usually called so."""
    parameter = re.findall(r"\{([^{}]+)\}", item_path)[-1]
    properties = [str(name) for name in (operations.merged(record).get("properties") or {})]
    by_spelling = {bare(name): name for name in reversed(properties)}
    kind = kind_of(path)
    asked = bare(parameter)
    usual = [name for name in _ID_NAMES if name in properties]
    if asked in by_spelling and asked != "id":
        return by_spelling[asked]
    if asked in _STANDS_FOR_ID:
        # “{number}” of an order that has an “order_id” and a “number” of another kind.
        for name in (f"{kind}{asked}", f"{kind}id", "id", f"{kind}no", f"{kind}number"):
            if name in by_spelling:
                return by_spelling[name]
    if asked.endswith("id") or asked == "id":
        own = [f"{kind}id", "id"]
        for name in own:
            if name in by_spelling:
                return by_spelling[name]
        ids = [name for name in usual if name != "name"]
        return ids[0] if ids else parameter
    for name in properties:
        # “pool_name” is the name of a pool.
        if len(bare(name)) > 2 and asked.endswith(bare(name)):
            return name
    return usual[0] if usual else parameter
