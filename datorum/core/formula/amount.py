"""Amounts as people write them: currency text, grouping marks, either decimal mark."""

from __future__ import annotations

import re
import unicodedata

_DIGITS = re.compile(r"\d[\d.,'’\s\u00a0\u202f]*")
_SPACES = re.compile(r"[\s\u00a0\u202f'’]")


def plain_number(text: str, decimal: str) -> str | None:
    """``kr 1.204,50`` with a decimal comma is ``1204.50``; None where the text is no amount by that mark.

    Digits that are not grouped in threes are refused, since then the decimal mark was probably guessed wrong.
    """
    trimmed = text.strip()
    found = _DIGITS.search(trimmed)
    if found is None:
        return None
    before, behind = trimmed[: found.start()], trimmed[found.end() :]
    digits = found.group().rstrip(" \t\u00a0\u202f'’")
    # The ",-" that Norwegian and German amounts end with.
    if behind.startswith("-") and digits.endswith(","):
        digits, behind = digits[:-1], behind[1:]
    sign = _sign(before)
    if sign is None or not _only_currency(behind):
        return None
    group = "," if decimal == "." else "."
    shape = rf"(?:\d+|\d{{1,3}}(?:{re.escape(group)}\d{{3}})+)(?:{re.escape(decimal)}\d+)?"
    digits = _SPACES.sub("", digits)
    if not re.fullmatch(shape, digits, re.ASCII):
        return None
    return sign + digits.replace(group, "").replace(decimal, ".")


def _sign(before: str) -> str | None:
    """The sign among what stands before the digits, or None where it is more than currency and a sign."""
    signs = [mark for mark in before if mark in "+-−"]
    rest = "".join(mark for mark in before if mark not in "+-−")
    if len(signs) > 1 or not _only_currency(rest):
        return None
    return "-" if signs and signs[0] != "+" else ""


def _only_currency(text: str) -> bool:
    return all(mark.isspace() or mark == "." or _is_currency(unicodedata.category(mark)) for mark in text)


def _is_currency(category: str) -> bool:
    """Letters and currency signs, by their Unicode categories."""
    return category == "Sc" or category.startswith("L")
