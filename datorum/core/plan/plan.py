"""Policy, what the site holds, and landed records: into what happens to each, a column at a time."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection, Iterable, Iterator, Sequence
from collections.abc import Mapping as AnyMapping
from typing import Any

import polars as pl
from pydantic import BaseModel

from datorum.core.check import holding, is_fed
from datorum.core.check.findings import Where
from datorum.core.errors import InvalidMapping, NotReady
from datorum.core.json_columns import BLANK, differ
from datorum.core.json_text import dumps, loads
from datorum.core.link import Known, as_id, said_of_row, said_of_text, with_record
from datorum.core.link.keys import ROW_OF, compared, together
from datorum.core.model import Action, Field, FieldType, Mapping, Policy, RecordType
from datorum.core.plan.awaited import Awaited, Brought
from datorum.core.plan.frame import ITEM, PLAN_SCHEMA, after, before, sent_paths
from datorum.core.plan.lines import laid_on
from datorum.core.records.values import json_by_record
from datorum.core.steps.landing import Landed
from datorum.core.values import same

FOUND_SCHEMA = {
    "count": pl.Int64, "record_id": pl.String, "etag": pl.String, "page": pl.String, "on_site": pl.Binary,
    "several": pl.String,
}  # fmt: skip
"""What is known of the record that each of some records means: how many there are, the one, or, of ``several``, their
ids or the rows that share it in a phrase."""


class FieldChange(BaseModel, frozen=True):
    """One field over all updates: in how many records it changes, and the commonest changes."""

    field: str
    records: int
    examples: tuple[tuple[Any, Any, int], ...]


class Planner:
    """Decides what happens to each record, some at a time.

    ``links`` are the paths whose values are references, ``texts`` those whose values have addresses of records in
    them. ``known``: of rows of the sheet that have a record on the site its id; ``awaited``: what other imports are to
    bring first; ``why_no_update``: why records that are there cannot be changed, if they cannot. Raises NotReady where
    the mapping has no match key, InvalidMapping where the policy names a key that nothing feeds.
    """

    def __init__(
        self, record_type: RecordType, mapping: Mapping, policy: Policy, links: Collection[str] = (),
        texts: Collection[str] = (), why_no_update: str = "",
    ) -> None:  # fmt: skip
        if not mapping.keys or not all(is_fed(mapping, path) for path in mapping.keys):
            raise NotReady(
                "No match key is fed, so a row cannot be told from a record that is already on the site.",
                remedy="Feed a field that the site keeps unique, such as the e-mail, and choose it as match key.",
            )
        for path in (path for key in policy.keys for path in key):
            if not is_fed(mapping, path):
                raise InvalidMapping(
                    f"Records are to be looked for by {path} as well, and nothing feeds it.",
                    remedy="Feed it at Map, or take it out of the keys of the policy.",
                )
        self.ways = tuple(tuple(record_type.field(path) for path in key) for key in (mapping.keys, *policy.keys))
        self._type = record_type
        self._mapping = mapping
        self._policy = policy
        self._links = frozenset(links)
        self._texts = frozenset(texts)
        self._why_no_update = why_no_update
        self.known: AnyMapping[int, str] = {}
        self.awaited = Awaited()

    @property
    def held_against(self) -> list[str]:
        """The paths whose values are compared with those that the site has."""
        fed = [field.path for field in self._type.writable if is_fed(self._mapping, field.path)]
        return [
            path
            for path in self._type.held_against
            if self._policy.of_field(path).write != "never" and any(f"{one}.".startswith(f"{path}.") for one in fed)
        ]

    def keys(self, landed: AnyMapping[str, Landed]) -> list[pl.Series]:
        """What records are compared by, a series for each way of finding them."""
        return [compared(way, [landed[field.path].values for field in way]) for way in self.ways]

    def decide(
        self,
        where: AnyMapping[str | None, Where],
        landed: AnyMapping[str, Landed],
        found: pl.DataFrame,
        held: AnyMapping[int, str],
    ) -> pl.DataFrame:
        """What happens to some records, in order, as a frame of the plan. ``found``, with the columns of
        ``FOUND_SCHEMA`` and by ``held_against`` what it has before: whom each means on the site; ``held``: reasons by
        record."""
        own = where[None]
        parts = [landed[field.path].values for field in self.ways[0]]
        keys = parts[0] if len(parts) == 1 else together(parts, " · ").str.replace_all(ROW_OF, "row ", literal=True)
        key_blank = pl.select(pl.all_horizontal(*(one.is_null() for one in self.keys(landed)))).to_series()
        blanks = pl.Series([held.get(record) for record in own.records.to_list()], dtype=pl.String) if held else None
        frame = found.select(
            pl.lit(own.records).alias(ITEM), pl.lit(own.rows).alias("row"), pl.lit(keys).alias("key"),
            pl.lit(key_blank).alias("blank"), pl.lit(blanks, dtype=pl.String).alias("held"), *FOUND_SCHEMA,
        )  # fmt: skip
        frame = frame.with_columns(self._actions())
        special = {**dict.fromkeys(self._links, self._meant), **dict.fromkeys(self._texts, self._addressed)}
        values = json_by_record(where, self._type, landed, special)
        creates = frame["action"] == Action.CREATE.value
        updates = frame["action"] == Action.UPDATE.value
        columns, changed = self._changes(found, values, creates, updates)
        action = (
            pl.when((pl.col("action") == Action.UPDATE.value) & ~pl.lit(changed))
            .then(pl.lit(Action.UNCHANGED.value))
            .otherwise("action")
        )
        whole = frame.with_columns(
            action.alias("action"), pl.lit("").alias("record_type"), pl.lit(None).alias("of_item")
        )
        if self._why_no_update:
            whole, columns = self._without_updates(whole, columns)
        return whole.select(pl.col(name).cast(kind) for name, kind in PLAN_SCHEMA.items()).with_columns(**columns)

    def _without_updates(
        self, frame: pl.DataFrame, columns: dict[str, pl.Series]
    ) -> tuple[pl.DataFrame, dict[str, pl.Series]]:
        """The same, where records that are there cannot be changed but for a file that is handed in for them."""
        files = {after(one.path) for one in self._type.fields if one.type is FieldType.FILE}
        sent = [column.is_not_null() for name, column in columns.items()
                if name.startswith(after("")) and name not in files]  # fmt: skip
        barred = frame["action"] == Action.UPDATE.value
        barred &= pl.select(pl.any_horizontal(pl.lit(pl.repeat(False, frame.height, eager=True)), *sent)).to_series()
        frame = frame.with_columns(
            action=pl.when(barred).then(pl.lit(Action.HELD.value)).otherwise("action"),
            reason=pl.when(barred).then(pl.lit(self._why_no_update)).otherwise("reason"),
        )
        return frame, {name: column.set(barred, None) for name, column in columns.items()}

    def _actions(self) -> list[pl.Expr]:
        """What happens to each record by what is found of it, and why where nothing is sent."""
        policy, count = self._policy, pl.col("count")
        cases: list[tuple[pl.Expr, Action, pl.Expr]] = [
            (pl.col("held").is_not_null(), Action.HELD, pl.col("held")),
            (pl.col("blank"), Action.HELD, pl.lit("the match key is blank")),
        ]
        # Where all that the site has goes first, nothing of it is met.
        if not policy.clear_first:
            cases.append((pl.col("several").is_not_null(), Action.HELD, pl.col("several")))
        on_none = {
            "skip": (Action.LEFT_OUT, "not on the site; policy: do not create"),
            "hold": (Action.HELD, "not on the site; policy: hold"),
        }
        on_one = {
            "skip": (Action.LEFT_OUT, "on the site already; policy: leave it"),
            "hold": (Action.HELD, "on the site already; policy: hold"),
        }
        there = pl.lit(False) if policy.clear_first else count > 0
        if policy.on_no_match in on_none:
            action, why = on_none[policy.on_no_match]
            cases.append((~there, action, pl.lit(why)))
        if policy.on_match in on_one:
            action, why = on_one[policy.on_match]
            cases.append((there, action, pl.lit(why)))
        cases += [(~there, Action.CREATE, pl.lit("")), (there, Action.UPDATE, pl.lit(""))]
        return [
            pl.coalesce(pl.when(when).then(pl.lit(action.value)) for when, action, _ in cases).alias("action"),
            pl.coalesce(pl.when(when).then(why) for when, _, why in cases).alias("reason"),
            *(pl.when(there).then(name).alias(name) for name in ("record_id", "etag", "page", "on_site")),
        ]

    def _changes(
        self, found: pl.DataFrame, values: AnyMapping[str, pl.Series], creates: pl.Series, updates: pl.Series
    ) -> tuple[dict[str, pl.Series], pl.Series]:
        """The columns before and after of all fields, and which records change in any."""
        there = updates.arg_true()
        nothing = pl.repeat(None, found.height, dtype=pl.String, eager=True)
        columns: dict[str, pl.Series] = {}
        changed = pl.repeat(False, found.height, dtype=pl.Boolean, eager=True)
        for path, texts in values.items():
            field = self._type.field(path)
            new = texts.fill_null("null") if field.required and field.nullable else texts
            new = new.set(~creates, None)
            was = nothing
            if len(there) and self._policy.of_field(path).write != "never":
                # What is never given back is told by nobody.
                told = found[before(path)] if before(path) in found.columns else nothing.fill_null("null")
                before_it = told.gather(there)
                will_be = self._written(field, before_it, texts.gather(there))
                # What is never given back is left alone, unless somebody has said otherwise.
                meant = field.write_only and path in self._policy.fields
                differs = will_be.is_not_null() & (will_be != "null" if meant else differ(field, before_it, will_be))
                at_places = there.filter(differs)
                if len(at_places):
                    was = nothing.scatter(at_places, before_it.filter(differs))
                    new = new.scatter(at_places, will_be.filter(differs))
                    changed = changed.scatter(at_places, True)
            if new.null_count() < len(new):
                columns |= {before(path): was, after(path): new}
            nothing = pl.repeat(None, found.height, dtype=pl.String, eager=True)
        return columns, changed

    def _written(self, field: Field, was: pl.Series, landed: pl.Series) -> pl.Series:
        """What a field of records that are on the site is written as by its policy, null where it is left alone."""
        policy, fed = self._policy.of_field(field.path), self._mapping.fields.get(field.path)
        if field.objects and policy.items == "as a whole" and landed.null_count() < len(landed):
            landed = self._over_those_there(field, was, landed)
        if policy.items != "as a whole" and landed.null_count() < len(landed):
            pairs = zip(was.to_list(), landed.to_list(), strict=True)
            landed = pl.Series([_combined(field, policy.items, one, other) for one, other in pairs], dtype=pl.String)
        # A blank leaves what the site has, or takes it away.
        blank = None if fed is None or fed.blank == "keep" else "null"
        written = landed if blank is None else landed.fill_null(blank)
        if policy.write == "if blank":
            written = written.set(~was.is_in(BLANK), None)
        return written

    def _over_those_there(self, field: Field, was: pl.Series, landed: pl.Series) -> pl.Series:
        """Lists of objects in which each object has what else it has on the site."""
        inside = {one.path for one in field.objects}
        fed = {one for one in inside if is_fed(self._mapping, f"{field.path}.{one}")}
        cleared = {one for one in fed if self._mapping.fields[f"{field.path}.{one}"].blank != "keep"}
        places = differ(field, was, landed).fill_null(False).arg_true()
        found = []
        for one, other in zip(was.gather(places), landed.gather(places), strict=True):
            there, given = loads(one or "null"), loads(other or "null")
            lists = isinstance(there, list) and isinstance(given, list)
            found.append(dumps(laid_on(field, there, given, fed, cleared)) if lists and there else other)
        return landed.scatter(places, pl.Series(found, dtype=pl.String)) if found else landed

    def _meant(self, field: Field, landed: Landed) -> list[Any]:
        """Of each distinct value of a link the ids of the records that it means, or the rows that will have them."""
        values = landed.distinct.values.to_list()
        return [self._known(field, meant(field, value, self.awaited)) for value in values]

    def _addressed(self, _field: Field, landed: Landed) -> list[Any]:
        """Of each distinct text itself, or its parts where the address of a record is not known yet."""

        def item_of(of_import: int, row: int) -> int:
            return self.awaited.item(Brought(of_import, row))

        return [None if text is None else said_of_text(text, item_of) for text in landed.distinct.values]

    def _known(self, field: Field, value: Any) -> Any:
        """A value with the id of the record that it means, where that of the row is on the site."""
        if isinstance(value, list):
            return [self._known(field, item) for item in value]
        return with_record(value, Known(self.known), field)


def _combined(field: Field, how: str, was: str, landed: str | None) -> str | None:
    """A list that the site has with what another has added to it, or taken from it."""
    if landed is None:
        return None
    there, given = loads(was) or [], loads(landed) or []
    if not isinstance(there, list) or not isinstance(given, list):
        return landed
    one = field.items or field

    def has(items: list[Any], wanted: Any) -> bool:
        if isinstance(wanted, dict):
            return any(same(field, [item], [wanted]) for item in items)
        return any(same(one, item, wanted) for item in items)

    if how == "add":
        return dumps([*there, *(item for item in given if not has(there, item))])
    return dumps([item for item in there if not has(given, item)])


def meant(field: Field, value: str | list[str] | None, awaited: Awaited) -> Any:
    """The id that a reference landed as, as its field takes it, or the item of the plan that will have one."""
    if value is None:
        return None
    if isinstance(value, list):
        return [meant(field, item, awaited) for item in value]
    if ROW_OF not in value:
        return as_id(field, value)
    return said_of_row(value, lambda of_import, row: awaited.item(Brought(of_import, row)))


class ChangedFields:
    """Counts which fields change in how many of the records that are updated, and in which."""

    def __init__(self) -> None:
        self._pairs: dict[str, Counter[tuple[str, str]]] = defaultdict(Counter)
        self._items: dict[str, list[pl.Series]] = defaultdict(list)

    def see(self, frame: pl.DataFrame) -> None:
        """Take some more records of the plan, those of its own record type."""
        own = (pl.col("record_type") == "") & pl.col("of_item").is_null()
        updated = own & (pl.col("action") == Action.UPDATE.value)
        for path in sent_paths(frame):
            columns = [ITEM, before(path), after(path)]
            changed = frame.lazy().filter(updated, pl.col(after(path)).is_not_null()).select(columns).collect()
            if not changed.height:
                continue
            self._items[path].append(changed[ITEM])
            pairs = changed.group_by(before(path), after(path)).len()
            for was, will_be, count in pairs.iter_rows():
                self._pairs[path][_shown(was), _shown(will_be)] += count
            if len(self._pairs[path]) > _PAIRS_KEPT:
                self._pairs[path] = Counter(dict(self._pairs[path].most_common(_PAIRS_KEPT // 2)))

    def items(self) -> Iterator[tuple[str, pl.Series]]:
        """Of each field the items that change in it, in order."""
        for path, parts in self._items.items():
            yield path, pl.concat(parts).sort()

    def done(self) -> list[FieldChange]:
        """The fields, the one that changes most first."""
        found = [
            FieldChange(
                field=path,
                records=sum(map(len, self._items[path])),
                examples=tuple((before, after, count) for (before, after), count in counter.most_common(3)),
            )
            for path, counter in self._pairs.items()
        ]
        return sorted(found, key=lambda change: (-change.records, change.field))


_PAIRS_KEPT = 200_000
"""As many different changes of a field are counted; of more the rarest so far are let go."""


def held_reasons(findings: pl.DataFrame, titles: AnyMapping[str, str]) -> dict[int, str]:
    """The first finding that holds each record, as a phrase; ``titles`` of fields by path."""
    blocking = findings.filter(holding()).unique("record", keep="first", maintain_order=True)
    return {
        record: f"{titles.get(field, field)} {message}".lstrip()
        for record, field, message in blocking.select("record", "field", "message").iter_rows()
    }


def _shown(text: str | None) -> str:
    value = None if text is None else loads(text)
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return "" if value is None else str(value)


def nothing_found(height: int) -> pl.DataFrame:
    """What is known of records none of which is on the site."""
    return pl.DataFrame({"count": pl.zeros(height, dtype=pl.Int64, eager=True)}).with_columns(
        pl.lit(None, dtype=kind).alias(name) for name, kind in FOUND_SCHEMA.items() if name != "count"
    )


def said_of_several(records: Iterable[str], count: int) -> str:
    """Why a record is held that means several on the site."""
    return f"{count:,} records on the site have this key: {', '.join(records)}"


def said_of_sharing(rows: Sequence[int]) -> str:
    """Why records are held that mean one and the same on the site."""
    others = ", ".join(f"{row:,}" for row in rows[:5])
    return (
        f"row{'' if len(rows) == 1 else 's'} {others} mean{'s' if len(rows) == 1 else ''} the same record on the site"
    )
