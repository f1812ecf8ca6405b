"""The speed of a formula: the same meaning over a whole column.

What the rules below cover becomes Polars expressions. Every expression comes with a mask of the rows it does not vouch
for: those whose text is no plain number, whose result is an error, and the like. Those rows, and formulas that no rule
covers, go to the interpreter, over distinct cells only. So the compiler can be narrow and still never be wrong.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal as Choice
from typing import NamedTuple

import polars as pl

from datorum.core.formula.fault import FormulaFault
from datorum.core.formula.interpret import check_names, evaluate
from datorum.core.formula.lists import Gathered, sees_lists
from datorum.core.formula.scope import THIS, Scope
from datorum.core.formula.syntax import Binary, Call, Column, Literal, Node, Unary, columns_of, parts_of
from datorum.core.formula.values import Value, number_to_text

Kind = Choice["number", "text", "logical"]
_NEVER = pl.lit(False)
_SLIP = 4.440892098500626e-16
_ROW, _VALUE, _ODD = "\0row", "\0value", "\0odd"
_LARGEST = 200
"""A formula of more parts goes to the interpreter: an expression so deep would take the engine's stack."""
_PLAIN_NUMBER = r"^[+-]?[0-9]{1,15}(\.[0-9]{0,15})?$"


class FormulaColumn(NamedTuple):
    """One formula over all rows.

    ``values``: String, what lands: a number in at most 15 digits, a truth value as true or false, null for blank or
    error. ``faults``: String, what is wrong as ``code sentence``, else null.
    """

    values: pl.Series
    faults: pl.Series


@dataclass(frozen=True)
class _Compiled:
    """An expression of one kind; null is a blank cell. ``odd`` marks the rows that the interpreter must judge."""

    kind: Kind
    value: pl.Expr
    odd: pl.Expr
    is_column: bool = False


class _NoRule(Exception):
    """The compiler has no rule for a part of the formula."""


def _over_lists(frame: pl.DataFrame, node: Node, scope: Scope) -> FormulaColumn:
    gathered = Gathered(frame, node, scope, formula_column)
    found = formula_column(gathered.frame, gathered.node, scope)
    wrong = gathered.faults.is_not_null()
    return FormulaColumn(found.values.set(wrong, None), gathered.faults.zip_with(wrong, found.faults))


def formula_column(frame: pl.DataFrame, node: Node, scope: Scope) -> FormulaColumn:
    """A formula over a frame of String columns; a column that is missing makes every row an error.

    ``scope`` gives all but the cells and the row number, which is taken from the frame where it has one. A column of
    lists stands for all of its values in functions of any number of them.
    """
    try:
        check_names(node, set(frame.columns))
        if sees_lists(frame, node):
            return _over_lists(frame, node, scope)
        if sum(1 for _ in parts_of(node)) > _LARGEST:
            raise _NoRule
        compiled = _compile(node)
    except FormulaFault as fault:
        return _everywhere(frame.height, f"{fault.code} {fault.message}")
    except _NoRule:
        return _interpreted(frame, node, scope)
    found = frame.with_columns(compiled.value.alias(_VALUE), compiled.odd.fill_null(True).alias(_ODD))
    odd = found[_ODD]
    values = landed_text(found.select(pl.when(~pl.col(_ODD)).then(pl.col(_VALUE)).alias(_VALUE)).to_series())
    faults = pl.repeat(None, frame.height, dtype=pl.String, eager=True)
    if odd.any():
        rest = _interpreted(frame.filter(odd), node, scope)
        places = odd.arg_true()
        values = values.scatter(places, rest.values)
        faults = faults.scatter(places, rest.faults)
    return FormulaColumn(values, faults)


def landed(value: Value) -> str | None:
    """A value in the plain spelling in which it lands."""
    if value is None or value == "":
        return None
    if isinstance(value, bool):
        return "true" if value else "false"
    return value if isinstance(value, str) else number_to_text(value)


def landed_text(values: pl.Series) -> pl.Series:
    """Values of one kind in the plain spelling in which they land; an empty text is blank."""
    if values.dtype == pl.Boolean:
        return pl.select(pl.when(values).then(pl.lit("true")).when(~values).then(pl.lit("false"))).to_series()
    if values.dtype == pl.Float64:
        whole = (values == values.floor()) & (values.abs() < 1e15)
        plain = values.set(~whole.fill_null(False), None).cast(pl.Int64).cast(pl.String)
        parts = values.filter(~whole.fill_null(True)).unique()
        texts = pl.Series([number_to_text(part) for part in parts], dtype=pl.String)
        return plain.fill_null(values.replace_strict(parts, texts, default=None, return_dtype=pl.String))
    return values.cast(pl.String).replace("", None)


