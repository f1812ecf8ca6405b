"""Findings counted by field and rule, while they come."""

from __future__ import annotations

from collections import Counter

import polars as pl

from datorum.core.model import FindingGroup, RecordType
from datorum.core.said import Said, said_of

_FIRST_ROWS = 5
_VALUES = 12
_MOST_VALUES = 5_000


class Groups:
    """Counts findings as they come; ``done`` gives the groups, those that block first, what is accepted last."""

    def __init__(self) -> None:
        self._counts: Counter[tuple[str, str, bool]] = Counter()
        self._accepted: Counter[tuple[str, str, bool]] = Counter()
        self._sheets: dict[tuple[str, str, bool], str] = {}
        self._rows: dict[tuple[str, str, bool], list[int]] = {}
        self._values: dict[tuple[str, str, bool], Counter[str]] = {}

    def add(self, findings: pl.DataFrame) -> None:
        """Take some more findings."""
        for (field, rule, blocks), part in findings.group_by(["field", "rule", "blocks"], maintain_order=True):
            key = (str(field), str(rule), bool(blocks))
            self._counts[key] += part.height
            self._accepted[key] += int(part["accepted"].sum())
            sheet = self._sheets.setdefault(key, part["sheet"][0])
            found = part.filter(pl.col("sheet") == sheet)["row"].unique().sort().head(_FIRST_ROWS)
            self._rows[key] = sorted([*self._rows.get(key, []), *found])[:_FIRST_ROWS]
            values = self._values.setdefault(key, Counter())
            if len(values) < _MOST_VALUES:
                values.update(dict(part["value"].drop_nulls().value_counts().iter_rows()))

    def done(self, record_type: RecordType) -> list[FindingGroup]:
        """The groups, titled by the fields and rules of the record type."""
        titles = {field.path: field.title for field in record_type.fields}
        added = {rule.rule: Said(rule.sentence, "") for rule in record_type.rules}

        def told(rule: str) -> Said:
            return added.get(rule) or said_of(rule) or Said(rule, "")

        groups = [
            FindingGroup(
                field=field,
                rule=rule,
                blocks=blocks,
                title=f"{titles.get(field, 'Record') if field else 'Row'} {told(rule).title}",
                remedy=told(rule).remedy,
                count=count,
                accepted=self._accepted[field, rule, blocks],
                acceptable=told(rule).acceptable,
                demanded=blocks and told(rule).demanded,
                sheet=self._sheets[field, rule, blocks],
                first_rows=tuple(self._rows[field, rule, blocks]),
                values=_commonest(self._values[field, rule, blocks]),
            )
            for (field, rule, blocks), count in self._counts.items()
        ]
        return sorted(groups, key=FindingGroup.weight)


def _commonest(values: Counter[str]) -> tuple[tuple[str, int], ...]:
    return tuple(sorted(values.items(), key=lambda pair: (-pair[1], pair[0]))[:_VALUES])


def group_findings(findings: pl.DataFrame, record_type: RecordType) -> list[FindingGroup]:
    """All findings at once as groups."""
    groups = Groups()
    groups.add(findings)
    return groups.done(record_type)
