"""Signs in cells that part nothing: those within web addresses, times, dates and numbers."""

from __future__ import annotations

import re
from collections.abc import Collection, Sequence

_WHOLES = re.compile(
    r"(?i)\b[a-z][a-z0-9+.-]*://[^\s,;|]+"  # a web address
    r"|\S+@\S+\.\w+"
    r"|\b\d{1,2}:\d{2}(?::\d{2})?\b"  # a time
    r"|\b\d{1,4}[./-]\d{1,2}[./-]\d{1,4}\b"  # a date
    r"|\b\d+(?:[.,:/]\d+)+\b"  # a number, a share
)


def parting(cells: Collection[str], separators: Sequence[str]) -> list[str]:
    """Those of some separators that stand in any of some cells outside of what is one."""
    bare = [_WHOLES.sub("", cell) for cell in cells]
    return [one for one in separators if any(one in cell for cell in bare)]
