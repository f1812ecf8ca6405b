"""Shortcodes: what a page builder puts in brackets into a text, for its site alone to make something of."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection
from typing import Literal, NamedTuple

_CODE = re.compile(r"\[(/?)([A-Za-z][A-Za-z0-9_-]{0,60})((?:\s[^\[\]<]{0,2000})?/?)\]")
_GIVEN = re.compile(r"[\w-]+\s*=")
_BUILT = re.compile(r"[a-z0-9][_-][a-z0-9]", re.IGNORECASE)

Treatment = Literal["off", "out", "keep"]
"""What becomes of a shortcode: its brackets are taken ``off`` and what stands between them stays, it is taken ``out``
with that, or it is kept."""


class Shortcode(NamedTuple):
    """One shortcode in a text, from ``begins`` to ``ends``: its name in small letters, and whether it ends another."""

    begins: int
    ends: int
    name: str
    closing: bool


def shortcodes_in(text: str) -> list[Shortcode]:
    """The shortcodes of a text, in order. A word in brackets is one where it gives something a value, ends itself or is
    ended, or is written as a name of several parts; any other is text, such as ``[sic]``."""
    if "[" not in text:
        return []
    found = list(_CODE.finditer(text))
    ended = {one[2].lower() for one in found if one[1]}
    codes = []
    for one in found:
        name, given = one[2].lower(), one[3]
        ends_itself = given.rstrip().endswith("/")
        if name in ended or _GIVEN.search(given) or (_BUILT.search(name) and not given.strip()) or ends_itself:
            codes.append(Shortcode(one.start(), one.end(), name, bool(one[1])))
    return codes


def _ends(codes: list[Shortcode]) -> dict[int, int]:
    """Where what each of some shortcodes holds ends, by its place among them, of those that are ended."""
    found: dict[int, int] = {}
    next_end: dict[str, int] = {}
    for place in range(len(codes) - 1, -1, -1):
        one = codes[place]
        if one.closing:
            next_end[one.name] = one.ends
        elif one.name in next_end:
            found[place] = next_end[one.name]
    return found


def names_of(text: str) -> Counter[str]:
    """How often each shortcode begins in a text."""
    return Counter(one.name for one in shortcodes_in(text) if not one.closing)


def treated(
    text: str, others: Treatment, *, keep: Collection[str] = (), out: Collection[str] = (), off: Collection[str] = ()
) -> str:
    """A text with its shortcodes dealt with by their names, in small letters, and all ``others`` alike."""
    codes = shortcodes_in(text)
    by_name: dict[str, Treatment] = {**dict.fromkeys(off, "off"), **dict.fromkeys(out, "out"),
                                     **dict.fromkeys(keep, "keep")}  # fmt: skip
    ended_at = _ends(codes)
    kept, at = [], 0
    for place, one in enumerate(codes):
        how = by_name.get(one.name, others)
        if how == "keep" or one.begins < at:
            continue
        ends = ended_at.get(place, one.ends) if how == "out" else one.ends
        kept.append(text[at : one.begins])
        at = ends
    return "".join([*kept, text[at:]])
