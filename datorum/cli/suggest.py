"""``datorum suggest``: a mapping for a file, by nothing but an OpenAPI document."""

from __future__ import annotations

import json
from collections.abc import Mapping as AnyMapping
from pathlib import Path
from typing import Annotated, Any

import polars as pl
import typer
from rich.console import Console
from rich.table import Table

from datorum.cli.read import load
from datorum.core.check import required_unfed
from datorum.core.errors import InvalidMapping, Place
from datorum.core.model import Field, FieldMapping, Mapping, MappingFile, RecordType
from datorum.core.profile import ColumnProfile, Profiler
from datorum.core.suggest import THRESHOLD, Candidate, candidates
from datorum.core.suggest.link_keys import LinkKey
from datorum.core.suggest.shapes import suggest_records
from datorum.sites import link_keys, record_type_of
from datorum.stations.files import opened


def suggest(
    file: Annotated[Path, typer.Argument(help="A file: CSV, workbook, JSON, XML, feed or archive.")],
    schema: Annotated[Path, typer.Option(help="An OpenAPI document with a create operation for the record type.")],
    record_type: Annotated[str, typer.Option("--type", help="What the rows become, such as customers.")],
    as_json: Annotated[bool, typer.Option("--json", help="Print the mapping as JSON, as `check` takes it.")] = False,
    sheet: Annotated[str, typer.Option(help="Which of the file's sheets, where it has several.")] = "",
    explain: Annotated[str, typer.Option(help="A field: why what feeds it does, and the others do not.")] = "",
) -> None:
    """Suggest which column feeds which field, and by which steps."""
    document = json_file(schema)
    kind = record_type_of(document, record_type)
    links = tuple(LinkKey(*one) for one in link_keys(document, kind.name))
    with opened(file, file.name) as found:
        reading = found.read(found.guess(sheet))
        profiler = Profiler()
        first: pl.DataFrame | None = None
        for frame in reading:
            profiler.add(frame)
            first = frame if first is None else first
        assert first is not None
        profiles = profiler.finish(reading.headers)
        told = suggest_records(kind, reading.aligned(first), links=links, profiles=profiles)
        mapping = told.mapping
    if explain:
        _print_reasons(mapping, kind, kind.field(explain), profiles)
    elif as_json:
        print(json.dumps(as_document(mapping, kind), ensure_ascii=False, indent=2))
    else:
        for shape, reasons in zip(mapping.shape, told.reasons, strict=True):
            Console().print(f"{shape.sentence()}. {'; '.join(reasons)}.", highlight=False)
        _print_table(mapping, kind, profiles)


def as_document(mapping: Mapping, kind: RecordType) -> dict[str, Any]:
    """A mapping as the file that ``check`` takes; of what is as it is by default, only each field's own."""
    file = MappingFile.of(mapping, kind.name)
    fields = {path: fed.model_dump(mode="json", exclude_none=True) for path, fed in file.fields.items()}
    return file.model_dump(mode="json", exclude_defaults=True) | {"fields": fields}


def json_file(path: Path) -> Any:
    """What a JSON file holds. Raises InvalidMapping where it holds none, UnreadableFile where there is none."""
    try:
        return json.loads(load(path))
    except (ValueError, RecursionError) as error:
        raise InvalidMapping(
            f"This is no JSON: {error}.",
            remedy="Give an OpenAPI document or a mapping in JSON.",
            place=Place(file=str(path)),
        ) from error


def _print_reasons(mapping: Mapping, kind: RecordType, field: Field, profiles: AnyMapping[str, ColumnProfile]) -> None:
    """What could feed a field, best first, and what became of each."""
    out, fed = Console(), mapping.fields.get(field.path)
    columns = fed.columns if fed else ()
    table = Table("Columns", "Score", "Why", "What became of it", box=None)
    if fed:
        table.add_row(" + ".join(columns), f"{fed.score or 0:.2f}", ", ".join(fed.reasons), "feeds it")
    for one in candidates(kind, field.path, profiles, _EXPLAINED):
        if one.columns != columns:
            table.add_row(
                " + ".join(one.columns), f"{one.score:.2f}", ", ".join(one.reasons), _became(one, mapping, fed)
            )
    if not table.row_count:
        out.print(f"No column is anything like {field.path}.", highlight=False)
        return
    out.print(table, highlight=False)


_EXPLAINED = 5
_WORTH_SAYING = 0.01


def _became(one: Candidate, mapping: Mapping, fed: FieldMapping | None) -> str:
    """Why a candidate does not feed its field."""
    if one.score < THRESHOLD:
        return f"not sure enough: below {THRESHOLD:.2f}"
    elsewhere = [path for path, other in mapping.fields.items() if set(other.columns) & set(one.columns)]
    if elsewhere:
        return f"feeds {', '.join(elsewhere)}, which it fits better"
    return "another fits better" if fed else "nothing was made of it"


def _print_table(mapping: Mapping, kind: RecordType, profiles: AnyMapping[str, ColumnProfile]) -> None:
    out = Console()
    table = Table("Field", "Fed by", "Score", "Why", "Steps", box=None)
    for path, fed in mapping.fields.items():
        steps = "; ".join(step.sentence() for step in fed.steps)
        table.add_row(path, " + ".join(fed.columns), f"{fed.score or 0:.2f}", ", ".join(fed.reasons), steps)
    out.print(table, highlight=False)
    for path in required_unfed(mapping, kind):
        out.print(f"■ Nothing feeds {path}, which the site requires.", style="red", highlight=False)
    used = mapping.used_columns()
    for field in kind.writable:
        if field.path not in mapping.fields:
            likeliest = [
                one for one in candidates(kind, field.path, profiles)
                if used.isdisjoint(one.columns) and one.score >= _WORTH_SAYING
            ]  # fmt: skip
            told = (f"{' + '.join(one.columns)} ({one.score:.0%}: {', '.join(one.reasons)})" for one in likeliest)
            if line := "; ".join(told):
                out.print(f"◐ {field.path} may be {line}", style="yellow", highlight=False)
    unplaced = [name for name in profiles if name not in used]
    if unplaced:
        out.print(f"◐ Feeds nothing: {', '.join(unplaced)}", style="yellow", highlight=False)
