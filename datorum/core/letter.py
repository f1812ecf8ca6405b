"""Texts with names in square brackets, which stand for what a record has."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

_NAME = re.compile(r"\[\[|\[([^\[\]]+)\]")
"""A name in square brackets; two opening ones stand for one that is meant."""


def names_in(text: str) -> list[str]:
    """The names that a text has, each once.

    >>> names_in("Dear [Name], see [[1] or [page]. [Name]!")
    ['Name', 'page']
    """
    return list(dict.fromkeys(found[1].strip() for found in _NAME.finditer(text) if found[1]))


def filled_in(text: str, values: Mapping[str, Any]) -> str:
    """A text with what its names stand for; ``values`` by the names as ``folded`` gives them. Raises KeyError.

    >>> filled_in("Dear [Name], see [[1].", {"name": "Ada"})
    'Dear Ada, see [1].'
    """

    def said(found: re.Match[str]) -> str:
        return "[" if found[1] is None else _shown(values[folded(found[1])])

    return _NAME.sub(said, text)


def folded(name: str) -> str:
    """A name as names are compared: in small letters, without blanks at its ends."""
    return name.strip().casefold()


def _shown(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list):
        return ", ".join(map(_shown, value))
    if isinstance(value, dict):
        return " ".join(_shown(one) for one in value.values())
    return "" if value is None else str(value)
