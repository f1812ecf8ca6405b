"""When … then …"""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import field_validator

from datorum.core.forms import Menu, asked
from datorum.core.steps.formula import Text, checked, with_this
from datorum.core.steps.step import RowStep


class When(RowStep, frozen=True):
    """Where a condition holds, another value; elsewhere the value so far. Both are formulas over the row."""

    menu: ClassVar[Menu] = Menu("When … then …", "Anything else", "if condition")
    kind: Literal["when"] = "when"
    condition: Annotated[Text, asked("when", hint='a formula, such as =[Country]="NO"', editor="formula")] = (
        '=THIS()=""'
    )
    then: Annotated[Text, asked("then", hint="a formula, such as =UPPER(THIS())", editor="formula")] = '=""'

    @field_validator("condition", "then")
    @classmethod
    def _reads(cls, text: str) -> str:
        return checked(text)

    def sentence(self) -> str:
        return f"When {self.condition.removeprefix('=')} then {self.then.removeprefix('=')}"

    def formula(self, value: str) -> str:
        return f"IF({with_this(self.condition, value)};{with_this(self.then, value)};{value})"
