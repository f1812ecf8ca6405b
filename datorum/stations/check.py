"""Check: every row against every rule, findings kept, held rows given back with their reasons."""

from __future__ import annotations

import time
from collections.abc import Callable, Collection, Iterator
from typing import NamedTuple

import polars as pl
from sqlalchemy import delete, func, or_, select
from sqlalchemy.orm import Session

from datorum.core.check import FINDING_SCHEMA, Acceptance, CheckedPart, Checker, Groups, is_fed, related, rules_on
from datorum.core.check.findings import Where
from datorum.core.in_order import in_order
from datorum.core.model import FieldMapping, FindingGroup, Mapping
from datorum.core.plan import Made
from datorum.core.shape.whole import Rows, chosen
from datorum.core.steps.landing import Landed
from datorum.stations.basis import basis_of
from datorum.stations.imports import Opened, mapping_version, open_import
from datorum.stations.landings import scope_of, selection_of, today
from datorum.stations.leading import leadings
from datorum.stations.link_targets import targets
from datorum.stations.links import addresses_fed, links_fed
from datorum.stations.named_files import known_files, takes_files
from datorum.store import models
from datorum.store.bulk import analyze, copy_frame
from datorum.store.latest import latest_of
from datorum.store.people import record
from datorum.store.records import RecordRows


class Pass(NamedTuple):
    """Some records of one pass over a sheet: what was checked, what was found, and which records were left out."""

    checked: CheckedPart | None
    findings: pl.DataFrame
    left_out: pl.DataFrame


class LandedPart(NamedTuple):
    """Some records as they land: where they stand, what is sent of them by path, and which were left out."""

    where: dict[str | None, Where]
    sent: dict[str, Landed]
    left_out: pl.DataFrame

    @property
    def size(self) -> int:
        """About as many bytes of memory as it takes."""
        values = (series for one in self.sent.values() for series in (one.distinct.supplied, one.distinct.values))
        return sum(8 * len(series) + int(series.estimated_size()) for series in values)


Progress = Callable[[int], None]
"""Is told how many records are done, and may raise to stop."""


def _quietly(rows: int) -> None:
    """Progress that nobody looks at."""


def passes(store: Session, now: Opened, checker: Checker, progress: Progress = _quietly) -> Iterator[Pass]:
    """Take a whole import through a checker; the last pass has what only the whole sheet tells."""
    done = 0
    records = RecordRows(store, now.source())
    nothing_left_out = pl.DataFrame(schema={"row": pl.Int64, "reason": pl.String})
    joining = [shape for shape in records.shapes if shape.sheets]
    heads: list[pl.DataFrame] = []
    for checked, left_out in _parts(store, now, records, checker, heads):
        done += len(checked.records) + left_out.height
        yield Pass(checked, checker.add(checked), left_out)
        progress(done)
        del checked
    found = [checker.finish()]
    for shape in joining:
        over = shape.left_over(pl.concat(heads), records.beside) if heads else None
        found += [] if over is None else [checker.left_over(over)]
    yield Pass(None, pl.concat(found), nothing_left_out)


def landed_parts(store: Session, now: Opened, checker: Checker) -> Iterator[LandedPart]:
    """The records of a whole import as they land, some at a time; nothing is told of what was found in them."""
    for checked, left_out in _parts(store, now, RecordRows(store, now.source()), checker, []):
        yield LandedPart(checked.where, checked.sent, left_out)


def _parts(
    store: Session, now: Opened, records: RecordRows, checker: Checker, heads: list[pl.DataFrame]
) -> Iterator[tuple[CheckedPart, pl.DataFrame]]:
    """``heads``: gets the columns by which other sheets join."""
    selection = selection_of(store, now, now.mapping)
    keys = sorted({name for shape in records.shapes if shape.sheets for name in shape.seen_columns()})

    def check_part(part: pl.DataFrame | Rows) -> tuple[CheckedPart, pl.DataFrame]:
        rows = chosen(records.shapes, part, selection) if isinstance(part, pl.DataFrame) else part
        if keys:
            heads.append(rows.frame.select(name for name in keys if name in rows.frame.columns))
        return checker.check_part(records.made(rows)), rows.left_out

    parts: Iterator[pl.DataFrame | Rows] = records.parts()
    if selection.counts:
        parts = (chosen(records.shapes, frame, selection) for frame in records.parts())
    return in_order(check_part, parts)


def checker_of(store: Session, now: Opened, only: set[str] | None = None, made: Made | None = None) -> Checker:
    """A checker of an import as it stands. ``made``: what its links have made is found by them."""
    accepted = acceptances(store, now.item.id)
    scope = scope_of(now, now.mapping)
    links = targets(store, now) if made is None else made.found_by(targets(store, now))
    files = known_files(store, now)
    return Checker(now.record_type, now.mapping, today(), scope, only, accepted, links, files, leadings(store, now))


