"""A person's corrections of what was understood, kept as an OpenAPI Overlay 1.0 over the site's own document.

What OpenAPI has no words for (where the records of an answer are, which field is the id, what a field links to) stands
in an extension of the list's path, ``x-datorum``; anything else an overlay may say of the document holds as well.
"""

from __future__ import annotations

import copy
import re
from typing import Any, cast

import jsonpath
from pydantic import BaseModel, Field, ValidationError, model_validator

from datorum.core.errors import InvalidOverlay
from datorum.core.model import RelationKind
from datorum.sites.rest.schema import Json

EXTENSION = "x-datorum"


class LinkCorrected(BaseModel, frozen=True, extra="forbid"):
    """That a field says which record of type ``to`` is meant, by its field ``by``; with no type, that it does not."""

    to: str | None
    by: str | None = None


class RelationCorrected(BaseModel, frozen=True, extra="forbid"):
    """What holds between fields: their paths by the parts that they play."""

    kind: RelationKind
    parts: dict[str, str]

    @model_validator(mode="after")
    def _is_whole(self) -> RelationCorrected:
        missing = [part for part in self.kind.parts if not self.parts.get(part)]
        unknown = self.parts.keys() - {*self.kind.parts, *self.kind.others}
        if missing or unknown:
            raise ValueError(f"“{self.kind}” is between {' and '.join((*self.kind.parts, *self.kind.others))}")
        return self


class AddedField(BaseModel, frozen=True, extra="forbid"):
    """A field of one's own in an open part of a record, by its whole path."""

    path: str = Field(min_length=1, max_length=200)
    title: str = Field("", max_length=120)


class Correction(BaseModel, frozen=True, extra="forbid"):
    """What a person knows better of one record type; what is None is left as it was understood. An empty text says
    that there is no such thing. ``unique``, ``relations`` and ``added`` are each all that there is of them."""

    title: str | None = Field(None, max_length=120)
    items_at: str | None = Field(None, max_length=200)
    entry: str | None = Field(None, max_length=200)
    total_at: str | None = Field(None, max_length=200)
    id_field: str | None = Field(None, max_length=200)
    answer_at: str | None = Field(None, max_length=200)
    body_at: str | None = Field(None, max_length=200)
    page: str | None = Field(None, max_length=200)
    offset: str | None = Field(None, max_length=200)
    cursor: str | None = Field(None, max_length=200)
    size: str | None = Field(None, max_length=200)
    size_most: int | None = Field(None, ge=1, le=100_000)
    next_at: str | None = Field(None, max_length=200)
    next_token_at: str | None = Field(None, max_length=200)
    first: int | None = Field(None, ge=0, le=1)
    page_field: str | None = Field(None, max_length=200)
    silences_mail: str | None = Field(None, max_length=200)
    unique: tuple[str, ...] | None = None
    relations: tuple[RelationCorrected, ...] | None = Field(None, max_length=100)
    added: tuple[AddedField, ...] | None = Field(None, max_length=500)
    links: dict[str, LinkCorrected] = {}

    def over(self, earlier: Correction) -> Correction:
        """This one laid over an earlier one."""
        said = {name: value for name, value in self if value is not None and name != "links"}
        return earlier.model_copy(update={**said, "links": {**earlier.links, **self.links}})


def correction_of(path_item: Json) -> Correction:
    """What an overlay has said of the list at a path. Raises ValueError where it is said wrongly."""
    said = path_item.get(EXTENSION)
    return Correction() if said is None else Correction.model_validate(said)


def overlay_with(overlay: Json | None, site: str, path: str, correction: Correction) -> Json:
    """An overlay that says this of the list at a path, too, over what it said before."""
    actions = list((overlay or {}).get("actions") or [])
    target = f"$.paths[{_quoted(path)}]"
    mine = next(
        (one for one in actions if one.get("target") == target and EXTENSION in (one.get("update") or {})), None
    )
    before = Correction.model_validate(mine["update"][EXTENSION]) if mine else Correction()
    said = correction.over(before).model_dump(mode="json", exclude_defaults=True)
    action = {"target": target, "update": {EXTENSION: said}}
    rest = [one for one in actions if one is not mine]
    return {
        "overlay": "1.0.0",
        "info": {"title": f"Corrections to {site}", "version": "1"},
        **{key: value for key, value in (overlay or {}).items() if key == "extends"},
        "actions": [*rest, action] if said else rest,
    }


