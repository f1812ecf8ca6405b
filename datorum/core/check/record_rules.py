"""Rules on a record as a whole: those of the site's schema, and those that people add as formulas."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import jsonschema_rs
import polars as pl

from datorum.core.check.findings import findings_frame
from datorum.core.check.rules import LINEAR
from datorum.core.formula import FormulaFault, Scope, columns_of, formula_column, parse
from datorum.core.model import WHOLE_ROW, Field, FormulaRule, RecordType
from datorum.core.steps.landing import Landed
from datorum.core.values import nest, to_json


class SchemaRules:
    """What the site's schema says of a record as a whole: ``if``, ``dependentRequired`` and their like."""

    def __init__(self, record_type: RecordType) -> None:
        self._type = record_type
        self._validator = _validator(record_type)

    def findings(self, rows: pl.Series, fed: list[Field], landed: Mapping[str, Landed]) -> Iterator[pl.DataFrame]:
        """The first rule that each row breaks, where the site has such rules."""
        if self._validator is None:
            return
        by_path = {field.path: landed[field.path].values.to_list() for field in fed}
        fields = {field.path: field for field in fed}
        broken, says = [], []
        for index, row in enumerate(rows):
            values = {path: _json(fields[path], column[index]) for path, column in by_path.items()}
            body = nest({path: value for path, value in values.items() if value is not None}, self._type.lists)
            error = next(self._validator.iter_errors(body), None)
            if error is not None:
                broken.append(row)
                says.append(f"breaks a rule of the site: {error.message}")
        if broken:
            yield findings_frame(pl.Series(broken, dtype=pl.Int64), WHOLE_ROW, "site's rule", None, says)


def formula_findings(
    rows: pl.Series, rule: FormulaRule, landed: Mapping[str, Landed], scope: Scope
) -> Iterator[pl.DataFrame]:
    """The rows for which a rule's formula is not TRUE; fields that nothing feeds count as blank.

    A formula that is an error for a row cannot tell, and warns.
    """
    paths = rule_fields(rule)
    frame = pl.DataFrame(
        {path: landed[path].values if path in landed else pl.repeat(None, len(rows), dtype=pl.String, eager=True)
         for path in paths} or {"\0row": rows.cast(pl.String)}
    )  # fmt: skip
    found = formula_column(frame, parse(rule.formula), scope)
    field = paths[0] if paths and paths[0] in landed else WHOLE_ROW
    shown = landed[field].values if field else pl.repeat(None, len(rows), dtype=pl.String, eager=True)
    broken = found.values.is_in(["false", "0"]).fill_null(False) | (found.values.is_null() & found.faults.is_null())
    for where, says, blocks in (
        (broken, rule.sentence, rule.blocks),
        (found.faults.is_not_null(), f"cannot be held to the rule “{rule.sentence}”", False),
    ):
        if where.any():
            yield findings_frame(rows.filter(where), field, rule.rule, shown.filter(where), says, blocks=blocks)


def rule_fields(rule: FormulaRule) -> list[str]:
    """The paths of the fields that a rule's formula sees, in order; none where it does not read."""
    try:
        return list(columns_of(parse(rule.formula)))
    except FormulaFault:
        return []


def _json(field: Field, text: str | None) -> object:
    try:
        return to_json(field, text)
    except (ValueError, ArithmeticError):
        return text


def _validator(record_type: RecordType) -> jsonschema_rs.Draft202012Validator | None:
    if record_type.other_keywords is None:
        return None
    try:
        return jsonschema_rs.Draft202012Validator(record_type.other_keywords, pattern_options=LINEAR)
    except (ValueError, jsonschema_rs.ValidationError):
        # A schema that is none cannot be held to; the site itself will judge.
        return None
