"""Functions of text (ISO/IEC 26300-2, 6.20)."""

from __future__ import annotations

import codecs
import re
import unicodedata

from datorum.core.formula.fault import bad_value
from datorum.core.formula.function import function
from datorum.core.formula.number_format import format_value
from datorum.core.formula.rounding import rounded
from datorum.core.formula.values import Value, read_number, shown, to_text

_GROUP = "Text"
LONGEST = 1_000_000
"""As long as a text can grow in a formula."""
_WILDCARDS = 255
"""As long as a text with wildcards can be."""


def _start(start: int) -> int:
    if start < 1:
        raise bad_value("places in a text are counted from 1")
    return start - 1


def _length(length: int) -> int:
    if length < 0:
        raise bad_value("a length is 0 or more")
    return length


@function(_GROUP)
def left(text: str, length: int = 1) -> str:
    """The first characters of a text."""
    return text[: _length(length)]


@function(_GROUP)
def right(text: str, length: int = 1) -> str:
    """The last characters of a text."""
    return text[max(len(text) - _length(length), 0) :]


@function(_GROUP)
def mid(text: str, start: int, length: int) -> str:
    """So many characters from a place on, counted from 1."""
    return text[_start(start) : _start(start) + _length(length)]


@function(_GROUP)
def len_(text: str) -> float:
    """How many characters a text has."""
    return float(len(text))


@function(_GROUP)
def lower(text: str) -> str:
    """In lower case."""
    return text.lower()


@function(_GROUP)
def upper(text: str) -> str:
    """In upper case."""
    return text.upper()


@function(_GROUP)
def proper(text: str) -> str:
    """A capital at the start of each word."""
    out, inside = [], False
    for letter in text:
        out.append(letter.lower() if inside else letter.title())
        inside = letter.isalpha()
    return "".join(out)


@function(_GROUP)
def trim(text: str) -> str:
    """Without spaces around, and with one between words."""
    return " ".join(word for word in text.split(" ") if word)


@function(_GROUP)
def clean(text: str) -> str:
    """Without characters that cannot be printed."""
    return "".join(letter for letter in text if unicodedata.category(letter) not in ("Cc", "Cn"))


@function(_GROUP)
def concatenate(text: str, *more: str) -> str:
    """All texts one after the other."""
    bounded(sum(map(len, (text, *more))))
    return "".join((text, *more))


@function(_GROUP)
def concat(text: str, *more: str) -> str:
    """All texts one after the other."""
    bounded(sum(map(len, (text, *more))))
    return "".join((text, *more))


@function(_GROUP)
def textjoin(separator: str, skip_blank: bool, text: str, *more: str) -> str:
    """All texts with a separator between them, blank ones passed over if so wanted."""
    texts = [one for one in (text, *more) if one or not skip_blank]
    bounded(sum(map(len, texts)) + len(separator) * len(texts))
    return separator.join(texts)


@function(_GROUP)
def rept(text: str, count: int) -> str:
    """A text so many times over."""
    bounded(len(text) * _length(count))
    return text * count


@function(_GROUP)
def exact(left: str, right: str) -> bool:
    """TRUE if two texts are the same, case included."""
    return left == right


@function(_GROUP)
def find(wanted: str, text: str, start: int = 1) -> float:
    """Where a text stands in another, case included."""
    at = text.find(wanted, _start(start))
    if at < 0 or start > len(text) + 1:
        raise bad_value(f"“{shown(wanted)}” does not stand in the text")
    return at + 1.0


@function(_GROUP)
def search(wanted: str, text: str, start: int = 1) -> float:
    """Where a text stands in another in any case; ? is any character, * any number of them, ~ takes them literally."""
    if len(wanted) > _WILDCARDS:
        raise bad_value(f"a text with wildcards has {_WILDCARDS} characters at most")
    at = _start(start)
    first: int | None = None
    for piece in _between_stars(wanted):
        # Where the first piece stands first, the others are likeliest to follow: no other place need be tried.
        found = piece.search(text, at)
        if found is None or start > len(text) + 1:
            raise bad_value(f"“{shown(wanted)}” does not stand in the text")
        first = found.start() if first is None else first
        at = found.end()
    return (first or 0) + 1.0


def _between_stars(wanted: str) -> list[re.Pattern[str]]:
    """What stands between the *, as patterns of one length; an empty one where it begins with *."""
    pieces = [""]
    for part in re.findall(r"~[?*~]|\*+|\?|[^?*~]+|~", wanted):
        if part.startswith("*"):
            pieces.append("")
        else:
            pieces[-1] += "." if part == "?" else re.escape(part[1:] if part[0] == "~" and len(part) > 1 else part)
    return [re.compile(piece, re.IGNORECASE | re.DOTALL) for piece in pieces]


