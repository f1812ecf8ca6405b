"""Units in what columns and fields are called: “Weight (kg)” for a field that is in grams."""

from __future__ import annotations

import re
from typing import NamedTuple

from datorum.core.model import Field


class _Unit(NamedTuple):
    of: str
    """What is measured."""
    size: float
    """In grams, millimetres, millilitres."""


_UNITS = {
    "mg": _Unit("mass", 0.001), "g": _Unit("mass", 1), "gr": _Unit("mass", 1), "gram": _Unit("mass", 1),
    "grams": _Unit("mass", 1), "gramm": _Unit("mass", 1), "kg": _Unit("mass", 1000), "kilo": _Unit("mass", 1000),
    "kilogram": _Unit("mass", 1000), "kilograms": _Unit("mass", 1000), "kilogramm": _Unit("mass", 1000),
    "lb": _Unit("mass", 453.59237), "lbs": _Unit("mass", 453.59237), "pounds": _Unit("mass", 453.59237),
    "oz": _Unit("mass", 28.349523125), "ounces": _Unit("mass", 28.349523125),
    "mm": _Unit("length", 1), "millimetres": _Unit("length", 1), "millimeters": _Unit("length", 1),
    "cm": _Unit("length", 10), "centimetres": _Unit("length", 10), "centimeters": _Unit("length", 10),
    "metres": _Unit("length", 1000), "meters": _Unit("length", 1000), "inch": _Unit("length", 25.4),
    "inches": _Unit("length", 25.4),
    "ml": _Unit("volume", 1), "cl": _Unit("volume", 10), "dl": _Unit("volume", 100), "litre": _Unit("volume", 1000),
    "litres": _Unit("volume", 1000), "liter": _Unit("volume", 1000), "liters": _Unit("volume", 1000),
}  # fmt: skip
"""Those that are never anything else beside a name: an “m” or an “in” is."""


def factor(header: str, field: Field) -> float:
    """What a column's numbers are to be multiplied by for a field; 1 where either names no unit, or not one of the same
    kind."""
    here = _unit_in(header)
    there = _unit_in(field.path) or _unit_in(field.title) or _unit_in(field.description)
    if here is None or there is None or here.of != there.of:
        return 1.0
    return here.size / there.size


def _unit_in(text: str) -> _Unit | None:
    """The one unit that a text names."""
    words = re.findall(r"[a-z]+", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", text).lower())
    found = {_UNITS[word] for word in words if word in _UNITS}
    return found.pop() if len(found) == 1 else None
