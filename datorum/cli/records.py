"""``datorum records``: the records that a sheet makes, as landed, without any site."""

from __future__ import annotations

import datetime as dt
import sys
from pathlib import Path
from typing import Annotated, Any

import orjson
import typer

from datorum.cli.suggest import json_file
from datorum.core.model import Field, Mapping, MappingFile
from datorum.core.records import bodies
from datorum.core.shape.whole import shaped
from datorum.core.suggest.link_keys import LinkKey
from datorum.core.suggest.shapes import suggest_records
from datorum.core.table import Sheet
from datorum.sites import link_keys, record_type_of
from datorum.stations.files import opened


def records(
    file: Annotated[Path, typer.Argument(help="A file: CSV, workbook, JSON, XML, feed or archive.")],
    schema: Annotated[Path, typer.Option(help="An OpenAPI document with a create operation for the record type.")],
    record_type: Annotated[str, typer.Option("--type", help="What the rows become, such as orders.")],
    beside: Annotated[
        list[Path] | None, typer.Option("--with", help="A file that belongs to it: the lines of its orders.")
    ] = None,
    mapping: Annotated[Path | None, typer.Option(help="A mapping as JSON; else one is suggested.")] = None,
    sheet: Annotated[str, typer.Option(help="Which of the file's sheets, where it has several.")] = "",
) -> None:
    """Print each record as it lands, nested as the site takes it, one JSON object a line."""
    document = json_file(schema)
    kind = record_type_of(document, record_type)
    keys = tuple(LinkKey(*one) for one in link_keys(document, kind.name))
    frame = _read(file, sheet).frame
    sheets = {path.name: _read(path).frame for path in beside or ()}
    told = _mapping(mapping) if mapping else suggest_records(kind, frame, sheets, keys).mapping
    fields: dict[tuple[str, str], Field] = {(key.path, key.by): key.field for key in keys}
    made = bodies(told, kind, shaped(told.shape, frame, sheets), told.scope(dt.datetime.now(dt.UTC)), fields)
    _print(made)


def _read(file: Path, sheet: str = "") -> Sheet:
    with opened(file, file.name) as found:
        return found.read(found.guess(sheet)).collect()


def _mapping(file: Path) -> Mapping:
    return MappingFile.model_validate(json_file(file)).mapping()


def _print(made: Any) -> None:
    for body in made:
        sys.stdout.buffer.write(orjson.dumps(body) + b"\n")