def path_of(target: str) -> str | None:
    """The path of the list that the target of an action is, if it is one as ``overlay_with`` writes them."""
    found = re.fullmatch(r"\$\.paths\['((?:[^'\\]|\\.)*)'\]", target)
    return re.sub(r"\\(.)", r"\1", found[1]) if found else None


def _quoted(text: str) -> str:
    return "'" + text.replace("\\", "\\\\").replace("'", "\\'") + "'"


_MOST_ACTIONS = 2_000
_PATTERNS = re.compile(r"=~|\b(match|search)\s*\(")
"""No overlay that somebody was given makes the server work on a pattern without end."""


def corrected(document: Any, overlay: Json | None) -> Any:
    """A document with the actions of an overlay applied to it in order. Raises InvalidOverlay where it is none, or
    one of its targets cannot be read; a target that finds nothing does nothing, as the standard has it."""
    if overlay is None:
        return document
    if not isinstance(overlay, dict) or not str(overlay.get("overlay", "")).startswith("1."):
        raise InvalidOverlay(
            "This is no OpenAPI Overlay 1.", remedy="Give a JSON object with overlay, info and actions."
        )
    actions = overlay.get("actions")
    if not isinstance(actions, list) or len(actions) > _MOST_ACTIONS:
        raise InvalidOverlay("The overlay has no list of actions.", remedy=f"Give up to {_MOST_ACTIONS:,} actions.")
    found = copy.deepcopy(document)
    for number, action in enumerate(actions, 1):
        if not isinstance(action, dict) or not isinstance(action.get("target"), str):
            raise InvalidOverlay(f"Action {number} of the overlay has no target.", remedy="Give it a JSONPath.")
        _act(found, action, number)
    return found


def _act(document: Any, action: Json, number: int) -> None:
    if _PATTERNS.search(action["target"]):
        raise InvalidOverlay(
            f"The target of action {number} looks for a pattern.", remedy="Name the paths that are meant instead."
        )
    try:
        matches = list(jsonpath.finditer(action["target"], document))
    except jsonpath.JSONPathError as error:
        raise InvalidOverlay(
            f"The target of action {number} cannot be read: {error}", remedy="Write it as a JSONPath (RFC 9535)."
        ) from None
    if action.get("remove") is True:
        # From the end, so that the places of those before stay what they are.
        for match in reversed(matches):
            parent, last = match.parent, match.parts[-1] if match.parts else None
            if parent is not None and last is not None:
                cast("Any", parent.obj).pop(last)
        return
    for match in matches:
        _merge(match.obj, action.get("update"), number)


def _merge(target: Any, update: Any, number: int) -> None:
    """Lay an update over what a target found: objects key by key, lists by appending (Overlay 1.0, 4.4.3)."""
    if isinstance(target, dict) and isinstance(update, dict):
        for key, value in update.items():
            if isinstance(target.get(key), dict) and isinstance(value, dict):
                _merge(target[key], value, number)
            elif isinstance(target.get(key), list) and isinstance(value, list):
                target[key] = [*target[key], *value]
            else:
                target[key] = copy.deepcopy(value)
    elif isinstance(target, list):
        target.append(copy.deepcopy(update))
    else:
        raise InvalidOverlay(
            f"Action {number} of the overlay would lay an update over a single value.",
            remedy="Give the object that has it as the target.",
        )


def checked(overlay: Any) -> None:
    """See that the corrections in an overlay can be read. Raises InvalidOverlay."""
    for number, action in enumerate(overlay.get("actions") or [], 1):
        said = (action.get("update") or {}).get(EXTENSION) if isinstance(action.get("update"), dict) else None
        if said is None:
            continue
        try:
            Correction.model_validate(said)
        except ValidationError as error:
            where = ".".join(str(part) for part in error.errors()[0]["loc"])
            raise InvalidOverlay(
                f"Action {number} of the overlay corrects “{where}” in a way that cannot be read: "
                f"{error.errors()[0]['msg']}.",
                remedy="Look at an overlay that was downloaded here.",
            ) from None
