"""The number in a code."""

from __future__ import annotations

from typing import ClassVar, Literal

from datorum.core.forms import Menu
from datorum.core.formula import quoted
from datorum.core.steps.step import Step

# Digits in one place only, without the zeros that they begin with.
CODE = r"^[^0-9]*0*([0-9]{1,18})[^0-9]*$"


class TakeDigits(Step, frozen=True):
    """The digits of a code that has them in one place, without leading zeros: K-00042 is 42."""

    menu: ClassVar[Menu] = Menu("Take the digits of a code", "Numbers", "id member customer")
    kind: Literal["take_digits"] = "take_digits"

    def sentence(self) -> str:
        return "Take the digits: “K-00042” becomes “42”"

    def formula(self, value: str) -> str:
        return f'IF({value}="";"";IF(MATCHES({value};{quoted(CODE)});EXTRACT({value};{quoted(CODE)};1);NA()))'

    def problem(self, value: str) -> str:
        return "does not have its digits in one place"
