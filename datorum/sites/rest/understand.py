"""A document's record types: each list that records can be added to, with what is said of one record.

A part that is out of order costs that part: it is told where it stands and why nothing could be made of it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from datorum.core.errors import DatorumError, SiteUnavailable
from datorum.core.model import Field
from datorum.sites.rest.envelopes import entry_of, items_of, kind_of, wrapped
from datorum.sites.rest.links import links_of
from datorum.sites.rest.model import Call, Credential, Listing, NotUnderstood, OneRecord, SiteModel, SiteType, Writing
from datorum.sites.rest.paging import paging_of, total_at
from datorum.sites.rest.parts import Operations, plain
from datorum.sites.rest.schema import Json, fields_of, record_rules

_UPDATES = ("patch", "put", "post")
_BULK = re.compile(r"(?i)^(bulk|batch|import|_bulk|many)")
_ID_NAMES = ("id", "_id", "uuid", "uid", "guid", "identifier", "key", "slug", "name")
_UNIQUE_NAMES = ("email", "sku", "slug", "username")
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
            found.append(_site_type(path, operations))
        except _OUT_OF_ORDER as error:
            missed.append(NotUnderstood(where=path, why=_why(error)))
    apart = tuple(_told_apart(found))
    linked = (one.model_copy(update={"links": tuple(links_of(one, apart))}) for one in apart)
    return SiteModel(record_types=tuple(linked), not_understood=tuple(missed))


def _why(error: Exception) -> str:
    if isinstance(error, DatorumError):
        return str(error)
    return "a part of the document that describes it is not of the form that OpenAPI gives it"


def _is_list(path: str, operations: Operations) -> bool:
    """Whether records can be listed and added there."""
    return not _stem(path).endswith("}") and {"get", "post"} <= operations.of(path).keys()


def _stem(path: str) -> str:
    """A path without the mark at its end and the suffix of a format."""
    return re.sub(r"\.(json|xml)$", "", path.rstrip("/"))


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
    medias, body = operations.body(created)
    body_at, body = wrapped(body, kind_of(path), operations)
    name = next((part for part in reversed(_stem(path).split("/")) if part and "{" not in part), "records")
    fields = written_fields(body, record, created, operations)
    return SiteType(
        name=name,
        title=titled(name),
        listing=Listing(
            path=path,
            items_at=items_at,
            entry=wrapper,
            total_at=total_at(answer, operations),
            paging=paging_of(parameters, answer, listed, operations),
            filters=tuple(name for name in parameters if name in {field.path for field in fields}),
            constants=_constants(parameters),
        ),
        item=OneRecord(path=item_path, answer_at=answer_at) if item_path else None,
        create=Writing(
            method="post", path=path, media=_sent_as(medias), medias=medias, body_at=body_at,
            answers=_answers(created, operations),
        ),
        update=_update(path, item_path, operations),
        delete=_delete(item_path, item),
        bulk=tuple(_beside(path, item_path, operations)),
        actions=tuple(_actions(item_path, operations)),
        id_field=_id_field(item_path, path, record, operations) if item_path else None,
        parents=tuple(re.findall(r"\{([^{}]+)\}", path)),
        fields=fields,
        record_rules=record_rules(body, operations.resolver) if body else None,
        shown=entry is not None,
        unique=tuple(field.path for field in fields if field.unique),
        auth=_auth(listed, operations),
    )  # fmt: skip


def written_fields(body: Json, record: Json, created: Json, operations: Operations) -> tuple[Field, ...]:
    """What a request that creates takes and, read only, what else a record has."""
    writable = fields_of(body, operations.resolver) if body else []
    known = {field.path for field in writable}
    given = [field for field in fields_of(record, operations.resolver) if field.path not in known] if record else []
    conflict = "409" in plain(created.get("responses"))
    return tuple(
        _with_uniqueness(field, conflict)
        for field in (*writable, *(field.model_copy(update={"read_only": True}) for field in given))
    )


def _with_uniqueness(field: Field, conflict: bool) -> Field:
    """A field is unique where its description says so, or where the site answers 409 and the name is a usual key."""
    said = re.search(r"(?i)\bunique\b", field.description)
    usual = conflict and (field.format == "email" or field.path in _UNIQUE_NAMES)
    return field.model_copy(update={"unique": True}) if said or usual else field


def titled(name: str) -> str:
    """The name of a record type as a person reads it."""
    words = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", " ", name)
    return re.sub(r"[_\-]+", " ", words).strip().capitalize()


def _item_path(path: str, operations: Operations) -> str | None:
    """Where one record is: the list's path and a parameter, with the same end as the list's or a suffix."""
    wanted = re.compile(re.escape(_stem(path)) + r"/\{[^/{}]+\}(\.\w+)?/?")
    return next((other for other in operations.paths if wanted.fullmatch(other)), None)


def _update(path: str, item_path: str | None, operations: Operations) -> Writing | None:
    """The operation that changes a record: on its own path or, where there is none, by a PUT on the list."""
    places = [(item_path, _UPDATES)] if item_path else []
    for where, methods in [*places, (path, ("patch", "put"))]:
        methods_there = operations.of(where)
        method = next((one for one in methods if one in methods_there), None)
        if method is None:
            continue
        medias, body = operations.body(methods_there[method])
        body_at, _ = wrapped(body, kind_of(path), operations)
        return Writing(
            method=method, path=where, media=_sent_as(medias), medias=medias, body_at=body_at,
            answers=_answers(methods_there[method], operations),
        )  # fmt: skip
    return None


def _delete(item_path: str | None, item: Json) -> Call | None:
    return Call(name="delete", method="delete", path=item_path) if item_path and "delete" in item else None


def _beside(path: str, item_path: str | None, operations: Operations) -> Iterator[Call]:
    """Operations on many records at once: beside the list, under a name of their own."""
    for other in operations.paths:
        rest = other.removeprefix(path.rstrip("/") + "/").strip("/")
        if other in (path, item_path) or "/" in rest or rest == other.strip("/") or not _BULK.match(rest):
            continue
        for method in ("post", "put", "patch"):
            if method in operations.of(other):
                yield Call(name=rest, method=method, path=other)


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
            yield Call(name=rest, method="post", path=other)


def _sent_as(medias: tuple[str, ...]) -> str | None:
    """The media type that is sent: JSON where it is taken."""
    json = [media for media in medias if media.split(";")[0].strip().endswith("json")]
    form = [media for media in medias if media.startswith("application/x-www-form-urlencoded")]
    return next(iter([*json, *form, *medias]), None)


def _answers(operation: Json, operations: Operations) -> Any:
    """What a request that writes is answered with."""
    statuses = operations.statuses(operation)
    if "202" in statuses and not statuses & {"200", "201"}:
        return "later"
    shown = operations.answer(operation)
    properties = operations.merged(shown).get("properties") or {}
    if len(properties) > 1 or (properties and next(iter(properties)).lower() not in _ID_NAMES):
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


def _auth(operation: Json, operations: Operations) -> tuple[tuple[Credential, ...], ...] | None:
    """What a request has to carry, in the alternatives that the document gives."""
    asked = operation.get("security", operations.document.get("security"))
    if not isinstance(asked, list):
        return None
    schemes = operations.part("components", "securitySchemes")
    return tuple(
        tuple(_credential(operations.follow(schemes.get(name))) for name in alternative)
        for alternative in asked
        if isinstance(alternative, dict)
    )


def _credential(scheme: Json) -> Credential:
    kind = str(scheme.get("type"))
    if kind == "http":
        return Credential(kind=str(scheme.get("scheme", "")).lower())
    if kind == "apiKey":
        return Credential(kind=kind, within=scheme.get("in"), name=scheme.get("name"))
    return Credential(kind=kind)
