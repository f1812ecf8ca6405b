"""The meaning of a formula: one row in, one value out. Small, scalar and obvious; the compiler is held to it."""

from __future__ import annotations

import difflib
import math
from collections.abc import Callable
from dataclasses import replace

from datorum.core.formula.budget import ROW, Budget
from datorum.core.formula.fault import (
    BAD_NUMBER,
    BAD_REFERENCE,
    BAD_VALUE,
    DIVIDED_BY_ZERO,
    UNKNOWN_NAME,
    FormulaFault,
)  # fmt: skip
from datorum.core.formula.function import FUNCTIONS, Function
from datorum.core.formula.scope import Scope
from datorum.core.formula.syntax import (
    Binary,
    Call,
    Column,
    ErrorValue,
    Literal,
    Node,
    Unary,
    columns_of,
    parse,
    parts_of,
)
from datorum.core.formula.values import Value, compare, read_number, to_number, to_text


def interpret(text: str, scope: Scope) -> Value:
    """The value of a formula over one row. Raises FormulaFault with an error value, a sentence and a place."""
    node = parse(text)
    check_names(node)
    return evaluate(node, scope)


def evaluate(node: Node, scope: Scope) -> Value:
    """The value of a tree, for which a row's work is done at most. Raises FormulaFault."""
    return _evaluate(node, replace(scope, budget=Budget(ROW, within=scope.budget)))


def _evaluate(node: Node, scope: Scope) -> Value:
    assert scope.budget is not None
    try:
        value = _value(node, scope)
        scope.budget.spend(len(value) if isinstance(value, str) else 0)
    except FormulaFault as fault:
        raise fault.placed(node.at) from None
    except (OverflowError, RecursionError):
        raise FormulaFault(BAD_NUMBER, "the result is out of range", node.at) from None
    except (ValueError, ArithmeticError):
        raise FormulaFault(BAD_VALUE, "it cannot be worked out for this value", node.at) from None
    if isinstance(value, int | float) and not isinstance(value, bool):
        value = float(value)
        if not math.isfinite(value):
            raise FormulaFault(BAD_NUMBER, "the result is out of range", node.at)
    return value


def check_names(node: Node, columns: set[str] | None = None) -> None:
    """Raise FormulaFault for a function that does not exist or is called wrongly, or a column that is not there."""
    for part in parts_of(node):
        match part:
            case Call(name, arguments, at):
                known_function(name, at).check_count(arguments, at)
            case Column(name, at) if columns is not None and name not in columns:
                raise no_such_column(name, columns, at)


def known_function(name: str, at: int) -> Function:
    """A function by name. Raises #NAME?, with the nearest name there is."""
    # Other writers of the standard put a namespace in front of newer names.
    found = FUNCTIONS.get(name) or FUNCTIONS.get(name.rpartition(".")[2] if name.startswith("COM.") else name)
    if found is None:
        near = difflib.get_close_matches(name, FUNCTIONS, n=1, cutoff=0.7)
        meant = f"; {near[0]} is near" if near else ""
        raise FormulaFault(UNKNOWN_NAME, f"there is no function {name}{meant}", at)
    return found


def no_such_column(name: str, columns: set[str], at: int) -> FormulaFault:
    """#REF!, with the nearest column there is."""
    near = difflib.get_close_matches(name, columns, n=1, cutoff=0.6)
    meant = f"; [{near[0]}] is near" if near else ""
    return FormulaFault(BAD_REFERENCE, f"there is no column [{name}]{meant}", at)


def _value(node: Node, scope: Scope) -> Value:
    match node:
        case Literal(value):
            return value
        case Column(name, at):
            if name not in scope.cells:
                raise no_such_column(name, set(scope.cells), at)
            cell = scope.cells[name]
            return None if cell == "" else cell
        case ErrorValue(code, at):
            raise FormulaFault(code, f"{code} is written in the formula", at)
        case Unary(operator, operand):
            number = to_number(_evaluate(operand, scope))
            return -number if operator == "-" else number / 100 if operator == "%" else number
        case Binary():
            return _chain(node, scope)
        case Call(name, arguments, at):
            found = known_function(name, at)
            found.check_count(arguments, at)
            return found.call([lambda one=one: _evaluate(one, scope) for one in arguments], scope)  # type: ignore[misc]


def _chain(node: Binary, scope: Scope) -> Value:
    """``a + b + c …`` from the left, however long: each operator is worked out, not gone into."""
    budget = scope.budget
    assert budget is not None
    behind = [node]
    while isinstance(behind[-1].left, Binary):
        behind.append(behind[-1].left)
    value = _evaluate(behind[-1].left, scope)
    for one in reversed(behind):
        right = _evaluate(one.right, scope)
        try:
            value = _OPERATORS[one.operator](*_sides(one.operator, one, value, right))
        except FormulaFault as fault:
            raise fault.placed(one.at) from None
        if isinstance(value, str):
            budget.spend(len(value))
    return value


def _sides(operator: str, node: Binary, left: Value, right: Value) -> tuple[Value, Value]:
    """Cells are text; one that is compared with a number is compared as the number it says, where it says one."""
    if operator in _COMPARISONS:
        if isinstance(node.left, Column) and _is_number(right):
            left = _as_number(left)
        if isinstance(node.right, Column) and _is_number(left):
            right = _as_number(right)
    return left, right


def _is_number(value: Value) -> bool:
    return isinstance(value, float | int) and not isinstance(value, bool)


def _as_number(value: Value) -> Value:
    if not isinstance(value, str):
        return value
    try:
        return read_number(value)
    except FormulaFault:
        return value


def divide(left: float, right: float) -> float:
    """Raises #DIV/0!."""
    if right == 0:
        raise FormulaFault(DIVIDED_BY_ZERO, "the divisor is 0")
    return left / right


def power(base: float, exponent: float) -> float:
    """Raises #NUM! where there is no real result. 0^0 is 1."""
    if base == 0 and exponent < 0:
        raise FormulaFault(DIVIDED_BY_ZERO, "0 has no negative power")
    result = base**exponent
    if isinstance(result, complex):
        raise FormulaFault(BAD_NUMBER, "a negative number has no such power")
    return float(result)


def _numbers(work: Callable[[float, float], float]) -> Callable[[Value, Value], Value]:
    return lambda left, right: work(to_number(left), to_number(right))


_COMPARISONS: dict[str, Callable[[int], bool]] = {
    "=": lambda order: order == 0,
    "<>": lambda order: order != 0,
    "<": lambda order: order < 0,
    "<=": lambda order: order <= 0,
    ">": lambda order: order > 0,
    ">=": lambda order: order >= 0,
}
_OPERATORS: dict[str, Callable[[Value, Value], Value]] = {
    "+": _numbers(lambda left, right: left + right),
    "-": _numbers(lambda left, right: left - right),
    "*": _numbers(lambda left, right: left * right),
    "/": _numbers(divide),
    "^": _numbers(power),
    "&": lambda left, right: to_text(left) + to_text(right),
} | {sign: (lambda left, right, holds=holds: holds(compare(left, right))) for sign, holds in _COMPARISONS.items()}

__all__ = ["check_names", "columns_of", "divide", "evaluate", "interpret", "known_function", "power"]
