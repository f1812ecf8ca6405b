"""“Surname, First” the other way round."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from datorum.core.forms import Menu, asked
from datorum.core.formula import quoted
from datorum.core.steps.step import Step


class SwapParts(Step, frozen=True):
    """What stands behind the first separator goes before what stands in front of it, with a space between them; a value
    without the separator stays."""

    menu: ClassVar[Menu] = Menu("Surname, First → First Surname", "People", "name")
    kind: Literal["swap_parts"] = "swap_parts"
    separator: Annotated[str, Field(min_length=1, max_length=20), asked("divided by")] = ","

    def sentence(self) -> str:
        return f"Put what stands behind “{self.separator}” first: “Corfield{self.separator} Ada” becomes “Ada Corfield”"

    def formula(self, value: str) -> str:
        at = quoted(self.separator)
        return f'COLLAPSE(TAKEPART({value};{at};"all but first")&" "&TAKEPART({value};{at};"first"))'
