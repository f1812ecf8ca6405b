"""A document's record types: each list that records can be added to, with what is said of one record.

A part that is out of order costs that part: it is told where it stands and why nothing could be made of it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from datorum.core.errors import DatorumError, SiteUnavailable
from datorum.core.model import Field, FieldType, Relation
from datorum.core.suggest.relations import relations_of
from datorum.sites.rest.changes import changed_at, changed_since, newest_first
from datorum.sites.rest.envelopes import entry_of, items_of, kind_of, stem, wrapped
from datorum.sites.rest.keys import is_unique, says_unique, unique_together
from datorum.sites.rest.links import links_of
from datorum.sites.rest.model import (
    Call,
    Link,
    Listing,
    MailSwitch,
    NotUnderstood,
    OneRecord,
    SiteModel,
    SiteType,
    Writing,
    is_writable,
)
from datorum.sites.rest.open_fields import open_fields_of
from datorum.sites.rest.overlay import AddedField, Correction, correction_of
from datorum.sites.rest.paging import paging_of, total_at
from datorum.sites.rest.parts import Operations, plain
from datorum.sites.rest.schema import Json, fields_of, record_rules, titled_part
from datorum.sites.rest.security import needs_of

_UPDATES = ("patch", "put", "post")
_BULK = re.compile(r"(?i)^(bulk|batch|import|_bulk|many)")
_ID_NAMES = ("id", "_id", "uuid", "uid", "guid", "identifier", "key", "slug", "name")
_ID_LIKE = re.compile(r"(?i)(^|_|[a-z])(id|uuid|uid|guid|key|no|nr|number)$|^(identifier|slug|name)$")
_MAIL_NAME = re.compile(r"(?i)^(notify|notif\w*|send_?(e?mail|welcome|notif)\w*|e?mail_(user|customer))$")
_PAGE_FIELDS = ("html_url", "permalink", "url", "link", "web_url")
_ETAGS = ("etag", "_etag", "eTag", "meta.version")
_NOT_CONSTANT = ("accept", "authorization", "content-type", "host", "cookie")
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
            found.append(_as_said(_site_type(path, operations), correction_of(operations.item(path))))
        except _OUT_OF_ORDER as error:
            missed.append(NotUnderstood(where=path, why=_why(error)))
    apart = tuple(_told_apart(found))
    apart = tuple(one.model_copy(update={"under": _under(one, apart)}) if one.parents else one for one in apart)
    linked = (_linked(one, apart, correction_of(operations.item(one.listing.path))) for one in apart)
    return SiteModel(record_types=tuple(linked), not_understood=tuple(missed))


def _linked(one: SiteType, others: tuple[SiteType, ...], correction: Correction) -> SiteType:
    """A record type with its links: those that a person named, and those that are found for the other fields."""
    found = {link.field: link for link in links_of(one, others)}
    kinds = {other.name: other for other in others}
    fields = {field.path: field for field in one.fields}
    for path, said in correction.links.items():
        found.pop(path, None)
        if said.to in kinds and path in fields:
            to = kinds[said.to]
            many = fields[path].type is FieldType.LIST
            by = said.by or to.id_field or "id"
            found[path] = Link(field=path, to=to.name, by=by, many=many, confidence=1.0, why="a person said so")
    one = one.model_copy(update={"links": tuple(found.values())})
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


_OF_TYPES: tuple[str, ...] = ("title", "id_field", "page_field")
_OF_LISTS: tuple[str, ...] = ("items_at", "entry", "total_at")
_OF_PAGES: tuple[str, ...] = ("page", "offset", "cursor", "size", "size_most", "next_at")
_OF_WRITING: tuple[str, ...] = ("body_at", "answer_at")
"""What a person can correct, by the part of a record type that it stands in."""


def _as_said(one: SiteType, correction: Correction) -> SiteType:
    """A record type as a person corrected it."""
    said: dict[str, Any] = {name: value or None for name, value in correction.model_dump(exclude_none=True).items()}
    paging = {name: said[name] for name in _OF_PAGES if name in said}
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
        changes["mail"] = MailSwitch(name=name, on_create=True, on_update=True) if name else None
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
    create, body = _writing("post", path, path, operations)
    upload = _upload(path, item_path, operations)
    update = _update(path, item_path, operations)
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
            constants=_constants(parameters),
            headers=_headers(path, listed, operations),
        ),
        item=_one_record(item_path, item, answer_at, operations) if item_path else None,
        create=create,
        update=update,
        delete=_delete(item_path, item, operations),
        bulk=tuple(_beside(path, item_path, operations)),
        actions=tuple(call for call in _actions(item_path, operations) if upload is None or call.path != upload.path),
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
        mail=_mail_switch(
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


def _update(path: str, item_path: str | None, operations: Operations) -> Writing | None:
    """The operation that changes a record: on its own path or, where there is none, by a PUT on the list."""
    places = [(item_path, _UPDATES)] if item_path else []
    for where, methods in [*places, (path, ("patch", "put"))]:
        methods_there = operations.of(where)
        method = next((one for one in methods if one in methods_there), None)
        if method is None:
            continue
        return _writing(method, where, path, operations)[0]
    return None


def _writing(method: str, where: str, path: str, operations: Operations) -> tuple[Writing, Json]:
    """An operation that writes records of the list at ``path``, and the schema of what it takes of one."""
    operation = operations.of(where)[method]
    medias, body = operations.body(operation)
    body_at, body = wrapped(body, kind_of(path), operations)
    answer_at, _ = wrapped(operations.answer(operation), kind_of(path), operations)
    written = Writing(
        method=method,
        path=where,
        media=_sent_as(medias),
        medias=medias,
        body_at=body_at,
        answers=_answers(operation, operations),
        answer_at=answer_at,
        fields=tuple(field.path for field in fields_of(body, operations.resolver)) if body else (),
        **_asked_with(where, operation, operations),
    )
    return written, body


def _asked_with(where: str, operation: Json, operations: Operations) -> dict[str, Any]:
    """What a request of an operation has to carry beside its body."""
    named = {name.lower() for name in operations.parameters(where, operation, "header")}
    return {
        "constants": _constants(operations.parameters(where, operation)),
        "headers": _headers(where, operation, operations),
        "takes_key": "idempotency-key" in named,
        "auth": needs_of(operation, operations) if "security" in operation else None,
    }


def _call(name: str, method: str, where: str, operations: Operations) -> Call:
    """Any other operation: what it takes is what its document says, as it is."""
    operation = operations.of(where)[method]
    medias, _ = operations.body(operation)
    return Call(
        name=name, method=method, path=where, media=_sent_as(medias), **_asked_with(where, operation, operations)
    )


def _makes_many(name: str, method: str, where: str, operations: Operations) -> Call:
    """An operation on many records: the property that their list goes in, and the one that the answer's is in."""
    operation = operations.of(where)[method]
    _, body = operations.body(operation)
    call = _call(name, method, where, operations)
    lists, answered = _only_list(body, operations), _only_list(operations.answer(operation), operations)
    if lists is None:
        return call
    return call.model_copy(update={"many": True, "body_at": lists or None, "answer_at": answered or None})