def _everywhere(height: int, fault: str) -> FormulaColumn:
    return FormulaColumn(
        pl.repeat(None, height, dtype=pl.String, eager=True), pl.repeat(fault, height, dtype=pl.String, eager=True)
    )


def _interpreted(frame: pl.DataFrame, node: Node, scope: Scope) -> FormulaColumn:
    """Through the interpreter, once for each distinct set of the cells that the formula sees."""
    columns = list(columns_of(node))
    columns += [
        name
        for function, name in (("ROWNUMBER", _ROW), ("THIS", THIS))
        if _calls(node, function) and name in frame.columns and name not in columns
    ]
    if not columns:
        value, fault = _judge({}, node, scope)
        return FormulaColumn(
            pl.repeat(value, frame.height, dtype=pl.String, eager=True),
            pl.repeat(fault, frame.height, dtype=pl.String, eager=True),
        )
    distinct = frame.select(columns).unique(maintain_order=True)
    judged = [_judge(dict(zip(columns, cells, strict=True)), node, scope) for cells in distinct.iter_rows()]
    answers = distinct.with_columns(
        pl.Series("\0value", [value for value, _ in judged], dtype=pl.String),
        pl.Series("\0fault", [fault for _, fault in judged], dtype=pl.String),
    )
    joined = frame.select(columns).join(answers, on=columns, how="left", nulls_equal=True, maintain_order="left")
    return FormulaColumn(joined["\0value"], joined["\0fault"])


def _judge(cells: dict[str, Value], node: Node, scope: Scope) -> tuple[str | None, str | None]:
    row = int(cells.pop(_ROW, None) or scope.row)
    try:
        return landed(evaluate(node, replace(scope, cells=cells, row=row))), None
    except FormulaFault as fault:
        return None, f"{fault.code} {fault.message}"


def _calls(node: Node, name: str) -> bool:
    return any(isinstance(part, Call) and part.name == name for part in parts_of(node))


def _compile(node: Node) -> _Compiled:
    """The expression of a tree. Raises _NoRule where a part of it has none."""
    match node:
        case Literal(value) if isinstance(value, bool):
            return _Compiled("logical", _constant(value), _NEVER)
        case Literal(value) if isinstance(value, str):
            return _Compiled("text", _constant(value), _NEVER)
        case Literal(value) if value is not None:
            return _Compiled("number", _constant(float(value)), _NEVER)
        case Call("THIS", ()):
            return _compile(Column(THIS, node.at))
        case Column(name):
            return _Compiled("text", pl.when(pl.col(name) != "").then(pl.col(name)), _NEVER, is_column=True)
        case Unary(operator, operand):
            number = _number(_compile(operand))
            if operator == "+":
                return number
            changed = -number.value if operator == "-" else number.value / 100
            return replace(number, value=changed)
        case Binary("&", left, right):
            return _joined([_compile(left), _compile(right)])
        case Binary(operator, left, right) if operator in _ARITHMETIC:
            return _arithmetic(operator, _number(_compile(left)), _number(_compile(right)))
        case Binary(operator, left, right) if operator in _ORDER:
            return _compared(operator, _compile(left), _compile(right))
        case Call(name, arguments) if name in _RULES:
            return _RULES[name](arguments)
    raise _NoRule


def _constant(value: float | str | bool) -> pl.Expr:
    # A literal of length 1 on the left of a comparison makes Polars 2.1 answer with one row for a column of nulls.
    return pl.repeat(value, pl.len())


def _any(*masks: pl.Expr) -> pl.Expr:
    found = masks[0]
    for mask in masks[1:]:
        found = found | mask
    return found


def _number(of: _Compiled) -> _Compiled:
    """As a number: blank is 0; a text that is no plain number is odd."""
    if of.kind == "number":
        return of
    if of.kind == "logical":
        return _Compiled("number", of.value.cast(pl.Float64), of.odd)
    plain = of.value.str.contains(_PLAIN_NUMBER)
    value = pl.when(plain).then(of.value).cast(pl.Float64, strict=False).fill_null(0.0)
    empty = _NEVER if of.is_column else (of.value == "")
    return _Compiled("number", value, of.odd | ~plain.fill_null(True) | empty.fill_null(False))


def _text(of: _Compiled) -> _Compiled:
    """As a text: blank is empty. Numbers have a spelling of their own, which the interpreter gives."""
    if of.kind != "text":
        raise _NoRule
    return _Compiled("text", of.value.fill_null(""), of.odd)


