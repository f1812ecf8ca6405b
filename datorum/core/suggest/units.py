"""Units in what columns and fields are called: “Weight (kg)” for a field that is in grams."""

from __future__ import annotations

import re
from collections.abc import Collection
from statistics import median
from typing import NamedTuple

from datorum.core.formula.amount import plain_number
from datorum.core.model import Field
from datorum.core.profile import ColumnProfile


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


class Change(NamedTuple):
    """What a column's numbers are to be multiplied by for a field, and why, in words."""

    times: float
    why: str = ""


NO_CHANGE = Change(1.0)


def change_of_unit(column: ColumnProfile, field: Field) -> Change:
    """From the unit that a column is in to that of a field, as far as they are named; where neither the column's header
    nor its values name one, by how large its numbers are."""
    there = unit_of(field)
    if there is None:
        return NO_CHANGE
    said_by = (("header names", _unit_in(column.name)), ("values name", _unit_of_values(column)))
    for what, here in said_by:
        if here is not None:
            return Change(here.size / there.size, f"its {what} another unit") if here.of == there.of else NO_CHANGE
    return _by_size(column, there)


def unit_of(field: Field) -> _Unit | None:
    """The unit that a field is in, as far as it is named."""
    return _unit_in(field.path) or _unit_in(field.title) or _unit_in(field.description)


def change_to_the_sites(column: ColumnProfile, of_site: Collection[float]) -> Change:
    """The same by the numbers that records of the site have: where those are as many times as large or small as one
    usual unit is of another."""
    here = _numbers(column)
    if min(len(here), len(of_site)) < _FEWEST:
        return NO_CHANGE
    middle, theirs = median(here), median(of_site)
    if middle <= 0 or theirs <= 0:
        return NO_CHANGE
    for times in _USUAL:
        if 1 / _ABOUT < theirs / middle / times < _ABOUT:
            larger = f"{times:,} times as large" if times > 1 else f"{1 / times:,.0f} times smaller"
            return Change(times, f"the site's own are about {larger}")
    return NO_CHANGE


_FEWEST, _ABOUT = 8, 2.2
_USUAL = (1000, 0.001)
"""Of kilograms and grams, litres and millilitres; a tenth and a tenfold are within what goods differ by."""


def _by_size(column: ColumnProfile, there: _Unit) -> Change:
    numbers = _numbers(column)
    if len(numbers) < _FEWEST:
        return NO_CHANGE
    middle, broken = median(numbers), 1 - column.whole_numbers
    for unit, times, is_so, why in (
        ("g", 1000.0, broken > 0.3 and middle < 50, "such numbers are kilograms, and no grams"),
        ("kg", 0.001, not broken and middle >= 100, "such numbers are grams, and no kilograms"),
        ("mm", 10.0, broken > 0.2 and middle < 300, "such numbers are centimetres, and no millimetres"),
        ("cm", 0.1, not broken and middle >= 300, "such numbers are millimetres, and no centimetres"),
    ):
        if there == _UNITS[unit] and is_so:
            return Change(times, why)
    return NO_CHANGE


def _numbers(column: ColumnProfile) -> list[float]:
    read = (plain_number(value, column.decimal or ".") for value, _ in column.top)
    return [float(one) for one in read if one is not None]


def _unit_of_values(column: ColumnProfile) -> _Unit | None:
    """The one unit that the values of a column have behind their numbers."""
    behind = {found[1].lower() for value, _ in column.top if (found := _BEHIND_A_NUMBER.search(value))}
    bare = any(_BEHIND_A_NUMBER.search(value) is None for value, _ in column.top)
    units = {_UNITS.get(word) for word in behind}
    return units.pop() if len(units) == 1 and not bare else None


_BEHIND_A_NUMBER = re.compile(r"\d\s*([A-Za-z]+)\.?\s*$")


def _unit_in(text: str) -> _Unit | None:
    """The one unit that a text names."""
    words = re.findall(r"[a-z]+", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", text).lower())
    found = {_UNITS[word] for word in words if word in _UNITS}
    return found.pop() if len(found) == 1 else None
