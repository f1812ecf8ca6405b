"""Amounts as people write them: currency text, grouping marks, either decimal mark."""

from __future__ import annotations

import re
import unicodedata

from datorum.core.formula.codes import currency_code

_DIGITS = re.compile(r"\d[\d.,'’\s\u00a0\u202f]*")
_BEFORE = re.compile(r"\s*(?P<first>[+\-−])?\s*(?P<currency>[^\d+\-−]*?)\s*(?P<last>[+\-−])?\s*")
_SHORT = frozenset("kr kč zł ft lei лв руб din den rsd fr sfr rs rp rm".split())
"""Short forms that people write for a currency and that are no sign, code or name of one."""
_SIGN = re.compile(r"[A-Z]{0,3}[$€£¥₹₽₩₺₴₪₫฿₦¢]")
_UNITS = frozenset("kg g mg t l dl cl ml m cm mm km pcs pc stk st stck stück шт %".split())
_SPACES = re.compile(r"[\s\u00a0\u202f'’]")


def plain_number(text: str, decimal: str) -> str | None:
    """``kr 1.204,50`` with a decimal comma is ``1204.50``; None where the text is no amount by that mark.

    Digits that are not grouped in threes are refused, since then the decimal mark was probably guessed wrong.
    """
    trimmed = text.strip()
    found = _DIGITS.search(trimmed)
    if found is None:
        return None
    digits = found.group().rstrip(" \t\u00a0\u202f'’")
    before, behind = trimmed[: found.start()], trimmed[found.start() + len(digits) :]
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
    """The sign among what stands before the digits, or None where it is more than a currency and a sign. What is no
    currency makes a code of the whole, such as K-00001, and its hyphen is no sign."""
    parts = _BEFORE.fullmatch(before)
    if parts is None or (parts["first"] and parts["last"]) or not is_currency(parts["currency"]):
        return None
    return "-" if (parts["first"] or parts["last"] or "+") != "+" else ""


def _only_currency(behind: str) -> bool:
    """Whether what stands behind the digits is a currency, or a unit: some word after a space, or a known one."""
    return (behind[:1].isspace() and _letters(behind)) or is_currency(behind) or behind.strip().lower() in _UNITS


def is_currency(text: str) -> bool:
    """Whether a text is nothing, or how a currency is written: its sign, code, name, or short form."""
    word = text.strip().rstrip(".").strip()
    return not word or _SIGN.fullmatch(word) is not None or word.lower() in _SHORT or currency_code(word) is not None


def _letters(text: str) -> bool:
    return all(mark.isspace() or mark == "." or unicodedata.category(mark)[0] == "L" for mark in text)