def _only_list(schema: Json, operations: Operations) -> str | None:
    """The property that the one list of objects in a schema is; empty where the schema is the list, None where there is
    none, or several."""

    def is_list(part: Json) -> bool:
        return "items" in part and bool(operations.merged(part["items"]).get("properties"))

    whole = operations.merged(schema)
    if is_list(whole):
        return ""
    parts = {str(name): operations.merged(part) for name, part in plain(whole.get("properties")).items()}
    found = [name for name, part in parts.items() if is_list(part)]
    # Among the fields of a record a list is one field of many.
    return found[0] if len(found) == 1 and len(parts) <= _ENVELOPE else None


_ENVELOPE = 3
"""As many properties has what is no record but is put around some."""


def _one_record(item_path: str, item: Json, answer_at: str | None, operations: Operations) -> OneRecord:
    shown = item.get("get")
    return OneRecord(
        path=item_path,
        answer_at=answer_at,
        readable=shown is not None,
        constants=_constants(operations.parameters(item_path, shown)) if shown else {},
        headers=_headers(item_path, shown, operations) if shown else {},
    )


def _delete(item_path: str | None, item: Json, operations: Operations) -> Call | None:
    return _call("delete", "delete", item_path, operations) if item_path and "delete" in item else None


def _beside(path: str, item_path: str | None, operations: Operations) -> Iterator[Call]:
    """Operations on many records at once: beside the list, under a name of their own."""
    for other in operations.paths:
        rest = other.removeprefix(path.rstrip("/") + "/").strip("/")
        if other in (path, item_path) or "/" in rest or rest == other.strip("/") or not _BULK.match(rest):
            continue
        for method in ("post", "put", "patch"):
            if method in operations.of(other):
                yield _makes_many(rest, method, other, operations)


def _actions(item_path: str | None, operations: Operations) -> Iterator[Call]:
    """What else can be done with one record: operations below it that are no lists."""
    if not item_path:
        return
    for other in operations.paths:
        rest = other.removeprefix(item_path.rstrip("/") + "/").strip("/")
        if rest == other.strip("/") or "/" in rest or "{" in rest:
            continue
        methods = operations.of(other)
        if "post" in methods and "get" not in methods:
            yield _call(rest, "post", other, operations)


def _upload(path: str, item_path: str | None, operations: Operations) -> Call | None:
    """The operation that takes a file: of the list itself, of one record, or just below either."""
    for other in operations.paths:
        above = other.rpartition("/")[0]
        if not {other, above} & {path.rstrip("/"), item_path}:
            continue
        for method in ("post", "put"):
            medias, body = operations.body(operations.of(other).get(method, {}))
            if medias and _takes_file(other, medias, body, operations):
                call = _call(other.rpartition("/")[2], method, other, operations)
                answer_at, _ = wrapped(operations.answer(operations.of(other)[method]), kind_of(path), operations)
                file_at = _file_at(body, operations) or "file" if _FORM_WITH_FILE in medias else None
                return call.model_copy(update={"file_at": file_at, "answer_at": answer_at})
    return None


