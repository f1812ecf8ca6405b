"""Add a text before or after a value."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from datorum.core.forms import Menu, asked
from datorum.core.formula import quoted
from datorum.core.steps.step import Step


class Affix(Step, frozen=True):
    """A value that is not blank gets a text in front of it, behind it, or both."""

    menu: ClassVar[Menu] = Menu("Add text before or after", "Text", "prefix suffix")
    kind: Literal["affix"] = "affix"
    before: Annotated[str, Field(max_length=1000), asked("before")] = ""
    behind: Annotated[str, Field(max_length=1000), asked("after")] = ""

    def sentence(self) -> str:
        phrase = [f"“{self.before}” before" if self.before else "", f"“{self.behind}” after" if self.behind else ""]
        return f"Add {' and '.join(part for part in phrase if part) or 'nothing to'} the value"

    def formula(self, value: str) -> str:
        return f'IF({value}="";"";{quoted(self.before)}&{value}&{quoted(self.behind)})'
