"""Take HTML off, or clean it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from datorum.core.formula import quoted
from datorum.core.steps.step import Step


class Html(Step, frozen=True):
    """HTML as plain text, or cut down to allowed tags, free of scripts and page-builder wrappers."""

    kind: Literal["html"] = "html"
    to: Literal["text", "clean"] = "clean"
    tags: Annotated[str, Field(max_length=1000)] = ""

    def sentence(self) -> str:
        if self.to == "text":
            return "Take the HTML off"
        return f"Clean the HTML, keeping {self.tags}" if self.tags else "Clean the HTML"

    def formula(self, value: str) -> str:
        if self.to == "text":
            return f"STRIPTAGS({value})"
        return f"CLEANHTML({value};{quoted(self.tags)})" if self.tags else f"CLEANHTML({value})"
