"""How figures are printed: median and spread, beside their anchor."""

from __future__ import annotations

import statistics
from collections.abc import Sequence


def report(name: str, values: Sequence[float], unit: str, bar: str) -> None:
    """One line: the median, the range, and the bar it is held to."""
    middle = statistics.median(values)
    print(f"{name:<46} {middle:10,.1f} {unit:<4} ({min(values):,.1f} to {max(values):,.1f})   bar: {bar}")