def check_import(store: Session, by: str, import_id: int, progress: Progress = _quietly) -> models.CheckResult:
    """Check and keep the findings. What nothing has changed since the last check is not checked again."""
    began = time.perf_counter()
    now = open_import(store, import_id)
    result = latest_check(store, import_id)
    only = _touched(store, now, result) if result else None
    if result is None or only is None:
        result = _check_all(store, now, progress)
    elif only:
        _check_again(store, now, result, only, progress)
    result.mapping_version, result.revision, result.basis = now.mapping_version, now.revision, basis_of(now)
    result.seconds = time.perf_counter() - began
    record(store, by, "checked", f"import {import_id}", rows=result.rows, held=result.held)
    store.flush()
    return result


def _check_all(store: Session, now: Opened, progress: Progress) -> models.CheckResult:
    store.execute(delete(models.CheckResult).where(models.CheckResult.import_id == now.item.id))
    result = models.CheckResult(
        import_id=now.item.id, sheet_id=now.sheet.id, mapping_version=0, revision=0, rows=now.sheet.rows,
        ready=0, held=0, left_out=0, warned=0, groups=[], links=[], seconds=0.0,
    )  # fmt: skip
    store.add(result)
    store.flush()
    checker, groups = checker_of(store, now), Groups()
    for one in passes(store, now, checker, progress):
        groups.add(one.findings)
        _keep(store, result.id, one.findings)
        copy_frame(store, "left_out_of_check", one.left_out.with_columns(pl.lit(result.id).alias("check_id")))
        result.left_out += one.left_out.height
        # What was checked goes before the next is there.
        del one
    analyze(store, "finding")
    result.rows = checker.rows + result.left_out
    result.ready, result.held, result.warned = checker.ready, checker.held, checker.warned
    result.groups = [group.model_dump(mode="json") for group in groups.done(now.record_type)]
    result.links = [one.model_dump(mode="json") for one in checker.links]
    return result


def _check_again(store: Session, now: Opened, result: models.CheckResult, only: set[str], progress: Progress) -> None:
    """Replace what was found on some fields; the rest of the last check stands."""
    rules = rules_on(now.record_type, only)
    store.execute(
        delete(models.StoredFinding)
        .where(models.StoredFinding.check_id == result.id)
        .where(or_(models.StoredFinding.field.in_(only), models.StoredFinding.rule.in_(rules)))
    )
    checker, groups = checker_of(store, now, only), Groups()
    for one in passes(store, now, checker, progress):
        groups.add(one.findings)
        _keep(store, result.id, one.findings)
    kept = [FindingGroup.model_validate(group) for group in result.groups]
    stand = [group for group in kept if group.field not in only and group.rule not in rules]
    found = sorted([*stand, *groups.done(now.record_type)], key=FindingGroup.weight)
    result.groups = [group.model_dump(mode="json") for group in found]
    same = [one for one in result.links if one["path"] not in only]
    result.links = [*same, *(one.model_dump(mode="json") for one in checker.links)]
    count_rows(store, result)


def count_rows(store: Session, result: models.CheckResult) -> None:
    """Count anew what the kept findings of a check hold and warn of."""
    open_rows = (
        select(models.StoredFinding.record, func.bool_or(models.StoredFinding.blocks).label("held"))
        .where(models.StoredFinding.check_id == result.id, ~models.StoredFinding.accepted)
        .where(models.StoredFinding.record.is_not(None))
        .group_by(models.StoredFinding.record)
        .subquery()
    )
    held, warned = store.execute(
        select(func.count().filter(open_rows.c.held), func.count().filter(~open_rows.c.held)).select_from(open_rows)
    ).one()
    result.held, result.warned = held, warned
    result.ready = result.rows - result.left_out - held


def _keep(store: Session, check_id: int, findings: pl.DataFrame) -> None:
    copy_frame(store, "finding", findings.select(pl.lit(check_id).alias("check_id"), *FINDING_SCHEMA))


_WHOLE = ("sheet", "rules", "records", "day", "person")
"""The parts of its basis that make a check begin anew; of the others it is found out what they touch."""


def _touched(store: Session, now: Opened, result: models.CheckResult) -> set[str] | None:
    """The fields whose findings may be others than at the last check; None where all may be."""
    basis = basis_of(now)
    if any(result.basis.get(part) != basis[part] for part in _WHOLE):
        return None
    before = mapping_version(store, now.item.id, result.mapping_version)
    if before is None or _making(before) != _making(now.mapping):
        return None
    if now.mapping.rows.formula.strip() and _given(before) != _given(now.mapping):
        return None
    columns = _corrected_since(store, now, result)
    if columns is None:
        return None
    paths = {path for path in {*before.fields, *now.mapping.fields} if _lands_otherwise(before, now.mapping, path)}
    paths |= {path for path, fed in now.mapping.fields.items() if columns & fed.seen_columns()}
    of_made = {path for path, rule in now.mapping.links.items() if columns & rule.seen_columns()}
    paths |= of_made & set(now.mapping.fields)
    if result.basis.get("links") != basis["links"]:
        paths |= links_fed(now, now.mapping).keys() | addresses_fed(now, now.mapping).keys()
    if result.basis.get("files", "") != basis["files"]:
        paths |= {field.path for field in takes_files(now)}
    if not paths:
        return set()
    return related(now.record_type, now.mapping, paths)


