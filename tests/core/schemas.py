"""Record types from the schemas that sites describe themselves with."""

from __future__ import annotations

from typing import Any

from datorum.core.model import RecordType
from datorum.sites import record_type_of


def kind_of(schema: dict[str, Any], name: str = "things", /) -> RecordType:
    """The record type that a create operation with this body takes."""
    body = {"requestBody": {"content": {"application/json": {"schema": schema}}}}
    return record_type_of({"openapi": "3.1.0", "paths": {f"/{name}": {"post": body}}}, name)


def kind_with(name: str = "things", /, **fields: dict[str, Any]) -> RecordType:
    """A record type of these fields, none of them required."""
    return kind_of({"type": "object", "properties": fields}, name)
