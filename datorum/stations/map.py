"""Map: what feeds each field, saved version by version, and everything about one field while it is edited."""

from __future__ import annotations

import polars as pl
from pydantic import BaseModel
from sqlalchemy.orm import Session

from datorum.core.check import demands, validate_mapping
from datorum.core.check.shortcodes import counted
from datorum.core.errors import Conflict, InvalidMapping, Place
from datorum.core.formula import Scope
from datorum.core.model import Field, FieldMapping, FieldType, Mapping
from datorum.core.profile import ColumnProfile
from datorum.core.shape.grains import own_columns
from datorum.core.steps.landing import broken_steps, formula_of, land
from datorum.core.suggest import Candidate, candidates, feed, suggest_table
from datorum.stations.earlier import chosen_before, pairs_before
from datorum.stations.imports import Opened, get_import, open_import
from datorum.stations.landings import (
    beginning,
    beginning_of,
    judged_field,
    landed_field,
    profiles_made,
    reaching_table,
    scope_of,
    shown_records,
)
from datorum.stations.links import judged_as, must_be_found, must_lead
from datorum.store import models
from datorum.store.people import record
from datorum.store.sheets import load_profiles

_MOST_VALUES = 500
_MOST_CODES = 50


class StepView(BaseModel):
    """One step as a sentence, with what it makes of one row's value."""

    sentence: str
    before: str | None
    after: str | None
    problem: str = ""


class ValueCount(BaseModel):
    """One distinct value that reaches the value table, how often, and where it goes."""

    value: str
    count: int
    site_value: str | None


class ShortcodeCount(BaseModel):
    """A shortcode in the texts that feed a field: how many of the first hold it, and how many still do that land."""

    name: str
    supplied: int
    left: int


class Bar(BaseModel):
    """One bar of the picture of what landed."""

    label: str
    count: int


class FieldView(BaseModel):
    """Everything about one field of an import. ``formula`` is the same as all of its steps, ``demands`` what the
    site wants of a value, in words; ``landed`` rows have a
    value that the site takes, ``held`` ones are held by what the field has, and the bars are of what is taken."""

    formula: str
    demands: str
    candidates: list[Candidate]
    steps: list[StepView]
    accepted: list[str]
    values: list[ValueCount]
    distinct: int
    landed: int
    blank: int
    held: int
    bars: list[Bar]
    range: str = ""
    shortcodes: list[ShortcodeCount] = []


class ColumnView(BaseModel):
    """One column of the sheet, or of what its shape makes, for choosing it; ``in_list``: the list whose objects have
    it."""

    name: str
    in_list: str | None = None
    sample: str
    fill: float
    distinct: int


def save_mapping(store: Session, by: str, import_id: int, base_version: int, mapping: Mapping) -> int:
    """Keep a mapping as the next version.

    Raises Conflict, with the mapping that stands, where somebody saved since ``base_version``; InvalidMapping where it
    names what is not there.
    """
    # One at a time: who saves meanwhile waits here, and finds the newer version.
    store.refresh(get_import(store, import_id), with_for_update={"of": models.Import})
    now = open_import(store, import_id)
    if now.mapping_version != base_version:
        raise Conflict(
            f"The mapping was changed meanwhile by {now.mapped_by} (version {now.mapping_version}).",
            remedy="Choose which of the two is to stand.",
            current={
                "version": now.mapping_version,
                "by": now.mapped_by,
                "mapping": now.mapping.model_dump(mode="json"),
            },
        )
    # Columns that the sheet lacks count as blank and are told elsewhere: a mapping survives a sheet that lost one.
    validate_mapping(mapping, now.record_type)
    must_be_found(now, mapping)
    must_lead(now, mapping)
    if mapping == now.mapping:
        return base_version
    _try_steps(store, now, mapping)
    version = base_version + 1
    store.add(
        models.MappingVersion(import_id=import_id, version=version, body=mapping.model_dump(mode="json"), created_by=by)
    )
    record(store, by, "mapping changed", f"import {import_id}", version=version)
    return version


