"""JSON as text, whole numbers exact however long they are."""

from __future__ import annotations

import json
import re
from typing import Any

import orjson

_LONG = re.compile(r"\d{19}")


def dumps(value: Any) -> str:
    """A value as JSON, without white space between its parts."""
    try:
        return orjson.dumps(value).decode()
    except TypeError:
        # A whole number of more than 64 bits, or half of a pair of surrogates, for which a question mark stands.
        text = json.dumps(value, ensure_ascii=False, separators=(",", ":"))
        return text.encode("utf-8", "replace").decode()


_FEWEST = 19
"""No number of more than 64 bits has fewer digits."""


def loads(text: str | bytes) -> Any:
    """The value of a JSON text."""
    if len(text) >= _FEWEST and isinstance(text, str) and _LONG.search(text):
        return json.loads(text)
    return orjson.loads(text)
