"""Take HTML off, or clean it."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from datorum.core.forms import Menu, asked
from datorum.core.formula import quoted
from datorum.core.steps.step import Step


class Html(Step, frozen=True):
    """HTML as plain text, or cut down to allowed tags, free of scripts and page-builder wrappers."""

    menu: ClassVar[Menu] = Menu("Clean HTML", "Web", "tags markup text")
    kind: Literal["html"] = "html"
    to: Annotated[Literal["text", "clean"], asked("make it", options={"clean": "clean HTML", "text": "plain text"})] = (
        "clean"
    )
    tags: Annotated[
        str,
        Field(max_length=1000),
        asked("keep tags", hint="such as p, a, ul, li; empty keeps the usual ones"),
    ] = ""
    shortcodes: Annotated[
        Literal["off", "keep"], asked("shortcodes", options={"off": "take their brackets off", "keep": "keep them"})
    ] = "off"

    def sentence(self) -> str:
        if self.to == "text":
            return "Take the HTML off"
        kept = [self.tags] if self.tags else []
        kept += ["shortcodes"] if self.shortcodes == "keep" else []
        return f"Clean the HTML, keeping {' and '.join(kept)}" if kept else "Clean the HTML"

    def formula(self, value: str) -> str:
        if self.to == "text":
            return f"STRIPTAGS({value})"
        if self.shortcodes == "keep":
            return f'CLEANHTML({value};{quoted(self.tags)};"keep")'
        return f"CLEANHTML({value};{quoted(self.tags)})" if self.tags else f"CLEANHTML({value})"