def _try_steps(store: Session, now: Opened, mapping: Mapping) -> None:
    """Raises InvalidMapping where a step of a changed field cannot be worked out at all, for the commonest values."""
    changed = [path for path, fed in mapping.fields.items() if fed != now.mapping.fields.get(path)]
    if not changed:
        return
    values = {name: [value for value, _ in one.top] for name, one in load_profiles(store, now.sheet.id).items()}
    most = max((len(one) for one in values.values()), default=0)
    frame = pl.DataFrame({name: one + [None] * (most - len(one)) for name, one in values.items()}, strict=False)
    frame, scope = frame.cast(pl.String), scope_of(now, mapping)
    for path in changed:
        for number, why in broken_steps(frame, mapping.resolved(mapping.fields[path], path), scope):
            raise InvalidMapping(
                f"Step {number} of {now.titles.get(path, path)} cannot be worked out: {why}.",
                remedy="Change the step, or remove it.",
                place=Place(field=path, step=number),
            )


def columns_of(store: Session, now: Opened) -> list[ColumnView]:
    """The sheet's columns with a sample."""
    profiles = profiles_of(store, now)
    grains = beginning(now) if now.mapping.shape else None
    of_lists = {name: path for path, frame in (grains.lists.items() if grains else ()) for name in own_columns(frame)}
    there = set(profiles) if grains is None else {*own_columns(grains.records), *of_lists}
    return [
        ColumnView(
            name=name,
            in_list=of_lists.get(name),
            sample=profile.samples[0][:60] if profile.samples else "",
            fill=profile.fill,
            distinct=profile.distinct,
        )
        for name, profile in profiles.items()
        if name in there
    ]


def profiles_of(store: Session, now: Opened, mapping: Mapping | None = None) -> dict[str, ColumnProfile]:
    """What the columns hold that can feed fields: those of the sheet, and those that the shape makes."""
    made = profiles_made(now, mapping or now.mapping)
    known = load_profiles(store, now.sheet.id)
    return known | {name: one for name, one in made.items() if name not in known}


def profile_of(store: Session, now: Opened, column: str, role: str = "") -> ColumnProfile:
    """What a column holds of the sheet in a role. Raises InvalidMapping where there is none of that name."""
    profiles = load_profiles(store, now.sheet_in(role).id) if role else profiles_of(store, now)
    if column not in profiles:
        raise InvalidMapping(
            f"The sheet has no column “{column}”.", remedy="Look at the sheet.", place=Place(column=column)
        )
    return profiles[column]


def suggested_feed(store: Session, now: Opened, path: str, columns: tuple[str, ...]) -> FieldMapping:
    """The mapping of one field when these columns feed it, with steps and a value table that fit their values."""
    field = now.record_type.field(path)
    profiles = profiles_of(store, now)
    for name in columns:
        profile_of(store, now, name)
    chosen = chosen_before(store, now.item)
    frame = beginning(now).seen_from(field.in_list, columns)
    before = chosen.feed(path, columns, frame)
    if before is not None:
        return before
    scored = candidates(now.record_type, path, profiles, len(profiles) + 1, chosen)
    known = [one for one in scored if one.columns == columns]
    candidate = known[0] if known else Candidate(columns=columns, score=0.0, reasons=("chosen by hand",))
    return feed(field, candidate, frame, profiles)


def inspect_field(
    store: Session,
    now: Opened,
    path: str,
    fed: FieldMapping,
    row: int | None,
    mapping: Mapping | None = None,
    line: int = 1,
) -> FieldView:
    """One field under a mapping that need not be saved yet; the steps are shown on the record of that ``row``, of what
    it holds on the ``line`` of that number, else on the first."""
    field = now.record_type.field(path)
    whole = mapping or now.mapping
    grains = beginning(now, whole) if row is None else shown_records(now.source(whole), (row,))
    one = grains.seen_from(field.in_list, fed.seen_columns()).slice(max(line - 1, 0) if field.in_list else 0, 1)
    values, held = judged_field(now, whole, judged_as(now, whole, field), fed)
    table = whole.resolved(fed, path).value_table
    counts = reaching_table(now, whole, field, fed)
    shows_values = bool(field.enum) or table is not None
    pairs = table.pairs if table else {}
    bars, span = _bars(field.type, values)
    return FieldView(
        formula=formula_of(fed),
        demands=demands(judged_as(now, whole, field)),
        candidates=candidates(now.record_type, path, profiles_of(store, now, whole), 5, chosen_before(store, now.item)),
        steps=_step_views(one, fed, scope_of(now, whole)),
        accepted=list(field.enum) or (["true", "false"] if field.type is FieldType.BOOLEAN else []),
        values=[
            ValueCount(value=value, count=count, site_value=pairs.get(value))
            for value, count in counts.head(_MOST_VALUES).iter_rows()
        ]
        if shows_values
        else [],
        distinct=counts.height,
        landed=len(values) - values.null_count(),
        blank=int((~held & values.is_null()).sum()),
        held=int(held.sum()),
        bars=bars,
        range=span,
        shortcodes=_shortcodes(now, whole, field, fed) if field.type is FieldType.TEXT else [],
    )


