"""What stands where a kept step can no longer be used."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from datorum.core.forms import Menu
from datorum.core.steps.step import Step


class Unusable(Step, frozen=True):
    """A step that was kept, and that this Datorum would not keep: it holds its rows and says why until somebody removes
    it, so that what was kept always opens. ``was`` is the step as it was kept, as JSON."""

    menu: ClassVar[Menu] = Menu("Cannot be used", "Anything else")
    kind: Literal["unusable"] = "unusable"
    was: Annotated[str, Field(max_length=50_000)] = ""
    why: Annotated[str, Field(max_length=1_000)] = ""

    def sentence(self) -> str:
        return f"Cannot be used: {self.why}"

    def formula(self, value: str) -> str:
        return f'IF({value}="";"";NA())'

    def problem(self, value: str) -> str:
        return f"needs a step that cannot be used: {self.why}"
