"""Formulas that see what a record holds several of: ``SUM([lines.Qty]*[lines.Price])``.

A column of lists stands for all of its values where a function takes any number of them, and for the first elsewhere.
What such a function is given is worked out for each object, with what stands in its record beside it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

import polars as pl

from datorum.core.formula.fault import FormulaFault
from datorum.core.formula.function import FUNCTIONS
from datorum.core.formula.scope import Scope
from datorum.core.formula.syntax import Binary, Call, Column, Node, Unary, columns_of
from datorum.core.formula.values import Value, number_to_text

LISTED = pl.List(pl.String)
_AT = "\0at"
WorkOut = Callable[[pl.DataFrame, Node, Scope], tuple[pl.Series, pl.Series]]
"""A formula over a frame of plain columns: its values, and what is wrong."""


def sees_lists(frame: pl.DataFrame, node: Node) -> bool:
    """Whether a formula sees a column of lists."""
    return any(frame.schema.get(name) == LISTED for name in columns_of(node))


def gathered_in(node: Node) -> set[str]:
    """The columns that stand only within functions of any number of values, so that they may be all of a list's."""
    within: set[str] = set()
    outside: set[str] = set()

    def walk(part: Node, gathering: bool) -> None:
        match part:
            case Column(name):
                (within if gathering else outside).add(name)
            case Call(name, arguments):
                repeats = name in FUNCTIONS and FUNCTIONS[name].repeats
                for one in arguments:
                    walk(one, gathering or (repeats and len(arguments) == 1) or name in _OF_MANY)
            case Binary(_, left, right):
                walk(left, gathering)
                walk(right, gathering)
            case Unary(_, operand):
                walk(operand, gathering)

    walk(node, False)
    return within - outside


_OF_MANY = {"TEXTJOIN"}


class Gathered:
    """A formula over a frame with columns of lists, as one over a frame of plain columns."""

    def __init__(self, frame: pl.DataFrame, node: Node, scope: Scope, work_out: WorkOut) -> None:
        self._listed = {name for name in columns_of(node) if frame.schema.get(name) == LISTED}
        self._whole, self._scope, self._work_out = frame, scope, work_out
        self._added: dict[str, pl.Series] = {}
        self.faults = pl.repeat(None, frame.height, dtype=pl.String, eager=True)
        """What is wrong with what is gathered."""
        self.node = self._plain(node)
        first = [pl.col(name).list.first() for name in self._listed]
        self.frame = frame.with_columns(*first, **self._added)

    def _plain(self, node: Node) -> Node:
        match node:
            case Call(name, arguments) if name in FUNCTIONS and FUNCTIONS[name].repeats and self._sees(node):
                return self._gather(node, arguments)
            case Call(_, arguments):
                return replace(node, arguments=tuple(self._plain(one) for one in arguments))
            case Binary(_, left, right):
                return replace(node, left=self._plain(left), right=self._plain(right))
            case Unary(_, operand):
                return replace(node, operand=self._plain(operand))
        return node

    def _sees(self, node: Node) -> bool:
        return not self._listed.isdisjoint(columns_of(node))

    def _gather(self, call: Call, arguments: tuple[Node, ...]) -> Node:
        """A function of all the values of its arguments, worked out for each record, as a column of its own."""
        called = FUNCTIONS[call.name]
        least = sum(not parameter.optional for parameter in called.parameters)
        given = [self._values_of(one) for one in arguments]
        texts: list[str | None] = []
        faults: list[str | None] = []
        for row in range(self._whole.height):
            values: list[Value] = [value for one in given for value in one[row]]
            values += [None] * (least - len(values))
            try:
                texts.append(_text(called.call([partial(_given, value) for value in values], self._scope)))
                faults.append(None)
            except FormulaFault as fault:
                texts.append(None)
                faults.append(f"{fault.code} {fault.message}")
        name = f"\0gathered {len(self._added)}"
        self._added[name] = pl.Series(texts, dtype=pl.String)
        wrong = pl.Series(faults, dtype=pl.String)
        self.faults = self.faults.zip_with(self.faults.is_not_null(), wrong)
        return Column(name, call.at)

    def _values_of(self, node: Node) -> list[list[str | None]]:
        """The values of an argument by record: one, or one for each object."""
        if not self._sees(node):
            plain = self._whole.drop([name for name, kind in self._whole.schema.items() if kind == LISTED])
            values, faults = self._work_out(plain, node, self._scope)
            self.faults = self.faults.zip_with(self.faults.is_not_null(), faults)
            return [[value] for value in values]
        seen = [name for name in columns_of(node) if name in self._listed]
        other = [name for name, kind in self._whole.schema.items() if kind == LISTED and name not in seen]
        frame = self._whole.drop(other).with_columns(pl.int_range(pl.len()).alias(_AT))
        objects = frame.filter(pl.col(seen[0]).list.len() > 0).explode(seen)
        values, faults = self._work_out(objects.drop(_AT), node, self._scope)
        found: list[list[str | None]] = [[] for _ in range(self._whole.height)]
        told: list[str | None] = [None] * self._whole.height
        for at, value, fault in zip(objects[_AT], values, faults, strict=True):
            found[at].append(value)
            told[at] = told[at] or fault
        self.faults = self.faults.zip_with(self.faults.is_not_null(), pl.Series(told, dtype=pl.String))
        return found


def _given(value: Value) -> Value:
    return value


def _text(value: Value) -> str | None:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, int | float):
        return number_to_text(float(value))
    return value
