"""What one version of a mapping says otherwise than another, in words."""

from __future__ import annotations

from collections.abc import Iterator

from pydantic import BaseModel

from datorum.core.model import FieldMapping, LinkRule, Mapping, ValueTable


class Difference(BaseModel, frozen=True):
    """One thing that differs. ``field`` is empty for what concerns the mapping as a whole."""

    field: str
    what: str
    before: str
    after: str


def differences(before: Mapping, after: Mapping) -> list[Difference]:
    """Everything that lands, leaves out or matches otherwise, field by field."""
    found: list[Difference] = []
    for path in dict.fromkeys([*before.fields, *after.fields]):
        found += _of_field(path, before.fields.get(path) or FieldMapping(), after.fields.get(path) or FieldMapping())
    whole = (
        ("records", _shape(before), _shape(after)),
        ("match key", " and ".join(before.keys), " and ".join(after.keys)),
        ("columns left out", ", ".join(before.left_out), ", ".join(after.left_out)),
        ("rows that go on", _rows(before), _rows(after)),
        ("parameters", _pairs(before.parameters), _pairs(after.parameters)),
    )
    found += [Difference(field="", what=what, before=old, after=new) for what, old, new in whole if old != new]
    for path in dict.fromkeys([*before.links, *after.links]):
        old, new = _link(before.links.get(path)), _link(after.links.get(path))
        if old != new:
            found.append(Difference(field=path, what="link", before=old, after=new))
    for path in dict.fromkeys([*before.addresses, *after.addresses]):
        led = [one.sentence() if one else "" for one in (before.addresses.get(path), after.addresses.get(path))]
        if led[0] != led[1]:
            found.append(Difference(field=path, what="old addresses", before=led[0], after=led[1]))
    for name in dict.fromkeys([*before.tables, *after.tables]):
        tables = before.tables.get(name) or ValueTable(), after.tables.get(name) or ValueTable()
        found += _of_table("", f"value table “{name}”", *tables)
    return found


def _of_field(path: str, before: FieldMapping, after: FieldMapping) -> Iterator[Difference]:
    parts = (
        ("fed by", _feed(before), _feed(after)),
        ("steps", _steps(before), _steps(after)),
        ("named value table", before.table or "", after.table or ""),
        ("when blank", before.blank, after.blank),
    )
    for what, old, new in parts:
        if old != new:
            yield Difference(field=path, what=what, before=old, after=new)
    yield from _of_table(path, "value table", before.value_table or ValueTable(), after.value_table or ValueTable())


def _of_table(path: str, what: str, before: ValueTable, after: ValueTable) -> Iterator[Difference]:
    for value in dict.fromkeys([*before.pairs, *after.pairs]):
        old, new = before.pairs.get(value), after.pairs.get(value)
        if old != new:
            yield Difference(field=path, what=f"{what}: {value}", before=_pair(old), after=_pair(new))
    if (before.otherwise, before.other) != (after.otherwise, after.other):
        yield Difference(field=path, what=f"{what}: anything else", before=_otherwise(before), after=_otherwise(after))


def _feed(fed: FieldMapping) -> str:
    if fed.columns:
        return " + ".join(fed.columns)
    return f"“{fed.constant}” for every row" if fed.constant is not None else ""


def _steps(fed: FieldMapping) -> str:
    return "; ".join(step.sentence() for step in fed.steps)


def _rows(mapping: Mapping) -> str:
    rows = mapping.rows
    phrases = [f" {'and' if rows.match == 'all' else 'or'} ".join(one.sentence() for one in rows.conditions)]
    phrases += [rows.formula.strip(), f"without the first {rows.skip:,}" if rows.skip else ""]
    phrases += [f"the first {rows.first:,}" if rows.first is not None else ""]
    return "; ".join(part for part in phrases if part)


def _shape(mapping: Mapping) -> str:
    return "; ".join(shape.sentence() for shape in mapping.shape)


def _link(rule: LinkRule | None) -> str:
    return rule.sentence() if rule is not None else ""


def _pairs(pairs: dict[str, str]) -> str:
    return ", ".join(f"{name} = {value}" for name, value in pairs.items())


def _pair(site_value: str | None) -> str:
    return "not set" if site_value is None else site_value or "left blank"


def _otherwise(table: ValueTable) -> str:
    otherwise = {"hold": "held", "keep": "kept as it is", "blank": "left blank", "set": f"“{table.other}”"}
    return otherwise[table.otherwise]
