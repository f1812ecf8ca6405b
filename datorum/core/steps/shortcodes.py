"""Deal with shortcodes."""

from __future__ import annotations

import re
from typing import Annotated, ClassVar, Literal

from pydantic import Field

from datorum.core.forms import Menu, asked
from datorum.core.formula import quoted
from datorum.core.formula.shortcodes import Treatment
from datorum.core.steps.step import Step

_HOW = {
    "off": "take their brackets off, keep what stands between",
    "out": "take them out with what stands between",
    "keep": "keep them",
}
_Names = Annotated[str, Field(max_length=2000)]


class Shortcodes(Step, frozen=True):
    """What page builders put in brackets: each taken off, taken out with what it holds, or kept, by its name."""

    menu: ClassVar[Menu] = Menu("Shortcodes", "Web", "brackets page builder html remove keep")
    kind: Literal["shortcodes"] = "shortcodes"
    others: Annotated[Treatment, asked("all that are not named", options=_HOW)] = "off"
    keep: Annotated[_Names, asked("keep", hint="names, such as video, map")] = ""
    out: Annotated[_Names, asked("take out with what they hold", hint="names, such as advert, contact-form")] = ""
    off: Annotated[_Names, asked("take the brackets off", hint="names, such as row, column")] = ""

    def sentence(self) -> str:
        others = {"off": "Take shortcodes off", "out": "Take shortcodes out with what they hold",
                  "keep": "Keep shortcodes"}[self.others]  # fmt: skip
        named = (("keep", self.keep), ("take out with what they hold:", self.out), ("take off", self.off))
        return "; ".join([others, *(f"{how} {names}" for how, text in named if (names := ", ".join(_listed(text))))])

    def formula(self, value: str) -> str:
        named = [" ".join(_listed(text)) for text in (self.keep, self.out, self.off)]
        while named and not named[-1]:
            named.pop()
        return f"SHORTCODES({';'.join([value, quoted(self.others), *map(quoted, named)])})"


def _listed(names: str) -> list[str]:
    return re.findall(r"[A-Za-z][A-Za-z0-9_-]*", names)
