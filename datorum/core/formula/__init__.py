"""Formulas in the open standard OpenFormula (ISO/IEC 26300-2), over the columns of one row."""

from datorum.core.formula import functions  # noqa: F401 (registers the functions)
from datorum.core.formula.budget import Budget
from datorum.core.formula.compile import FormulaColumn, formula_column
from datorum.core.formula.fault import SYNTAX, FormulaFault
from datorum.core.formula.function import FUNCTIONS, Function
from datorum.core.formula.interpret import check_names, evaluate, interpret
from datorum.core.formula.lists import gathered_in
from datorum.core.formula.scope import THIS, Scope
from datorum.core.formula.syntax import Node, column_reference, columns_of, parse, quoted
from datorum.core.formula.values import Value, number_to_text

__all__ = [
    "FUNCTIONS",
    "SYNTAX",
    "THIS",
    "Budget",
    "FormulaColumn",
    "FormulaFault",
    "Function",
    "Node",
    "Scope",
    "Value",
    "check_names",
    "column_reference",
    "columns_of",
    "evaluate",
    "formula_column",
    "gathered_in",
    "interpret",
    "number_to_text",
    "parse",
    "quoted",
]