_FORM_WITH_FILE = "multipart/form-data"
_FILES = re.compile(r"(?i)(upload|file|image|attachment|media|photo|picture|avatar|logo|blob|content|document)s?$")


def _takes_file(path: str, medias: tuple[str, ...], body: Json, operations: Operations) -> bool:
    """Whether an operation takes a file: as the field of a form, or by itself. Many documents say of every operation
    that a form with files will do, and mean nothing by it."""
    by_itself = all(not is_writable(media) and not media.startswith("multipart") for media in medias)
    if by_itself and any(media.startswith(("application/octet-stream", "image/", "*/*")) for media in medias):
        return True
    called_so = bool(_FILES.search(path.rstrip("/")))
    return _FORM_WITH_FILE in medias and (_file_at(body, operations) is not None or called_so)


def _file_at(body: Json, operations: Operations) -> str | None:
    """The field of a form that takes the file."""
    parts = {
        str(name): operations.merged(part) for name, part in plain(operations.merged(body).get("properties")).items()
    }
    binary = (name for name, part in parts.items() if part.get("format") == "binary" or "contentMediaType" in part)
    return next(binary, None)


def _sent_as(medias: tuple[str, ...]) -> str | None:
    """The media type that is sent: JSON where it is taken."""
    taken = sorted((media for media in medias if is_writable(media)), key=lambda media: "json" not in media)
    return next(iter([*taken, *medias]), None)


def _answers(operation: Json, operations: Operations) -> Any:
    """What a request that writes is answered with."""
    statuses = operations.statuses(operation)
    if "202" in statuses and not statuses & {"200", "201"}:
        return "later"
    shown = operations.answer(operation)
    properties = operations.merged(shown).get("properties") or {}
    if len(properties) > 1 or (properties and not _ID_LIKE.search(next(iter(properties)))):
        return "record"
    if properties:
        return "id"
    return "location" if "location" in {name.lower() for name in operations.headers(operation)} else "nothing"


def _constants(parameters: dict[str, Json]) -> dict[str, str]:
    """Parameters that must be sent and take but one value."""
    found = {}
    for name, one in parameters.items():
        schema = plain(one.get("schema"))
        values = [schema["const"]] if "const" in schema else schema.get("enum")
        if one.get("required") and isinstance(values, list) and len(values) == 1:
            found[name] = str(values[0])
    return found


def _headers(path: str, operation: Json, operations: Operations) -> dict[str, str]:
    """Headers that must be sent and take but one value, such as a version."""
    found = _constants(operations.parameters(path, operation, within="header"))
    return {name: value for name, value in found.items() if name.lower() not in _NOT_CONSTANT}


def _page_field(fields: tuple[Field, ...]) -> str | None:
    """A web address that the site gives and does not take, by one of the names that sites use for it."""
    return next((f.path for f in fields if f.read_only and f.format == "uri" and f.path in _PAGE_FIELDS), None)


def _etag_at(fields: tuple[Field, ...]) -> str | None:
    """A text that the site gives and does not take, by one of the names of an entity tag: ``meta.version`` is that of
    SCIM (RFC 7643, 3.1)."""
    return next((f.path for f in fields if f.read_only and f.type is FieldType.TEXT and f.path in _ETAGS), None)


def _mail_switch(create: dict[str, Json], update: dict[str, Json]) -> MailSwitch | None:
    for name, parameter in (create | update).items():
        described = str(parameter.get("description", ""))
        schema = plain(parameter.get("schema"))
        if schema.get("type") == "boolean" and (_MAIL_NAME.match(name) or re.search(r"(?i)\be?-?mail\b", described)):
            return MailSwitch(name=name, on_create=name in create, on_update=name in update)
    return None


def _id_field(item_path: str, path: str, record: Json, operations: Operations) -> str:
    """The property of a record that its path is made with: the parameter's own name, in any spelling, or what is left
    of it without the kind of record; else what is usually called so."""
    parameter = re.findall(r"\{([^{}]+)\}", item_path)[-1]
    properties = [str(name) for name in (operations.merged(record).get("properties") or {})]
    by_spelling = {_bare(name): name for name in reversed(properties)}
    kind = kind_of(path)
    bare = _bare(parameter)
    usual = [name for name in _ID_NAMES if name in properties]
    if bare in by_spelling and bare != "id":
        return by_spelling[bare]
    if bare in _STANDS_FOR_ID:
        # “{number}” of an order that has an “order_id” and a “number” of another kind.
        for name in (f"{kind}{bare}", f"{kind}id", "id", f"{kind}no", f"{kind}number"):
            if name in by_spelling:
                return by_spelling[name]
    if bare.endswith("id") or bare == "id":
        own = [f"{kind}id", "id"]
        for name in own:
            if name in by_spelling:
                return by_spelling[name]
        ids = [name for name in usual if name != "name"]
        return ids[0] if ids else parameter
    for name in properties:
        # “pool_name” is the name of a pool.
        if len(_bare(name)) > 2 and bare.endswith(_bare(name)):
            return name
    return usual[0] if usual else parameter


def _bare(name: str) -> str:
    return re.sub(r"[^a-z0-9]", "", name.lower())