def _logical(of: _Compiled) -> _Compiled:
    if of.kind == "text":
        raise _NoRule
    return of if of.kind == "logical" else _Compiled("logical", of.value != 0, of.odd)


_ARITHMETIC: dict[str, Callable[[pl.Expr, pl.Expr], pl.Expr]] = {
    "+": lambda left, right: left + right,
    "-": lambda left, right: left - right,
    "*": lambda left, right: left * right,
    "/": lambda left, right: left / right,
}


def _arithmetic(operator: str, left: _Compiled, right: _Compiled) -> _Compiled:
    value = _ARITHMETIC[operator](left.value, right.value)
    return _Compiled("number", value, _any(left.odd, right.odd, ~value.is_finite()))


_ORDER: dict[str, Callable[[pl.Expr, pl.Expr], pl.Expr]] = {
    "=": lambda left, right: left == right,
    "<>": lambda left, right: left != right,
    "<": lambda left, right: left < right,
    "<=": lambda left, right: left <= right,
    ">": lambda left, right: left > right,
    ">=": lambda left, right: left >= right,
}


def _compared(operator: str, left: _Compiled, right: _Compiled) -> _Compiled:
    if left.kind != right.kind:
        # A cell beside a number is the number it says; other mixtures are rare enough for the interpreter.
        if left.is_column and right.kind == "number":
            left = _number(left)
        elif right.is_column and left.kind == "number":
            right = _number(right)
        else:
            raise _NoRule
    if left.kind == "text":
        if left.is_column and right.is_column:
            raise _NoRule
        left, right = _lower(_text(left)), _lower(_text(right))
    return _Compiled("logical", _ORDER[operator](left.value, right.value), left.odd | right.odd)


def _lower(of: _Compiled) -> _Compiled:
    # The last sigma of a word has a small letter of its own, which engines tell by different rules.
    return _Compiled("text", of.value.str.to_lowercase(), of.odd | of.value.str.contains("Σ"))


def _joined(parts: Sequence[_Compiled]) -> _Compiled:
    texts = [_text(part) for part in parts]
    return _Compiled("text", pl.concat_str([text.value for text in texts]), _any(*(text.odd for text in texts)))


def _whole(node: Node, least: int) -> int:
    """A written whole number, of which alone some rules make expressions."""
    if not isinstance(node, Literal) or not isinstance(node.value, float) or isinstance(node.value, bool):
        raise _NoRule
    if node.value != int(node.value) or not least <= node.value <= 1_000_000:
        raise _NoRule
    return int(node.value)


def _written(node: Node) -> str:
    if not isinstance(node, Literal) or not isinstance(node.value, str):
        raise _NoRule
    return node.value


def _on_text(change: Callable[[pl.Expr], pl.Expr], odd: str | None = None) -> Callable[[Sequence[Node]], _Compiled]:
    """A rule that changes one text; ``odd`` is a pattern of the texts that it does not vouch for."""

    def rule(arguments: Sequence[Node]) -> _Compiled:
        of = _text(_compile(arguments[0]))
        return _Compiled("text", change(of.value), of.odd | of.value.str.contains(odd) if odd else of.odd)

    return rule


def _on_number(change: Callable[[pl.Expr], pl.Expr]) -> Callable[[Sequence[Node]], _Compiled]:
    def rule(arguments: Sequence[Node]) -> _Compiled:
        of = _number(_compile(arguments[0]))
        return _Compiled("number", change(of.value), of.odd)

    return rule


def _if(arguments: Sequence[Node]) -> _Compiled:
    condition = _logical(_compile(arguments[0]))
    branches = [_compile(one) for one in arguments[1:]] or [_Compiled("logical", _constant(True), _NEVER)]
    if len(branches) == 1:
        branches.append(_Compiled("logical", _constant(False), _NEVER))
    then, otherwise = branches
    if then.kind != otherwise.kind:
        raise _NoRule
    return _Compiled(
        then.kind,
        pl.when(condition.value).then(then.value).otherwise(otherwise.value),
        condition.odd | pl.when(condition.value).then(then.odd).otherwise(otherwise.odd),
    )


def _all_of(combine: Callable[[Sequence[pl.Expr]], pl.Expr]) -> Callable[[Sequence[Node]], _Compiled]:
    def rule(arguments: Sequence[Node]) -> _Compiled:
        conditions = [_logical(_compile(one)) for one in arguments]
        return _Compiled("logical", combine([c.value for c in conditions]), _any(*(c.odd for c in conditions)))

    return rule


def _not(arguments: Sequence[Node]) -> _Compiled:
    of = _logical(_compile(arguments[0]))
    return replace(of, value=~of.value)


