"""Findings that a person accepts: in some rows or for good, with who and when, until it is taken back."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from datorum.core.errors import NotAllowed, NotReady
from datorum.core.model import FindingGroup
from datorum.core.said import is_acceptable
from datorum.stations.check import count_rows, latest_check
from datorum.stations.imports import get_import
from datorum.store import models
from datorum.store.people import record


def accept(
    store: Session, by: str, import_id: int, field: str, rule: str, rows: Sequence[int] | None = None
) -> models.CheckResult:
    """Accept the findings of one rule on one field, in the records of these rows or for good.

    Raises NotReady before a check, NotAllowed for a rule whose findings cannot be accepted.
    """
    if not is_acceptable(rule):
        raise NotAllowed(
            "This finding cannot be accepted: such a value cannot be sent, or would make a duplicate.",
            remedy="Correct the rows, change the mapping, or leave the rows out.",
        )
    result = _checked(store, import_id)
    for row in [None] if rows is None else rows:
        store.add(models.StoredAcceptance(import_id=import_id, field=field, rule=rule, row=row, by=by))
    accepted = {"field": field, "rule": rule, "rows": None if rows is None else list(rows)[:200]}
    record(store, by, "finding accepted", f"import {import_id}", **accepted)
    return _mark(store, result, field, rule, rows, accepted=True)


def take_back_acceptance(store: Session, by: str, import_id: int, field: str, rule: str) -> models.CheckResult:
    """Let the findings of one rule on one field hold and warn again."""
    result = _checked(store, import_id)
    kept = models.StoredAcceptance
    store.execute(delete(kept).where(kept.import_id == import_id, kept.field == field, kept.rule == rule))
    record(store, by, "acceptance taken back", f"import {import_id}", field=field, rule=rule)
    return _mark(store, result, field, rule, None, accepted=False)


def accepted_findings(store: Session, import_id: int) -> list[models.StoredAcceptance]:
    """What was accepted, by whom and when, the latest first."""
    kept = models.StoredAcceptance
    return list(store.scalars(select(kept).where(kept.import_id == import_id).order_by(kept.id.desc())))


def _checked(store: Session, import_id: int) -> models.CheckResult:
    get_import(store, import_id)
    result = latest_check(store, import_id)
    if result is None:
        raise NotReady("The rows have not been checked.", remedy="Check them first.")
    return result


def _mark(
    store: Session, result: models.CheckResult, field: str, rule: str, rows: Sequence[int] | None, *, accepted: bool
) -> models.CheckResult:
    """Bring the kept findings, their groups and the counts to what is accepted now."""
    kept = models.StoredFinding
    meant = (kept.check_id == result.id) & (kept.field == field) & (kept.rule == rule)
    these = meant if rows is None else meant & kept.record.in_(rows)
    store.execute(update(kept).where(these).values(accepted=accepted), execution_options={"synchronize_session": False})
    counted = len(store.scalars(select(kept.id).where(meant, kept.accepted)).all())
    groups = [FindingGroup.model_validate(group) for group in result.groups]
    groups = [
        group.model_copy(update={"accepted": counted}) if (group.field, group.rule) == (field, rule) else group
        for group in groups
    ]
    result.groups = [group.model_dump(mode="json") for group in sorted(groups, key=FindingGroup.weight)]
    count_rows(store, result)
    item = get_import(store, result.import_id)
    # A plan that was made before is another one now; the check itself is brought up to date here.
    fresh = result.revision == item.revision
    item.revision += 1
    if fresh:
        result.revision = item.revision
        result.basis = {**result.basis, "rows": str(item.revision)}
    store.flush()
    return result