def _making(mapping: Mapping) -> tuple[object, ...]:
    """What decides which records there are, and of which key."""
    return mapping.rows, mapping.keys, mapping.shape


def _corrected_since(store: Session, now: Opened, result: models.CheckResult) -> set[str] | None:
    """The columns in which cells were corrected since a check; None where that may change which rows count."""
    hand = models.LeftOutRow
    if store.scalar(select(hand.row).where(hand.import_id == now.item.id, hand.revision > result.revision).limit(1)):
        return None
    kept = models.StoredCorrection
    since = (kept.import_id == now.item.id) & (kept.revision > result.revision)
    columns = set(store.scalars(select(kept.column).where(since).distinct()))
    flagged = select(models.StoredFinding.row).where(
        models.StoredFinding.check_id == result.id, models.StoredFinding.rule == "row"
    )
    settles_flag = columns and store.scalar(
        select(kept.row).where(since, kept.role == "", kept.row.in_(flagged)).limit(1)
    )
    rows = now.mapping.rows
    shaping = {name for shape in now.mapping.shape for name in shape.seen_columns() | shape.used_columns()}
    return None if settles_flag or rows.formula.strip() or columns & (rows.columns() | shaping) else columns


def _lands_otherwise(before: Mapping, now: Mapping, path: str) -> bool:
    old, new = before.fields.get(path), now.fields.get(path)
    if old is None or new is None:
        return is_fed(before, path) != is_fed(now, path)
    if before.links.get(path) != now.links.get(path) or before.addresses.get(path) != now.addresses.get(path):
        return True
    if _landing(before, old) != _landing(now, new):
        return True
    return new.sees_row and _given(before) != _given(now)


def _given(mapping: Mapping) -> tuple[object, ...]:
    """What formulas see beside the row."""
    return mapping.tables, mapping.parameters


def _landing(mapping: Mapping, fed: FieldMapping) -> FieldMapping:
    return mapping.resolved(fed).model_copy(update={"score": None, "reasons": (), "blank": "keep"})


def acceptances(store: Session, import_id: int) -> list[Acceptance]:
    """What was accepted of an import's findings."""
    kept = models.StoredAcceptance
    asked = select(kept.field, kept.rule, kept.row).where(kept.import_id == import_id)
    return [Acceptance(*one) for one in store.execute(asked)]


def latest_check(store: Session, import_id: int) -> models.CheckResult | None:
    """The kept check, if there is one."""
    return latest_checks(store, [import_id]).get(import_id)


def latest_checks(store: Session, imports: Collection[int]) -> dict[int, models.CheckResult]:
    """The kept checks of some imports, of those that have any."""
    return latest_of(store, models.CheckResult.import_id, imports, kind=models.CheckResult)


def found_records(store: Session, check_id: int, field: str | None, rule: str | None) -> list[int]:
    """The records with a finding that holds them, or with any finding of one group, in the sheet's order."""
    kept = models.StoredFinding.record
    wanted = select(kept).where(models.StoredFinding.check_id == check_id, kept.is_not(None)).distinct()
    if rule is None:
        wanted = wanted.where(models.StoredFinding.blocks, ~models.StoredFinding.accepted)
    else:
        wanted = wanted.where(models.StoredFinding.rule == rule, models.StoredFinding.field == (field or ""))
    return [number for number in store.scalars(wanted.order_by(kept)) if number is not None]


def finding_rows(store: Session, check_id: int, field: str, rule: str) -> list[tuple[str, int]]:
    """The rows with a finding of one group, by the role of their sheet and their number, in order."""
    kept = models.StoredFinding
    wanted = select(kept.sheet, kept.row).where(kept.check_id == check_id, kept.rule == rule, kept.field == field)
    return [(sheet, row) for sheet, row in store.execute(wanted.distinct().order_by(kept.sheet, kept.row))]


def findings_of(store: Session, check_id: int, records: list[int]) -> list[models.StoredFinding]:
    """All findings of some records."""
    return list(
        store.scalars(
            select(models.StoredFinding)
            .where(models.StoredFinding.check_id == check_id, models.StoredFinding.record.in_(records))
            .order_by(models.StoredFinding.accepted, models.StoredFinding.blocks.desc(), models.StoredFinding.id)
        )
    )


def reason(titles: dict[str, str], field: str, value: str | None, message: str) -> str:
    """A finding as a phrase: what, the value, and what is wrong with it."""
    subject = titles.get(field, "The row")
    return f"{subject} “{value}” {message}" if value else f"{subject} {message}"
