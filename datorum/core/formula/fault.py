"""What goes wrong in a formula, in the standard's own error values (ISO/IEC 26300-2, 4.6)."""

from __future__ import annotations

DIVIDED_BY_ZERO = "#DIV/0!"
NOT_AVAILABLE = "#N/A"
UNKNOWN_NAME = "#NAME?"
NO_INTERSECTION = "#NULL!"
BAD_NUMBER = "#NUM!"
BAD_REFERENCE = "#REF!"
BAD_VALUE = "#VALUE!"
SYNTAX = "#SYNTAX!"
"""Ours: the text is no formula at all. The standard leaves such texts to the application."""

ERROR_TYPES = (
    NO_INTERSECTION, DIVIDED_BY_ZERO, BAD_VALUE, BAD_REFERENCE, UNKNOWN_NAME, BAD_NUMBER, NOT_AVAILABLE,
)  # fmt: skip
"""In the order that ERROR.TYPE counts them, from 1."""


class FormulaFault(Exception):
    """An error value with its sentence, and the place in the formula's text (counted from 0) where it arose."""

    def __init__(self, code: str, message: str, at: int | None = None) -> None:
        super().__init__(message)
        self.code = code
        self.message = message
        self.at = at

    def placed(self, at: int) -> FormulaFault:
        """The same fault, at ``at`` unless it has a place already."""
        if self.at is None:
            self.at = at
        return self


def bad_value(message: str) -> FormulaFault:
    return FormulaFault(BAD_VALUE, message)


def bad_number(message: str) -> FormulaFault:
    return FormulaFault(BAD_NUMBER, message)