@function(_GROUP)
def substitute(text: str, old: str, new: str, which: Value = None) -> str:
    """One text put in the place of another, everywhere or at one occurrence."""
    if not old:
        return text
    if which is None:
        bounded(len(text) + text.count(old) * (len(new) - len(old)))
        return text.replace(old, new)
    number = int(read_number(to_text(which)))
    if number < 1:
        raise bad_value("occurrences are counted from 1")
    parts = text.split(old)
    if number >= len(parts):
        return text
    return old.join(parts[:number]) + new + old.join(parts[number:])


@function(_GROUP)
def replace(text: str, start: int, length: int, new: str) -> str:
    """Another text in the place of so many characters from a place on."""
    return text[: _start(start)] + new + text[_start(start) + _length(length) :]


@function(_GROUP)
def char(code: int) -> str:
    """The character with a code from 1 to 255 in Windows-1252."""
    if not 1 <= code <= 255:
        raise bad_value("a code is from 1 to 255")
    return bytes([code]).decode("cp1252", errors="replace")


@function(_GROUP)
def code(text: str) -> float:
    """The code of the first character in Windows-1252."""
    if not text:
        raise bad_value("the text is empty")
    return float(text[0].encode("cp1252", errors="replace")[0])


@function(_GROUP)
def unichar(code: int) -> str:
    """The character with a Unicode number."""
    if not 0 < code <= 0x10FFFF or 0xD800 <= code <= 0xDFFF:
        raise bad_value("there is no such character")
    return chr(code)


@function(_GROUP)
def unicode(text: str) -> float:
    """The Unicode number of the first character."""
    if not text:
        raise bad_value("the text is empty")
    return float(ord(text[0]))


@function(_GROUP)
def value(text: Value) -> float:
    """The number that a text says."""
    if isinstance(text, bool):
        raise bad_value("a truth value is no text")
    return read_number(text) if isinstance(text, str) else float(text or 0)


@function(_GROUP)
def numbervalue(text: str, decimal: str = ".", group: str = ",") -> float:
    """The number that a text says with a decimal mark and a grouping mark of one's own."""
    if len(decimal) != 1 or decimal in group:
        raise bad_value("the decimal mark is one character, and another than the grouping mark")
    trimmed = re.sub(r"\s", "", text)
    if not trimmed:
        return 0.0
    percents = len(trimmed) - len(trimmed.rstrip("%"))
    whole, mark, part = trimmed.rstrip("%").partition(decimal)
    for sign in group:
        if sign in part:
            raise bad_value("a grouping mark stands behind the decimal mark")
        whole = whole.replace(sign, "")
    if not re.fullmatch(r"[+-]?\d*(?:[eE][+-]?\d+)?", whole) or not re.fullmatch(r"\d*(?:[eE][+-]?\d+)?", part):
        raise bad_value(f"“{shown(text)}” is not a number")
    return read_number(whole + mark.replace(decimal, ".") + part) / 100.0**percents


@function(_GROUP)
def text(value: Value, format: str) -> str:
    """A value written by a pattern: TEXT(0.5; "0.00"), TEXT([Day]; "YYYY-MM-DD")."""
    return format_value(value, format)


@function(_GROUP)
def fixed(number: float, digits: int = 2, no_groups: bool = False) -> str:
    """A number as text with so many decimals, its thousands grouped unless told otherwise."""
    if abs(digits) > 127:
        raise bad_value("there are at most 127 digits")
    near = rounded(number, digits)
    return f"{near:{'' if no_groups else ','}.{max(digits, 0)}f}"


@function(_GROUP)
def dollar(number: float, digits: int = 2) -> str:
    """A number as an amount: $1,234.50."""
    amount = str(fixed(abs(number), digits))
    return f"-${amount}" if number < 0 else f"${amount}"


@function(_GROUP)
def t(value: Value) -> str:
    """A text as it is; anything else is an empty text."""
    return value if isinstance(value, str) else ""


@function(_GROUP)
def rot13(text: str) -> str:
    """Letters moved by 13 places in the alphabet."""
    return codecs.encode(text, "rot13")


def bounded(length: int) -> None:
    """Raise #VALUE! for a length that no text of a formula may have; it is known before the text is built."""
    if length > LONGEST:
        raise bad_value(f"the text grows beyond {LONGEST:,} characters")
