"""A part of a web address."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from datorum.core.forms import Menu, asked
from datorum.core.formula import quoted
from datorum.core.steps.step import Step


class Slug(Step, frozen=True):
    """Lower case, no accents, hyphens between words; German letters as two where the language is ``de``."""

    menu: ClassVar[Menu] = Menu("Part of a web address", "Web", "permalink path")
    kind: Literal["slug"] = "slug"
    language: Annotated[str, Field(max_length=10), asked("language", hint="de writes ä as ae")] = ""

    def sentence(self) -> str:
        return "Write as a part of a web address, such as red-onion"

    def formula(self, value: str) -> str:
        return f"SLUG({value};{quoted(self.language)})"
