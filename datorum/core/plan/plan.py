"""Policy, what the site holds, and landed rows: into what happens to each row."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection, Iterable, Iterator, Sequence
from collections.abc import Mapping as AnyMapping
from typing import Any

import polars as pl
from pydantic import BaseModel

from datorum.core.check import holding, is_fed
from datorum.core.check.findings import Where
from datorum.core.errors import NotReady
from datorum.core.link import as_id, row_meant, said_of_row, with_record
from datorum.core.link.keys import ROW_OF, compared, together
from datorum.core.match_key import key_text
from datorum.core.model import Action, Change, Field, Mapping, PlanRow, Policy, RecordType, SiteRecord
from datorum.core.model.link_rule import BETWEEN_PARTS
from datorum.core.records.values import values_by_record
from datorum.core.steps.landing import Landed
from datorum.core.values import at, same


class FieldChange(BaseModel, frozen=True):
    """One field over all updates: in how many records it changes, and the commonest changes."""

    field: str
    records: int
    examples: tuple[tuple[Any, Any, int], ...]


class Planner:
    """Decides what happens to each row, some rows at a time.

    A row meets a record where their match keys are the same; ``held`` gives the reasons by row; ``links`` are the paths
    whose values are references. Raises NotReady where the mapping has no match key.
    """

    def __init__(
        self,
        record_type: RecordType,
        mapping: Mapping,
        policy: Policy,
        on_site: Iterable[SiteRecord],
        held: AnyMapping[int, str],
        links: Collection[str] = (),
    ) -> None:
        if not mapping.keys or not all(is_fed(mapping, path) for path in mapping.keys):
            raise NotReady(
                "No match key is fed, so a row cannot be told from a record that is already on the site.",
                remedy="Feed a field that the site keeps unique, such as the e-mail, and choose it as match key.",
            )
        self._keys = tuple(record_type.field(path) for path in mapping.keys)
        self._type = record_type
        self._mapping = mapping
        self._policy = policy
        self._held = held
        self._records = _by_key(self._keys, on_site)
        self._links = dict.fromkeys(links, _meant)
        self._known: dict[int, str] = {}

    def records(self, where: AnyMapping[str | None, Where], landed: AnyMapping[str, Landed]) -> Iterator[PlanRow]:
        """The plan of some records, in order."""
        parts = [landed[field.path].values for field in self._keys]
        keys = parts[0] if len(parts) == 1 else together(parts, " · ").str.replace_all(ROW_OF, "row ", literal=True)
        keys_to_match = compared(self._keys, parts).to_list()
        fields: list[Field] | None = None
        by_record = values_by_record(where, self._type, landed, special=self._links)
        for index, (row, values) in enumerate(zip(where[None].records.to_list(), by_record, strict=True)):
            key = keys[index]
            if row in self._held:
                yield PlanRow(row=row, action=Action.HELD, key=key, reason=self._held[row])
                continue
            if fields is None:
                fields = [self._type.field(path) for path in values]
            matches = self._records.get(keys_to_match[index], [])
            if len(matches) == 1:
                self._known[row] = matches[0].id
            values = {path: self._as_known(path, value) for path, value in values.items()}
            yield _decide(row, key, values, matches, fields, self._mapping, self._policy)

    def _as_known(self, path: str, value: Any) -> Any:
        """A value with the id of the record that it means, where a row before has one on the site."""
        if path not in self._links:
            return value
        number = row_meant(value)
        known = None if number is None else self._known.get(number)
        return value if known is None else with_record(value, known, self._type.field(path))


def _meant(field: Field, landed: Landed) -> list[Any]:
    """Of each distinct value of a link the ids of the records that it means, or the rows that will have them."""
    return [meant(field, value) for value in landed.distinct.values.to_list()]


def meant(field: Field, value: str | list[str] | None) -> Any:
    """The id that a reference landed as, as its field takes it, or the row that will have one."""
    if value is None:
        return None
    if isinstance(value, list):
        return [meant(field, item) for item in value]
    return said_of_row(value) if ROW_OF in value else as_id(field, value)


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


def held_reasons(findings: pl.DataFrame, titles: AnyMapping[str, str]) -> dict[int, str]:
    """The first finding that holds each record, as a phrase; ``titles`` of fields by path."""
    blocking = findings.filter(holding()).unique("record", keep="first", maintain_order=True)
    return {
        record: f"{titles.get(field, field)} {message}".lstrip()
        for record, field, message in blocking.select("record", "field", "message").iter_rows()
    }


def _shown(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return "" if value is None else str(value)


def _by_key(fields: Sequence[Field], on_site: Iterable[SiteRecord]) -> dict[str, list[SiteRecord]]:
    found: dict[str, list[SiteRecord]] = defaultdict(list)
    for record in on_site:
        parts = [key_text(field, at(record.body, field.path)) for field in fields]
        whole = [part for part in parts if part is not None]
        if len(whole) == len(parts):
            found[BETWEEN_PARTS.join(whole)].append(record)
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
        fed = mapping.fields.get(field.path)
        if after is None and (fed is None or fed.blank == "keep"):
            continue
        if not same(field, before, after):
            changes[field.path] = Change(before=before, after=after)
    return PlanRow(row=row, action=Action.UPDATE if changes else Action.UNCHANGED, changes=changes, **known)
