"""Calculate with a number."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from datorum.core.forms import Menu, asked
from datorum.core.formula import number_to_text
from datorum.core.steps.step import Step

_SAYS = {
    "add": "Add {}",
    "subtract": "Subtract {}",
    "multiply": "Multiply by {}",
    "divide": "Divide by {}",
    "round": "Round to {} decimals",
}
_OFFERED = {
    "add": "add", "subtract": "subtract", "multiply": "multiply by", "divide": "divide by",
    "round": "round to decimals",
}  # fmt: skip
_SIGNS = {"add": "+", "subtract": "-", "multiply": "*", "divide": "/"}


class Arithmetic(Step, frozen=True):
    """A number plus, minus, times or divided by another, or rounded half away from zero."""

    menu: ClassVar[Menu] = Menu("Calculate", "Numbers", "multiply divide add round")
    kind: Literal["arithmetic"] = "arithmetic"
    operation: Annotated[Literal["add", "subtract", "multiply", "divide", "round"], asked("do", options=_OFFERED)] = (
        "multiply"
    )
    number: Annotated[float, Field(ge=-1e15, le=1e15, allow_inf_nan=False), asked("number")] = 1.0

    def sentence(self) -> str:
        return _SAYS[self.operation].format(number_to_text(self.number))

    def formula(self, value: str) -> str:
        number = number_to_text(self.number)
        if self.operation == "round":
            return f'IF({value}="";"";ROUND({value};{number}))'
        return f'IF({value}="";"";{value}{_SIGNS[self.operation]}{number})'