def _is_blank(arguments: Sequence[Node]) -> _Compiled:
    of = _compile(arguments[0])
    if not of.is_column:
        raise _NoRule
    return _Compiled("logical", of.value.is_null(), of.odd)


def _slice(arguments: Sequence[Node]) -> _Compiled:
    of = _text(_compile(arguments[0]))
    return replace(of, value=of.value.str.slice(_whole(arguments[1], 1) - 1, _whole(arguments[2], 0)))


def _end(head: bool) -> Callable[[Sequence[Node]], _Compiled]:
    def rule(arguments: Sequence[Node]) -> _Compiled:
        of = _text(_compile(arguments[0]))
        length = _whole(arguments[1], 0) if len(arguments) > 1 else 1
        if length == 0:
            return replace(of, value=pl.when(of.value.is_not_null()).then(pl.lit("")))
        return replace(of, value=of.value.str.head(length) if head else of.value.str.tail(length))

    return rule


def _substitute(arguments: Sequence[Node]) -> _Compiled:
    if len(arguments) != 3 or not _written(arguments[1]):
        raise _NoRule
    of = _text(_compile(arguments[0]))
    return replace(of, value=of.value.str.replace_all(_written(arguments[1]), _written(arguments[2]), literal=True))


def _length(arguments: Sequence[Node]) -> _Compiled:
    of = _text(_compile(arguments[0]))
    return _Compiled("number", of.value.str.len_chars().cast(pl.Float64), of.odd)


def _value(arguments: Sequence[Node]) -> _Compiled:
    of = _compile(arguments[0])
    if of.kind == "logical":
        raise _NoRule
    return _number(of)


def _round(arguments: Sequence[Node]) -> _Compiled:
    """In the very operations of ``rounding.rounded``."""
    of = _number(_compile(arguments[0]))
    digits = _whole(arguments[1], 0) if len(arguments) > 1 else 0
    if digits > 15:
        raise _NoRule
    scale = 10.0**digits
    scaled = of.value.abs() * scale
    near = (scaled + 0.5 + scaled * _SLIP).floor() / scale
    signed = pl.when(of.value < 0).then(-near).otherwise(near)
    return replace(of, value=pl.when(scaled >= 1e15).then(of.value).otherwise(signed))


def _default(arguments: Sequence[Node]) -> _Compiled:
    of, otherwise = _compile(arguments[0]), _compile(arguments[1])
    if of.kind != "text" or otherwise.kind != "text":
        raise _NoRule
    blank = (of.value.str.strip_chars() == "").fill_null(True)
    return _Compiled(
        "text",
        pl.when(blank).then(otherwise.value).otherwise(of.value),
        of.odd | (blank & otherwise.odd),
    )


# Latin letters alone are cased alike by every engine, down to their titles.
_NOT_LATIN = r"[^\x00-\x7F\u{A0}-\u{017E}]|\u{149}"

_RULES: dict[str, Callable[[Sequence[Node]], _Compiled]] = {
    "IF": _if,
    "AND": _all_of(pl.all_horizontal),
    "OR": _all_of(pl.any_horizontal),
    "NOT": _not,
    "ISBLANK": _is_blank,
    "TRIM": _on_text(lambda text: text.str.replace_all(r"  +", " ").str.strip_chars(" ")),
    "COLLAPSE": _on_text(
        lambda text: text.str.replace_all(r"[ \t\u{a0}]+", " ").str.strip_chars(), r"[\x1c-\x1f]"
    ),
    "LOWER": _on_text(lambda text: text.str.to_lowercase(), "Σ"),
    "UPPER": _on_text(lambda text: text.str.to_uppercase(), _NOT_LATIN),
    "PROPER": _on_text(lambda text: text.str.to_titlecase(), _NOT_LATIN),
    "SENTENCECASE": _on_text(
        lambda text: text.str.head(1).str.to_uppercase() + text.str.slice(1).str.to_lowercase(), _NOT_LATIN
    ),
    "LEFT": _end(head=True),
    "RIGHT": _end(head=False),
    "MID": _slice,
    "SUBSTITUTE": _substitute,
    "CONCATENATE": lambda arguments: _joined([_compile(one) for one in arguments]),
    "CONCAT": lambda arguments: _joined([_compile(one) for one in arguments]),
    "LEN": _length,
    "VALUE": _value,
    "ROUND": _round,
    "ABS": _on_number(lambda number: number.abs()),
    "INT": _on_number(lambda number: number.floor()),
    "DEFAULT": _default,
}  # fmt: skip
