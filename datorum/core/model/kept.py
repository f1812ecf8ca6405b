"""A mapping as it was kept, which opens whatever was kept."""

from __future__ import annotations

import copy
import json
from collections.abc import Collection, Iterable
from typing import Any

from pydantic import ValidationError

from datorum.core.errors import fault_of, step_at
from datorum.core.model.mapping import Mapping
from datorum.core.model.record import RecordType
from datorum.core.steps import Unusable


def kept_mapping(body: dict[str, Any]) -> Mapping:
    """The mapping that was kept as ``body``; each step that would not be kept now becomes one that holds its rows and
    says why. Raises ValidationError where more than steps is at fault."""
    try:
        return Mapping.model_validate(body)
    except ValidationError as error:
        mended = copy.deepcopy(body)
        faults = error.errors()
        for fault in faults:
            loc = fault["loc"]
            if not step_at(loc):
                raise
            # Of a field, or of one that is fed where a link makes records.
            at = loc.index("steps")
            steps: Any = mended
            for part in loc[: at + 1]:
                steps = steps[part]
            was = steps[loc[at + 1]]
            why = Unusable(was=json.dumps(was)[:50_000], why=fault_of(fault)[1][:1_000])
            if was.get("kind") != why.kind:
                steps[loc[at + 1]] = why.model_dump()
        return Mapping.model_validate(mended)


def of_fields(body: dict[str, Any], kind: RecordType) -> dict[str, Any]:
    """A kept mapping without the fields that a record type has not."""
    there = {field.path for field in kind.writable}
    fields = {path: fed for path, fed in body["fields"].items() if path in there}
    key = keys_of(body["match_key"], body.get("key_with", ()), there)
    further = {"key_with": list(key["key_with"])} if "key_with" in body else {}
    return {**body, "fields": fields, "match_key": key["match_key"], **further}


def keys_of(match_key: str | None, key_with: Iterable[str], there: Collection[str]) -> dict[str, Any]:
    """A match key as far as its fields are there; none where its first is not."""
    if match_key is None or match_key not in there:
        return {"match_key": None, "key_with": ()}
    return {"match_key": match_key, "key_with": tuple(path for path in key_with if path in there)}
