"""How much one file may take while it is read."""

from __future__ import annotations

from pathlib import Path

from pydantic import BaseModel


class Allowance(BaseModel, frozen=True):
    """``memory`` in bytes, beside what a reader takes when it has nothing to read. ``seconds`` for any file, and a
    second more for every ``bytes_a_second`` of it; waiting for whoever takes the rows does not count. ``space`` in
    bytes for what is unpacked. ``at_once``: so many files are read at a time, and others wait."""

    memory: int = 2 * 1024**3
    seconds: float = 25.0
    bytes_a_second: int = 40_000_000
    space: int = 8_000_000_000
    at_once: int = 3

    def seconds_for(self, path: Path) -> float:
        """The time for one file."""
        return self.seconds + path.stat().st_size / self.bytes_a_second
