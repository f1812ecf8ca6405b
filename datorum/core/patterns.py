"""Regular expressions from people and from documents, by an engine whose time grows with the text only.

That engine (Rust's regex) cannot look around. A document's pattern may (ECMA-262, 22.2), and most that do can be said
without, since all that is asked is whether a text has it: what it looks ahead for behind its ``^`` is a pattern of its
own, and what it looks for before its start or behind its end is a part of it.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import polars as pl


class UnusablePattern(ValueError):
    """The text is no regular expression, or none that can be worked out in bounded time."""


@dataclass(frozen=True)
class Pattern:
    """What a text must match, and what it must not."""

    parts: tuple[tuple[str, bool], ...]

    def found_in(self, values: pl.Series) -> pl.Series:
        """Whether each of a String series has it; null for null."""
        return pl.select(
            pl.all_horizontal(
                pl.lit(values).str.contains(part) if wanted else ~pl.lit(values).str.contains(part)
                for part, wanted in self.parts
            ).alias(values.name)
        ).to_series()

    def is_in(self, text: str) -> bool:
        """Whether a text has it."""
        return bool(self.found_in(pl.Series([text])).item())


@lru_cache(maxsize=512)
def pattern(text: str) -> Pattern:
    """The pattern that a text writes. Raises UnusablePattern."""
    found = Pattern(tuple(_parts(text)))
    try:
        found.found_in(pl.Series([""]))
    except pl.exceptions.PolarsError as error:
        raise UnusablePattern(engine_says(error)) from None
    return found


def usable(text: str) -> None:
    """Whether the engine takes a text as it is, for replacing what it finds. Raises UnusablePattern."""
    try:
        pl.Series([""]).str.contains(text)
    except pl.exceptions.PolarsError as error:
        raise UnusablePattern(engine_says(error)) from None


def engine_says(error: pl.exceptions.PolarsError) -> str:
    """What is wrong with a pattern, by the one line of what the engine says that tells it; the others draw where."""
    lines = str(error).strip().splitlines()
    return next((line.removeprefix("error: ") for line in lines if line.startswith("error: ")), lines[0])


def _parts(text: str) -> list[tuple[str, bool]]:
    if text.startswith("(?<=") and not _has_choice(text):
        end = _closing(text)
        return [(f"(?:{text[4:end]})(?:{text[end + 1 :]})", True)]
    behind = text.rfind("(?=")
    if (
        behind > 0
        and text[behind - 1] != "\\"
        and not text.startswith("^(?")
        and not _has_choice(text)
        and _closing(text[behind:]) == _last(text, behind)
    ):
        return [(f"(?:{text[:behind]})(?:{text[behind + 3 : -1]})", True)]
    if not text.startswith(("^(?=", "^(?!")):
        return [(text, True)]
    parts: list[tuple[str, bool]] = []
    rest = text[1:]
    while rest.startswith(("(?=", "(?!")):
        end = _closing(rest)
        parts.append((f"^(?:{rest[3:end]})", rest[2] == "="))
        rest = rest[end + 1 :]
    return [*parts, (f"^{rest}", True)]


def _last(text: str, start: int) -> int:
    """The place of the last character, counted from ``start``."""
    return len(text) - start - 1


def _has_choice(text: str) -> bool:
    """Whether a pattern says one thing or another as a whole."""
    depth = at = 0
    while at < len(text):
        match text[at]:
            case "\\":
                at += 1
            case "(":
                depth += 1
            case ")":
                depth -= 1
            case "|" if depth == 0:
                return True
        at += 1
    return False


def _closing(text: str) -> int:
    """Where the group closes that a text begins with. Raises UnusablePattern."""
    depth, at, in_class = 0, 0, False
    while at < len(text):
        letter = text[at]
        if letter == "\\":
            at += 1
        elif in_class:
            in_class = letter != "]"
        elif letter == "[":
            in_class = True
        elif letter in "()":
            depth += 1 if letter == "(" else -1
            if not depth:
                return at
        at += 1
    raise UnusablePattern("a group of the pattern is never closed")
