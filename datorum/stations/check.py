"""Check: every row against every rule, findings kept, held rows given back with their reasons."""

from __future__ import annotations

import datetime as dt
import time
from functools import partial
from pathlib import Path

import polars as pl
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from datorum.core.check import Checked, check, group_findings
from datorum.core.errors import NotReady
from datorum.core.table import ROW, data_columns
from datorum.core.table.held_writer import write_held
from datorum.stations.imports import Opened, open_import
from datorum.stations.landings import remembered
from datorum.store import models
from datorum.store.bulk import copy_rows
from datorum.store.people import record


def today() -> dt.date:
    """The day that checks take as today."""
    return dt.datetime.now(dt.UTC).date()


def check_opened(now: Opened) -> Checked:
    """Check an import as it stands, without keeping anything."""
    return check(now.frame, now.record_type, now.mapping, today(), partial(remembered, now.sheet.id))


def check_import(store: Session, by: str, import_id: int) -> models.CheckResult:
    """Check and keep the findings; those of earlier checks go."""
    now = open_import(store, import_id)
    began = time.perf_counter()
    checked = check_opened(now)
    groups = group_findings(checked.findings, now.titles)
    store.execute(delete(models.CheckResult).where(models.CheckResult.import_id == import_id))
    result = models.CheckResult(
        import_id=import_id,
        sheet_id=now.sheet.id,
        mapping_version=now.mapping_version,
        rows=checked.rows,
        ready=checked.ready,
        held=checked.held,
        warned=checked.warned,
        groups=[group.model_dump(mode="json") for group in groups],
        seconds=0.0,
    )
    store.add(result)
    store.flush()
    columns = ("row", "field", "rule", "blocks", "value", "message")
    copy_rows(
        store,
        "finding",
        ("check_id", *columns),
        ((result.id, *finding) for finding in checked.findings.select(columns).iter_rows()),
    )
    result.seconds = time.perf_counter() - began
    record(store, by, "checked", f"import {import_id}", rows=checked.rows, held=checked.held)
    store.flush()
    return result


def latest_check(store: Session, import_id: int) -> models.CheckResult | None:
    """The kept check, if there is one."""
    return store.scalar(
        select(models.CheckResult)
        .where(models.CheckResult.import_id == import_id)
        .order_by(models.CheckResult.id.desc())
        .limit(1)
    )


def finding_rows(store: Session, check_id: int, field: str | None, rule: str | None) -> list[int]:
    """The rows with a finding that blocks, or with any finding of one group, in the sheet's order."""
    wanted = select(models.StoredFinding.row).where(models.StoredFinding.check_id == check_id).distinct()
    if rule is None:
        wanted = wanted.where(models.StoredFinding.blocks)
    else:
        wanted = wanted.where(models.StoredFinding.rule == rule, models.StoredFinding.field == (field or ""))
    return list(store.scalars(wanted.order_by(models.StoredFinding.row)))


def findings_of(store: Session, check_id: int, rows: list[int]) -> list[models.StoredFinding]:
    """All findings of some rows."""
    return list(
        store.scalars(
            select(models.StoredFinding)
            .where(models.StoredFinding.check_id == check_id, models.StoredFinding.row.in_(rows))
            .order_by(models.StoredFinding.blocks.desc(), models.StoredFinding.id)
        )
    )


def write_held_rows(store: Session, import_id: int, path: Path) -> None:
    """The held rows as supplied, with the line of each and every reason, as XLSX or CSV by the path's name.

    Raises NotReady before a check.
    """
    now = open_import(store, import_id)
    result = latest_check(store, import_id)
    if result is None:
        raise NotReady("The rows have not been checked.", remedy="Check them first.")
    reasons: dict[int, list[str]] = {}
    for finding in findings_of(store, result.id, finding_rows(store, result.id, None, None)):
        if finding.blocks:
            reasons.setdefault(finding.row, []).append(
                reason(now.titles, finding.field, finding.value, finding.message)
            )
    headers = data_columns(now.frame)
    held = now.frame.filter(pl.col(ROW).is_in(list(reasons))).select(ROW, *headers)
    write_held(path, headers, ((row, "; ".join(reasons[row]), cells) for row, *cells in held.iter_rows()))


def reason(titles: dict[str, str], field: str, value: str | None, message: str) -> str:
    """A finding as a phrase: what, the value, and what is wrong with it."""
    subject = titles.get(field, "The row")
    return f"{subject} “{value}” {message}" if value else f"{subject} {message}"
