"""Whole web addresses."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from datorum.core.forms import Menu, asked
from datorum.core.formula import quoted
from datorum.core.steps.step import Step


class AbsoluteUrl(Step, frozen=True):
    """A web address made whole by the one that it is relative to."""

    menu: ClassVar[Menu] = Menu("Whole web address", "Web", "link picture")
    kind: Literal["absolute_url"] = "absolute_url"
    base: Annotated[str, Field(max_length=2000), asked("starting from")] = "https://"

    def sentence(self) -> str:
        return f"Make a whole web address, starting from {self.base}"

    def formula(self, value: str) -> str:
        return f"ABSOLUTEURL({value};{quoted(self.base)})"