def _shortcodes(now: Opened, mapping: Mapping, field: Field, fed: FieldMapping) -> list[ShortcodeCount]:
    landed = landed_field(now, mapping, field, fed)
    before = counted(landed.supplied)
    after = counted(landed.values) if before else before
    return [
        ShortcodeCount(name=name, supplied=count, left=after[name]) for name, count in before.most_common(_MOST_CODES)
    ]


def completed_table(store: Session, now: Opened, path: str, mapping: FieldMapping) -> FieldMapping:
    """The mapping with pairs added for values that are beyond doubt or were decided on before; pairs that a person set
    here stay."""
    field = now.record_type.field(path)
    suggested = suggest_table(field, mapping, beginning_of(now, field.in_list, mapping))
    reached = set(reaching_table(now, now.mapping, field, mapping)["value"])
    before = {
        value: site_value
        for value, site_value in pairs_before(store, now.item, path).items()
        if value in reached and (not field.enum or site_value in (*field.enum, ""))
    }
    suggested = suggested.model_copy(update={"pairs": suggested.pairs | before})
    table = mapping.value_table or suggested
    return mapping.model_copy(update={"value_table": table.model_copy(update={"pairs": suggested.pairs | table.pairs})})


def unplaced_columns(now: Opened) -> list[str]:
    """The columns that feed nothing and are not left out by name: the tray."""
    settled = now.mapping.used_columns() | set(now.mapping.left_out)
    return [name for name in columns_there(now) if name not in settled]


def missing_columns(now: Opened) -> list[str]:
    """The columns that the mapping names, and neither the sheet has nor its shape makes."""
    return sorted(now.mapping.used_columns() - set(columns_there(now)))


def columns_there(now: Opened) -> list[str]:
    """The columns of the sheet, of those that its records draw on, and those that its shape makes."""
    found = list(now.sheet.headers)
    for shape in now.mapping.shape:
        found += sorted(shape.made_columns())
        found += [header for name in shape.sheets if name in now.beside for header in now.beside[name].headers]
    return list(dict.fromkeys(found))


def _step_views(one: pl.DataFrame, mapping: FieldMapping, scope: Scope) -> list[StepView]:
    """Each step with the value of a one-row frame before and after it; no values where there is no such row."""
    if not one.height:
        return [StepView(sentence=step.sentence(), before=None, after=None) for step in mapping.steps]
    values = [land(one, mapping, scope, until=until) for until in range(len(mapping.steps) + 1)]
    views = []
    for number, step in enumerate(mapping.steps, 1):
        before, after = values[number - 1].values.item(), values[number].values.item()
        failed = values[number].failed.item() == number
        problem = step.problem(before or "") if failed else ""
        views.append(StepView(sentence=step.sentence(), before=before, after=after, problem=problem))
    return views


def _bars(kind: FieldType, values: pl.Series) -> tuple[list[Bar], str]:
    """A small picture of what landed: dates by year, numbers in ten equal classes, else the commonest values."""
    filled = values.drop_nulls()
    if kind in (FieldType.DATE, FieldType.DATE_TIME):
        years = filled.str.slice(0, 4).rename("year").value_counts().sort("year")
        bars = [Bar(label=year, count=count) for year, count in years.iter_rows()]
        return bars, f"{bars[0].label} to {bars[-1].label}" if bars else ""
    if kind in (FieldType.NUMBER, FieldType.INTEGER):
        numbers = filled.cast(pl.Float64, strict=False).drop_nulls()
        if numbers.len() < 2 or numbers.n_unique() < 2:
            return [], ""
        classes = numbers.hist(bin_count=12)
        bars = [
            Bar(label=f"to {upper:,.6g}", count=count)
            for upper, count in classes.select("breakpoint", "count").iter_rows()
        ]
        lowest, highest = numbers.sort().gather([0, -1]).to_list()
        return bars, f"{lowest:,.10g} to {highest:,.10g}"
    top = filled.value_counts(sort=True).head(8)
    if top.height and top[top.columns[1]][0] > 1:
        return [Bar(label=str(value), count=count) for value, count in top.iter_rows()], ""
    return [], ""
