"""Policy, what the site holds, and landed rows: into what happens to each row."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator
from collections.abc import Mapping as AnyMapping
from typing import Any

import polars as pl
from pydantic import BaseModel

from datorum.core.check import holding, is_fed
from datorum.core.errors import NotReady
from datorum.core.match_key import key_text, key_texts
from datorum.core.model import Action, Change, Field, Mapping, PlanRow, Policy, RecordType, SiteRecord
from datorum.core.steps.landing import Landed
from datorum.core.values import at, is_as_landed, same, to_json


class FieldChange(BaseModel, frozen=True):
    """One field over all updates: in how many records it changes, and the commonest changes."""

    field: str
    records: int
    examples: tuple[tuple[Any, Any, int], ...]


class Planner:
    """Decides what happens to each row, some rows at a time.

    A row meets a record where their match keys are the same; ``held`` gives the reasons by row. Raises NotReady where
    the mapping has no match key.
    """

    def __init__(
        self,
        record_type: RecordType,
        mapping: Mapping,
        policy: Policy,
        on_site: Iterable[SiteRecord],
        held: AnyMapping[int, str],
    ) -> None:
        if not mapping.match_key or not is_fed(mapping, mapping.match_key):
            raise NotReady(
                "No match key is fed, so a row cannot be told from a record that is already on the site.",
                remedy="Feed a field that the site keeps unique, such as the e-mail, and choose it as match key.",
            )
        self._key_field = record_type.field(mapping.match_key)
        self._type = record_type
        self._mapping = mapping
        self._policy = policy
        self._held = held
        self._records = _by_key(self._key_field, on_site)

    def rows(self, rows: pl.Series, landed: AnyMapping[str, Landed]) -> Iterator[PlanRow]:
        """The plan of some rows, in order."""
        keys = landed[self._key_field.path].values
        keys_to_match = key_texts(self._key_field, keys).to_list()
        fields = [self._type.field(path) for path in landed]
        columns = [(field, is_as_landed(field), landed[field.path].values.to_list()) for field in fields]
        for index, row in enumerate(rows.to_list()):
            key = keys[index]
            if row in self._held:
                yield PlanRow(row=row, action=Action.HELD, key=key, reason=self._held[row])
                continue
            values = {
                field.path: column[index] if as_landed else to_json(field, column[index])
                for field, as_landed, column in columns
            }
            matches = self._records.get(keys_to_match[index], [])
            yield _decide(row, key, values, matches, fields, self._mapping, self._policy)


class ChangedFields:
    """Counts which fields change in how many of the records that are updated."""

    def __init__(self) -> None:
        self._pairs: dict[str, Counter[tuple[str, str]]] = defaultdict(Counter)

    def see(self, row: PlanRow) -> None:
        """Take one more row of the plan."""
        if row.action is Action.UPDATE:
            for path, change in row.changes.items():
                self._pairs[path][(_shown(change.before), _shown(change.after))] += 1

    def done(self) -> list[FieldChange]:
        """The fields, the one that changes most first."""
        found = [
            FieldChange(
                field=path,
                records=counter.total(),
                examples=tuple((before, after, count) for (before, after), count in counter.most_common(3)),
            )
            for path, counter in self._pairs.items()
        ]
        return sorted(found, key=lambda change: (-change.records, change.field))


def held_reasons(findings: pl.DataFrame) -> dict[int, str]:
    """The first finding that holds each row, as a phrase."""
    blocking = findings.filter(holding()).unique("row", keep="first", maintain_order=True)
    return {
        row: f"{field}: {message}".removeprefix(": ")
        for row, field, message in blocking.select("row", "field", "message").iter_rows()
    }


def _shown(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return "" if value is None else str(value)


def _by_key(field: Field, on_site: Iterable[SiteRecord]) -> dict[str, list[SiteRecord]]:
    found: dict[str, list[SiteRecord]] = defaultdict(list)
    for record in on_site:
        key = key_text(field, at(record.body, field.path))
        if key is not None:
            found[key].append(record)
    return found


def _decide(
    row: int,
    key: str | None,
    values: dict[str, Any],
    matches: list[SiteRecord],
    fields: list[Field],
    mapping: Mapping,
    policy: Policy,
) -> PlanRow:
    if key is None:
        return PlanRow(row=row, action=Action.HELD, reason="the match key is blank")
    if len(matches) > 1:
        reason = f"{len(matches):,} records on the site have this key: {', '.join(r.id for r in matches[:5])}"
        return PlanRow(row=row, action=Action.HELD, key=key, reason=reason)
    if not matches:
        if policy.on_no_match == "skip":
            return PlanRow(row=row, action=Action.LEFT_OUT, key=key, reason="not on the site; policy: do not create")
        # What the site requires and may be null is sent as null.
        sent_blank = {field.path for field in fields if field.required and field.nullable}
        changes = {path: Change(after=v) for path, v in values.items() if v is not None or path in sent_blank}
        return PlanRow(row=row, action=Action.CREATE, key=key, changes=changes)

    record = matches[0]
    known: dict[str, Any] = {"record_id": record.id, "etag": record.etag, "key": key, "on_site": record.body}
    if policy.on_match == "skip":
        return PlanRow(row=row, action=Action.LEFT_OUT, reason="on the site already; policy: leave it", **known)
    changes = {}
    for field in fields:
        before, after = at(record.body, field.path), values[field.path]
        if before == after and type(before) is type(after):
            # What is the same to the letter needs no thought, and is by far the most.
            continue
        if after is None and mapping.fields[field.path].blank == "keep":
            continue
        if not same(field, before, after):
            changes[field.path] = Change(before=before, after=after)
    return PlanRow(row=row, action=Action.UPDATE if changes else Action.UNCHANGED, changes=changes, **known)
