"""Findings counted by field and rule, while they come."""

from __future__ import annotations

from collections import Counter

import polars as pl

from datorum.core.check.acceptance import NOT_ACCEPTABLE
from datorum.core.check.rules import RULES
from datorum.core.model import FindingGroup, RecordType

_FIRST_ROWS = 5
_VALUES = 12
_MOST_VALUES = 5_000

_TITLES = {
    "required": "is blank",
    "type": "is of another type",
    "enum": "is not a value the site accepts",
    "format": "is not in the site's format",
    "longest": "is too long",
    "shortest": "is too short",
    "pattern": "is not of the site's form",
    "range": "is out of range",
    "multiple": "is not a multiple",
    "number of items": "has too few or too many items",
    "items twice": "has an item twice",
    "items": "has an item the site does not accept",
    "site's rule": "breaks a rule of the site",
    "step": "could not be read",
    "no value set": "has no value set",
    "row": "is not a whole row",
    "same key twice": "stands twice in the sheet",
    "same value twice": "must differ in every row, and does not",
    "two spellings": "is one key in two spellings",
    "in the future": "lies in the future",
    "placeholder": "looks like a placeholder",
    "far from the rest": "is far greater than the others",
    "day or month": "may have day and month swapped",
    "out of order": "ends before it begins",
    "above its price": "is not below the price",
    "sum": "is not the sum of its parts",
    "no line": "has no line",
    "differs": "differs within a record",
    "no head": "belongs to no record",
    "two parents": "stands below two",
    "circle": "stands above itself",
    "node twice": "stands twice in the tree",
    "none above": "has none above",
    "no original": "has no original",
    "link missing": "finds no record",
    "link several": "finds several records",
    "link made": "names what cannot be made",
    "link unread": "has not been looked for",
}
_REMEDIES = {rule.name: rule.remedy for rule in RULES} | {
    "step": "Change the step to one that reads this value, take such words as blank, or correct the rows.",
    "no value set": "Set the value in the field's value table.",
    "row": "Correct its cells at Read, or leave the row out.",
    "same key twice": "Leave one of the rows out, or correct its key.",
    "same value twice": "Correct the rows: the site keeps this field unique.",
    "two spellings": "Add a step that writes them alike, such as trim or change case, or correct the rows.",
    "in the future": "Look whether day and month, or the century, are read right.",
    "placeholder": "Take such words as blank, or correct the rows.",
    "far from the rest": "Look whether the decimal mark is read right.",
    "day or month": "Look at a date that you know, and change the order in the step that reads it.",
    "out of order": "Look whether the two columns are swapped, or correct the rows.",
    "above its price": "Look whether the two columns are swapped, or correct the rows.",
    "sum": "Correct the rows, or look whether tax and shipping are read right.",
    "no line": "Feed the lines from columns, or leave the row out.",
    "differs": "Correct the rows, or let the column feed the lines: at Read, see how rows make records.",
    "no head": "Give the row the key of its record, or leave it out.",
    "two parents": "Leave one of the rows out, or correct what it stands below.",
    "circle": "Correct what one of them stands below.",
    "node twice": "Leave one of the rows out, or correct it.",
    "none above": "Add the row of the one above, or have the tree go by names.",
    "no original": "Add the original, or leave the translation out.",
    "link missing": "At Map, see where it is looked for and what is done where none is found, or correct the rows.",
    "link unread": "Have the site's records read; a rehearsal reads them too.",
    "link made": "At Map, feed what such a record needs, or correct the rows.",
    "link several": "At Map, choose which of several is meant, or correct the rows.",
}


_DEMANDS = frozenset({"site's rule", *(rule.name for rule in RULES)})


class Groups:
    """Counts findings as they come; ``done`` gives the groups, those that block first, what is accepted last."""

    def __init__(self) -> None:
        self._counts: Counter[tuple[str, str, bool]] = Counter()
        self._accepted: Counter[tuple[str, str, bool]] = Counter()
        self._rows: dict[tuple[str, str, bool], list[int]] = {}
        self._values: dict[tuple[str, str, bool], Counter[str]] = {}

    def add(self, findings: pl.DataFrame) -> None:
        """Take some more findings."""
        for (field, rule, blocks), part in findings.group_by(["field", "rule", "blocks"], maintain_order=True):
            key = (str(field), str(rule), bool(blocks))
            self._counts[key] += part.height
            self._accepted[key] += int(part["accepted"].sum())
            rows = self._rows.setdefault(key, [])
            self._rows[key] = sorted([*rows, *part["row"].unique().sort().head(_FIRST_ROWS)])[:_FIRST_ROWS]
            values = self._values.setdefault(key, Counter())
            if len(values) < _MOST_VALUES:
                values.update(dict(part["value"].drop_nulls().value_counts().iter_rows()))

    def done(self, record_type: RecordType) -> list[FindingGroup]:
        """The groups, titled by the fields and rules of the record type."""
        titles = {field.path: field.title for field in record_type.fields}
        predicates = _TITLES | {rule.rule: rule.sentence for rule in record_type.rules}
        groups = [
            FindingGroup(
                field=field,
                rule=rule,
                blocks=blocks,
                title=f"{titles.get(field, 'Record') if field else 'Row'} {predicates.get(rule, rule)}",
                remedy=_REMEDIES.get(rule, ""),
                count=count,
                accepted=self._accepted[field, rule, blocks],
                acceptable=rule not in NOT_ACCEPTABLE,
                demanded=blocks and rule in _DEMANDS,
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
