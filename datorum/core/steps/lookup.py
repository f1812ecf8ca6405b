"""A look into a named value table."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from datorum.core.forms import Menu, asked
from datorum.core.formula import quoted
from datorum.core.steps.step import RowStep

_OTHERWISE = {"hold": "hold its rows", "keep": "keep it as it is", "blank": "leave it blank"}


class Lookup(RowStep, frozen=True):
    """The site value that one of the mapping's named value tables has; what it lacks fails, stays, or goes blank."""

    menu: ClassVar[Menu] = Menu("Look up in a value table", "Codes and choices", "translate replace")
    kind: Literal["lookup"] = "lookup"
    table: Annotated[str, Field(max_length=200), asked("table", hint="the name of a value table of this mapping")] = ""
    otherwise: Annotated[Literal["hold", "keep", "blank"], asked("anything else", options=_OTHERWISE)] = "hold"

    def sentence(self) -> str:
        phrase = {"hold": "", "keep": ", else keep the value", "blank": ", else leave it blank"}[self.otherwise]
        return f"Look up in the value table “{self.table}”{phrase}"

    def formula(self, value: str) -> str:
        found = f"VALUETABLE({quoted(self.table)};{value})"
        missing = {"hold": found, "keep": f"IFNA({found};{value})", "blank": f'IFNA({found};"")'}[self.otherwise]
        # A blank value is looked up nowhere and stays blank.
        return f'IF({value}="";"";{missing})'

    def problem(self, value: str) -> str:
        return f"is not in the value table “{self.table}”"
