"""The operations of a record type: how records are created, changed and deleted, one or many, and what else can be
done."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence
from typing import Any

from datorum.sites.rest.envelopes import kind_of, wrapped
from datorum.sites.rest.model import FORM_WITH_FILES, Call, OneRecord, Writing, is_writable
from datorum.sites.rest.parts import Operations, plain
from datorum.sites.rest.schema import Json, fields_of, properties_of
from datorum.sites.rest.security import needs_of

_UPDATES = ("patch", "put", "post")
_BULK = re.compile(r"(?i)^(bulk|batch|import|_bulk|many)")
_ID_LIKE = re.compile(r"(?i)(^|_|[a-z])(id|uuid|uid|guid|key|no|nr|number)$|^(identifier|slug|name)$")
_NOT_CONSTANT = ("accept", "authorization", "content-type", "host", "cookie")


def update_of(path: str, item_path: str | None, record: Sequence[Json], operations: Operations) -> Writing | None:
    """The operation that changes a record: on its own path or, where there is none, by a PUT on the list. ``record``:
    the schemas of what a record is read as."""
    places = [(item_path, _UPDATES)] if item_path else []
    for where, methods in [*places, (path, ("patch", "put"))]:
        methods_there = operations.of(where)
        method = next((one for one in methods if one in methods_there), None)
        if method is None:
            continue
        return writing_of(method, where, path, record, operations)[0]
    return None


def writing_of(
    method: str, where: str, path: str, record: Sequence[Json], operations: Operations
) -> tuple[Writing, Json]:
    """An operation that writes records of the list at ``path``, and the schema of what it takes of one. ``record``:
    the schemas of what one is read as."""
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
        **_sent_back(body, record, operations),
        **_asked_with(where, operation, operations),
    )
    return written, body


def _sent_back(body: Json, record: Sequence[Json], operations: Operations) -> dict[str, Any]:
    """What of a record as it is read a request takes, and what it demands that reading does not give."""
    read = {one.path: one for schema in record for one in properties_of(schema, operations.resolver) if one.path}
    taken = {one.path: one for one in properties_of(body, operations.resolver)} if body else {}
    if len(taken) <= 1:
        # It is not said what it takes: anything but what only the site writes.
        return {"not_taken": tuple(path for path, one in read.items() if one.read_only)}
    refused = [path for path, one in read.items() if path not in taken and _is_described(path, taken)]
    refused += [path for path, one in taken.items() if path and one.read_only]
    required = [path for path, one in taken.items() if path and one.required and not one.read_only]
    shown = {path for path, one in read.items() if not one.write_only}
    lacks = [path for path in required if read and (path not in shown or taken[path].write_only)]
    return {
        "not_taken": tuple(refused),
        "closed": {around: tuple(_named_in(around, taken)) for around, one in taken.items() if one.closed},
        "required": tuple(required), "lacks": tuple(lacks),
    }  # fmt: skip


def _named_in(around: str, paths: Collection[str]) -> Iterator[str]:
    """The names of the properties of one object."""
    for path in paths:
        above, _, name = path.rpartition(".")
        if name and above == around:
            yield name


def _is_described(path: str, taken: Collection[str]) -> bool:
    """Whether what is around a property is described by its properties: an object of which none is named takes any."""
    around = path.rpartition(".")[0]
    return not around or any(other.startswith(f"{around}.") for other in taken)


def _asked_with(where: str, operation: Json, operations: Operations) -> dict[str, Any]:
    """What a request of an operation has to carry beside its body."""
    named = {name.lower() for name in operations.parameters(where, operation, "header")}
    return {
        "constants": constants(operations.parameters(where, operation)),
        "headers": constant_headers(where, operation, operations),
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


def one_record_of(item_path: str, item: Json, answer_at: str | None, operations: Operations) -> OneRecord:
    shown = item.get("get")
    return OneRecord(
        path=item_path,
        answer_at=answer_at,
        readable=shown is not None,
        constants=constants(operations.parameters(item_path, shown)) if shown else {},
        headers=constant_headers(item_path, shown, operations) if shown else {},
    )


def delete_of(item_path: str | None, item: Json, operations: Operations) -> Call | None:
    return _call("delete", "delete", item_path, operations) if item_path and "delete" in item else None


def bulk_of(path: str, item_path: str | None, operations: Operations) -> Iterator[Call]:
    """Operations on many records at once: beside the list, under a name of their own."""
    for other in operations.paths:
        rest = other.removeprefix(path.rstrip("/") + "/").strip("/")
        if other in (path, item_path) or "/" in rest or rest == other.strip("/") or not _BULK.match(rest):
            continue
        for method in ("post", "put", "patch"):
            if method in operations.of(other):
                yield _makes_many(rest, method, other, operations)


def actions_of(item_path: str | None, operations: Operations) -> Iterator[Call]:
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


def upload_of(path: str, item_path: str | None, operations: Operations) -> Call | None:
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
                file_at = _file_at(body, operations) or "file" if FORM_WITH_FILES in medias else None
                return call.model_copy(update={"file_at": file_at, "answer_at": answer_at})
    return None


_FILES = re.compile(r"(?i)(upload|file|image|attachment|media|photo|picture|avatar|logo|blob|content|document)s?$")


def _takes_file(path: str, medias: tuple[str, ...], body: Json, operations: Operations) -> bool:
    """Whether an operation takes a file: as the field of a form, or by itself. Many documents say of every operation
    that a form with files will do, and mean nothing by it."""
    by_itself = all(not is_writable(media) for media in medias)
    if by_itself and any(media.startswith(("application/octet-stream", "image/", "*/*")) for media in medias):
        return True
    called_so = bool(_FILES.search(path.rstrip("/")))
    return FORM_WITH_FILES in medias and (_file_at(body, operations) is not None or called_so)


def _file_at(body: Json, operations: Operations) -> str | None:
    """The field of a form that takes the file."""
    parts = {
        str(name): operations.merged(part) for name, part in plain(operations.merged(body).get("properties")).items()
    }
    binary = (name for name, part in parts.items() if part.get("format") == "binary" or "contentMediaType" in part)
    return next(binary, None)


def _sent_as(medias: tuple[str, ...]) -> str | None:
    """The media type that is sent: JSON where it is taken, a form with files where nothing else is."""
    taken = sorted(
        (media for media in medias if is_writable(media)),
        key=lambda media: ("json" not in media, media == FORM_WITH_FILES),
    )
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


def constants(parameters: dict[str, Json]) -> dict[str, str]:
    """Parameters that must be sent and take but one value."""
    found = {}
    for name, one in parameters.items():
        schema = plain(one.get("schema"))
        values = [schema["const"]] if "const" in schema else schema.get("enum")
        if one.get("required") and isinstance(values, list) and len(values) == 1:
            found[name] = str(values[0])
    return found


def constant_headers(path: str, operation: Json, operations: Operations) -> dict[str, str]:
    """Headers that must be sent and take but one value, such as a version."""
    found = constants(operations.parameters(path, operation, within="header"))
    return {name: value for name, value in found.items() if name.lower() not in _NOT_CONSTANT}
