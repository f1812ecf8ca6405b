"""How much work formulas may do, in units that are the same on every machine."""

from __future__ import annotations

from datorum.core.formula.fault import BAD_VALUE, FormulaFault

ROW = 200_000
"""As many units may one formula take in one row."""
_CHARACTERS = 500
"""As many characters handled are as much work as one part of a formula."""


class Budget:
    """Units of work that may still be done: one for each part of a formula, one for some hundred characters handled.

    What is spent of it is spent of the budget ``within`` which it is, too.
    """

    def __init__(self, units: int = ROW, within: Budget | None = None) -> None:
        self._left = units
        self._within = within

    def spend(self, characters: int = 0) -> None:
        """One part of a formula, and what it handles. Raises FormulaFault where nothing is left."""
        self._left -= 1 + characters // _CHARACTERS
        if self._left < 0:
            raise FormulaFault(BAD_VALUE, "the formula would take too long")
        if self._within is not None:
            self._within.spend(characters)
