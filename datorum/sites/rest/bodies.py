"""What a request that writes a record has in it, and what is made of the answer."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any
from urllib.parse import unquote, urlencode, urlsplit

import aiohttp

from datorum.core.errors import SiteRefused, SiteUnavailable
from datorum.core.json_text import dumps
from datorum.core.model import Field, FieldType, RecordType
from datorum.core.values import at, put
from datorum.sites.protocol import Upload
from datorum.sites.rest.addresses import shown
from datorum.sites.rest.http import Got
from datorum.sites.rest.model import FORM, FORM_WITH_FILES, OpenField, SiteType

_LONGEST_SAID = 500
_TAGS = re.compile(r"<[^>]*>|\s+")


def encoded(body: Any, media: str) -> bytes | aiohttp.FormData:
    """A body in the media type that the site takes; files go in none but a form with files (RFC 7578)."""
    bare = media.split(";")[0].strip().lower()
    if bare == FORM:
        return urlencode([(name, _as_text(value)) for name, value in _form(body, "")]).encode()
    if bare == FORM_WITH_FILES:
        return with_files(body)
    return dumps(body).encode()


def with_files(body: Any) -> aiohttp.FormData:
    """A body as a form with files."""
    form = aiohttp.FormData(default_to_multipart=True)
    for name, value in _form(body, ""):
        if isinstance(value, Upload):
            form.add_field(name, value.data, filename=value.filename, content_type=value.media)
        else:
            form.add_field(name, _as_text(value))
    return form


def _form(value: Any, name: str) -> Iterator[tuple[str, Any]]:
    """The fields of a form: ``address[city]`` for what stands within, ``tags[]`` for each of a list; what is to be
    blank is sent blank."""
    if isinstance(value, dict):
        for key, part in value.items():
            yield from _form(part, f"{name}[{key}]" if name else str(key))
    elif isinstance(value, list):
        for number, part in enumerate(value):
            yield from _form(part, f"{name}[{number}]" if isinstance(part, dict) else f"{name}[]")
    else:
        yield name, value


def _as_text(value: Any) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    return "" if value is None else str(value)


def emptied(values: dict[str, Any], record_type: RecordType) -> dict[str, Any]:
    """The values of a change with what is to be blank as the site takes it: no list, and no text that may be empty, is
    null where the site does not say that it may be."""
    blank = [path for path, value in values.items() if value is None]
    if not blank:
        return values
    fields = {field.path: field for field in record_type.fields}
    found = dict(values)
    for path in blank:
        field = fields.get(path)
        if path in record_type.lists or (field is not None and _is_emptied_list(field)):
            found[path] = []
        elif field is not None and _may_be_empty_text(field):
            found[path] = ""
    return found


def _is_emptied_list(field: Field) -> bool:
    return field.type is FieldType.LIST and not field.nullable and not field.min_items


def _may_be_empty_text(field: Field) -> bool:
    bound = field.nullable or field.min_length or field.pattern or field.format or field.enum
    return field.type is FieldType.TEXT and not bound


def id_in(answer: Any, got: Got, one: SiteType) -> Any:
    """The id of a record that was made, from what the site answered: the record, only its id, or where it is; None
    where it says none of them."""
    if isinstance(answer, dict):
        known = at(answer, one.id_field) if one.id_field else None
        if is_id(known):
            return known
        if len(answer) == 1:
            [(name, value)] = answer.items()
            # A word of thanks is no id.
            if _ID_NAME.search(str(name)) and is_id(value):
                return value
    if isinstance(answer, int) and is_id(answer):
        return answer
    location = got.headers.get("Location", "")
    if location and one.item is not None:
        parts = re.split(r"\{[^{}]+\}", one.item.path)
        pattern = "([^/]+)".join(re.escape(part) for part in parts)
        found = re.search(f"{pattern}$", urlsplit(location).path.rstrip("/")) if len(parts) > 1 else None
        return unquote(found[len(parts) - 1]) if found else None
    return None


_ID_NAME = re.compile(r"(?i)(^|_|[a-z])(id|uuid|uid|guid|key|no|nr|number|code|sku)$|^(identifier|slug)$")


def is_id(value: Any) -> bool:
    """Whether a value can be the id of a record: a text or a whole number, and none that leads an address elsewhere."""
    if isinstance(value, bool) or not isinstance(value, str | int):
        return False
    return str(value).strip() not in ("", ".", "..") and "\0" not in str(value)


def in_maps(body: dict[str, Any], open_fields: tuple[OpenField, ...]) -> dict[str, Any]:
    """A record whose lists of name and value are objects."""
    for one in open_fields:
        found = at(body, one.path) if one.kind == "pairs" else None
        if isinstance(found, list):
            pairs = [part for part in found if isinstance(part, dict) and isinstance(part.get(one.name_at), str)]
            body = put(body, one.path, {part[one.name_at]: part.get(one.value_at) for part in pairs})
    return body


def in_pairs(
    body: dict[str, Any], open_fields: tuple[OpenField, ...], given: dict[str, Any] | None = None
) -> dict[str, Any]:
    """A record as the site takes it, where it takes lists of name and value; the inverse of ``in_maps``. What else the
    pairs of that name have in the record as it was ``given`` stays with them."""
    for one in open_fields:
        found = at(body, one.path) if one.kind == "pairs" else None
        if isinstance(found, dict):
            there = at(given, one.path) if given else None
            known = {part.get(one.name_at): part for part in (there or ()) if isinstance(part, dict)}
            pairs = [
                {**known.get(name, {}), one.name_at: name, one.value_at: value}
                for name, value in found.items()
                # A name that is to be blank goes.
                if value is not None or name not in known or known[name].get(one.value_at) is None
            ]
            body = put(body, one.path, pairs)
    return body


def outcomes_in(body: Any, answer_at: str | None, many: int) -> list[dict[str, Any] | str] | None:
    """What became of each of many records, from one answer: the record, or what is wrong with it; None where the answer
    does not tell of each."""
    told = body if answer_at is None else at(body, answer_at) if isinstance(body, dict) else None
    if not isinstance(told, list) or len(told) != many:
        return None
    return [_one_outcome(one) for one in told]


def _one_outcome(told: Any) -> dict[str, Any] | str:
    if not isinstance(told, dict):
        return {"id": told}
    status = told.get("status")
    wrong = told.get("error") or told.get("errors")
    if wrong or (isinstance(status, int) and status >= 400):
        return "; ".join(dict.fromkeys(_sentences(told))) or f"{status}"
    inner = next(
        (told[name] for name in ("record", "data", "result", "item", "body") if isinstance(told.get(name), dict)), None
    )
    return inner or told


def expect_ok(got: Got, url: str) -> None:
    """Raises SiteRefused or SiteUnavailable where a question was not answered."""
    status = got.status
    if status in (401, 403):
        raise SiteRefused(
            f"The site at {shown(url)} does not accept the sign-in ({status}).",
            remedy="Connect the site again with one that may read and write.",
        )
    if not 200 <= status < 300:
        raise SiteUnavailable(
            f"The site answers {status} at {shown(url)}.", remedy="Look whether the address is right."
        )


def said(got: Got) -> str:
    """What the site said of a refusal: problem details (RFC 9457), or one of the other forms in use."""
    status, body = got.status, got.body
    says = "; ".join(dict.fromkeys(_sentences(body))) if isinstance(body, dict | list) else _TAGS.sub(" ", str(body))
    says = says.replace("\0", "\ufffd")
    return f"{status}: {says[:_LONGEST_SAID]}" if says else str(status)


def _sentences(body: Any) -> Iterator[str]:
    """What is wrong with single fields, where that is said; else what is wrong with the whole."""
    if isinstance(body, list):
        yield from (sentence for part in body for sentence in _one(part, ""))
        return
    for name in _ERRORS:
        found = list(_one(body.get(name), ""))
        if found:
            yield from found
            return
    yield from _one(body, "")


_ERRORS = ("errors", "error", "violations", "invalid_params", "invalid-params", "fault", "detail")
_WHERE = ("pointer", "field", "path", "name", "param", "property", "propertyPath", "loc", "source", "attribute")
_SAYS = ("detail", "message", "msg", "reason", "description", "error_description", "title", "error", "code")


def _one(part: Any, field: str) -> Iterator[str]:
    if isinstance(part, str):
        yield f"{field}: {part}" if field else part
    elif isinstance(part, list):
        for inner in part:
            yield from _one(inner, field)
    elif isinstance(part, dict):
        says = next((part[name] for name in _SAYS if isinstance(part.get(name), str) and part[name]), None)
        if says is not None:
            yield from _one(says, _field(next((part[name] for name in _WHERE if part.get(name)), field)))
        elif isinstance(part.get("message") or part.get("detail"), dict | list):
            yield from _one(part.get("message") or part.get("detail"), field)
        else:
            # Each field with what is wrong with it.
            for name, inner in part.items():
                if isinstance(inner, str | list | dict):
                    yield from _one(inner, str(name))


def _field(where: Any) -> str:
    """A field as its path: of a JSON pointer, or of its parts in a list."""
    if isinstance(where, dict):
        where = where.get("pointer") or where.get("parameter") or ""
    if isinstance(where, list):
        where = ".".join(str(part) for part in where if part != "body")
    return str(where).removeprefix("#").strip("/").replace("/", ".")
