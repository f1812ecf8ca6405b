"""The records of other types that a plan makes first, since links mean them and find none."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from collections.abc import Mapping as AnyMapping
from dataclasses import replace
from typing import Any, NamedTuple

import polars as pl

from datorum.core.check.making import Maker
from datorum.core.files import file_meant
from datorum.core.link import KeyTable, LinkTarget, key_table, row_meant
from datorum.core.link.keys import ROW_OF
from datorum.core.model import Action, Change, FieldType, PlanRow
from datorum.core.plan.awaited import Awaited
from datorum.core.plan.plan import meant
from datorum.core.typed import as_json, typed


class Made(NamedTuple):
    """``rows`` of the plan, those above first; their items count down from -1, as no row of the sheet has them.
    ``tables``: by the path of each link the keys by which it finds them."""

    rows: list[PlanRow]
    tables: dict[str, KeyTable]

    def found_by(self, targets: AnyMapping[str, LinkTarget]) -> dict[str, LinkTarget]:
        """Whom links mean, now that it is known what is made for them."""
        return {path: replace(target, tables=(*target.tables, self.tables[path])) if path in self.tables else target
                for path, target in targets.items()}  # fmt: skip

    def needed(self, meant: Collection[int]) -> list[PlanRow]:
        """Those that are meant, and those above them."""
        wanted = set(meant)
        for row in reversed(self.rows):
            if row.item in wanted:
                wanted |= {number for change in row.changes.values() if (number := row_meant(change.after)) is not None}
        return [row for row in self.rows if row.item in wanted]


def made_for(makers: Iterable[Maker], awaited: Awaited) -> Made:
    """What is made for links, each record once however many of them mean it; some of it may stand below what is
    ``awaited`` of other imports."""
    numbers: dict[tuple[str, str], int] = {}
    rows: list[PlanRow] = []
    tables: dict[str, KeyTable] = {}
    for maker in makers:
        told = maker.made().filter(pl.col("why").is_null())
        to, shown = maker.target.to, maker.making.shown
        # Where nothing is named there are no columns either.
        columns = {path: told[f"field {path}"] for path in maker.fields if told.height}
        values = {path: as_json(maker.fields[path], typed(maker.fields[path], column))
                  for path, column in columns.items()}  # fmt: skip
        contents = next((columns[path] for path in columns if maker.fields[path].type is FieldType.FILE), None)
        for at, one in enumerate(told.iter_rows(named=True)):
            content = file_meant(contents[at]) if contents is not None else None
            if content is not None and (known := numbers.get((to, content.sha256))):
                # The same file by another name is handed in once.
                numbers[to, one["key"]] = known
            if (to, one["key"]) not in numbers:
                number = -len(rows) - 1
                numbers[to, one["key"]] = number
                if content is not None:
                    numbers[to, content.sha256] = number
                above = numbers.get((to, one["above"] or ""))
                has = {path: column[at] for path, column in values.items()}
                rows.append(_row(maker, one, has, number, above, awaited))
        references = [f"{ROW_OF}{numbers[to, key]}" for key in told["key"]]
        if shown:
            takes = told[f"field {shown}"] if f"field {shown}" in told.columns else told["key"]
            references = [f"{value}{ROW_OF}{text}" for value, text in zip(references, takes, strict=True)]
        tables[maker.path] = key_table("made", "to be made", told["key"], pl.Series(references, dtype=pl.String))
    return Made(rows, tables)


def _row(
    maker: Maker, one: dict[str, str | None], has: dict[str, Any], number: int, above: int | None, awaited: Awaited
) -> PlanRow:
    making = maker.making
    changes = {}
    for path, value in has.items():
        field = making.record_type.field(path)
        if value is not None or (field.required and field.nullable):
            changes[path] = Change(after=value)
    over = f"{ROW_OF}{above}" if above is not None else one["known"]
    if making.above and over is not None:
        changes[making.above] = Change(after=meant(making.record_type.field(making.above), over, awaited))
    key = one[f"field {maker.target.keys[0].path}"]
    return PlanRow(item=number, action=Action.CREATE, key=key, changes=changes, record_type=maker.target.to)
