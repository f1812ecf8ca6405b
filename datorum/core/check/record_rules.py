"""Rules on a record as a whole: those of the site's schema, and those that people add as formulas."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

import jsonschema_rs
import polars as pl

from datorum.core.check.findings import Where, findings_frame
from datorum.core.check.rules import LINEAR
from datorum.core.formula import FormulaFault, Scope, columns_of, formula_column, gathered_in, parse
from datorum.core.model import WHOLE_ROW, Field, FormulaRule, RecordType
from datorum.core.records.values import in_json, values_by_record
from datorum.core.steps.landing import Landed
from datorum.core.values import nest


class SchemaRules:
    """What the site's schema says of a record as a whole: ``if``, ``dependentRequired`` and their like."""

    def __init__(self, record_type: RecordType) -> None:
        self._type = record_type
        self._validator = _validator(record_type)

    def findings(
        self, where: Mapping[str | None, Where], fed: list[Field], landed: Mapping[str, Landed]
    ) -> Iterator[pl.DataFrame]:
        """The first rule that each record breaks, where the site has such rules."""
        if self._validator is None:
            return
        broken, says = [], []
        shown = {field.path: landed[field.path] for field in fed}
        for at, values in enumerate(values_by_record(where, self._type, shown, dict.fromkeys(shown, _as_it_is))):
            body = nest({path: value for path, value in values.items() if value is not None})
            error = next(self._validator.iter_errors(body), None)
            if error is not None:
                broken.append(at)
                says.append(f"breaks a rule of the site: {error.message}")
        if broken:
            yield findings_frame(where[None].gather(broken), WHOLE_ROW, "site's rule", None, says)


def formula_findings(
    where: Mapping[str | None, Where],
    record_type: RecordType,
    rule: FormulaRule,
    landed: Mapping[str, Landed],
    scope: Scope,
) -> Iterator[pl.DataFrame]:
    """The records for which a rule's formula is not TRUE, or the objects of a list that it sees; fields that nothing
    feeds count as blank.

    A formula that is an error for a record cannot tell, and warns.
    """
    paths = rule_fields(rule)
    place, frame = _seen(where, record_type, rule, paths, landed)
    found = formula_column(frame, parse(rule.formula), scope)
    field = paths[0] if paths and paths[0] in landed else WHOLE_ROW
    shown = (
        frame[field]
        if field and frame[field].dtype == pl.String
        else pl.repeat(None, len(place), dtype=pl.String, eager=True)
    )
    broken = found.values.is_in(["false", "0"]).fill_null(False) | (found.values.is_null() & found.faults.is_null())
    for wrong, says, blocks in (
        (broken, rule.sentence, rule.blocks),
        (found.faults.is_not_null(), f"cannot be held to the rule “{rule.sentence}”", False),
    ):
        if wrong.any():
            yield findings_frame(place.filter(wrong), field, rule.rule, shown.filter(wrong), says, blocks=blocks)


def _seen(
    where: Mapping[str | None, Where],
    record_type: RecordType,
    rule: FormulaRule,
    paths: list[str],
    landed: Mapping[str, Landed],
) -> tuple[Where, pl.DataFrame]:
    """What a rule sees, and where it stands: the records or, where it sees fields of a list, its objects, with what
    their record has beside each."""
    lists = {field.path: field.in_list for field in record_type.fields}
    gathered = {path for path in gathered_in(parse(rule.formula)) if lists.get(path)}
    inner = next((lists.get(path) for path in paths if lists.get(path) and path not in gathered), None)
    place = where[inner] if inner in where else where[None]
    frame = pl.DataFrame({"\0record": place.records})
    for path in paths:
        if path in gathered and inner is None:
            own = where[lists.get(path)].records
            nothing = pl.repeat(None, len(own), dtype=pl.String, eager=True)
            values = landed[path].values if path in landed else nothing
            by_record = (
                pl.DataFrame({"\0record": own, path: values}).group_by("\0record", maintain_order=True).agg(path)
            )
            column = frame.join(by_record, on="\0record", how="left", maintain_order="left")[path]
        elif path not in landed:
            column = pl.repeat(None, len(place), dtype=pl.String, eager=True)
        elif lists.get(path) == inner or len(landed[path].values) == len(place) == len(where[None]):
            column = landed[path].values
        else:
            own = where[lists.get(path)].records
            beside = pl.DataFrame({"\0record": own, path: landed[path].values}).unique("\0record", keep="first")
            column = frame.join(beside, on="\0record", how="left", maintain_order="left")[path]
        frame = frame.with_columns(column.alias(path))
    return place, frame


def rule_fields(rule: FormulaRule) -> list[str]:
    """The paths of the fields that a rule's formula sees, in order; none where it does not read."""
    try:
        return list(columns_of(parse(rule.formula)))
    except FormulaFault:
        return []


def _as_it_is(field: Field, landed: Landed) -> list[Any]:
    """The JSON value of each distinct value, and of one that is none of its type the text."""
    read = in_json(field, landed)
    return [text if value is None else value for text, value in zip(landed.distinct.values, read, strict=True)]


def _validator(record_type: RecordType) -> jsonschema_rs.Draft202012Validator | None:
    if record_type.other_keywords is None:
        return None
    try:
        return jsonschema_rs.Draft202012Validator(record_type.other_keywords, pattern_options=LINEAR)
    except (ValueError, jsonschema_rs.ValidationError):
        # A schema that is none cannot be held to; the site itself will judge.
        return None
