"""What every reader of a format gives: whether it knows a file, the sheets in it, how to read one, and its rows."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from pydantic import BaseModel

from datorum.core.table.dialect import Dialect
from datorum.core.table.sheet import Limits, Reading


class SheetRef(BaseModel, frozen=True):
    """One sheet that a file offers. ``rows`` where they can be told without reading it; ``note`` for a person."""

    name: str
    rows: int | None = None
    note: str = ""


def nothing_kept() -> None:
    """What a reader lets go of that keeps nothing."""


def as_it_is(_: Path, dialect: Dialect) -> Dialect:
    """The lines of a format whose other parts say nothing of them."""
    return dialect


class Format(NamedTuple):
    """One format. ``knows`` sees the first bytes and the file's name; a reader opens the path itself."""

    name: str
    knows: Callable[[bytes, str], bool]
    sheets: Callable[[Path, Limits], tuple[SheetRef, ...]]
    guess: Callable[[Path, str], Dialect]
    read: Callable[[Path, Dialect, Limits], Reading]
    confidence: Callable[[Path, Dialect], float]
    forget: Callable[[], None] = nothing_kept
    """Lets go of what a reader keeps of a file while it is open."""
    lines: Callable[[Path, Dialect], Dialect] = as_it_is
    """A dialect with the header line and the footer that are likeliest under the rest of it."""


def certain(_: Path, __: Dialect) -> float:
    """The confidence of a format that says itself how it is to be read."""
    return 1.0
