"""Values written by a pattern, as TEXT does (ISO/IEC 26300-2, 6.20.22; the patterns are those of 16.29.2's styles)."""

from __future__ import annotations

import re
from datetime import datetime

from datorum.core.formula.fault import FormulaFault, bad_value
from datorum.core.formula.rounding import rounded
from datorum.core.formula.values import Value, moment_of, number_to_text, read_number, to_text

_DATE = re.compile(
    r'"[^"]*"|\\.|\[h+\]|\[m+\]|\[s+\]|\[[^\]]*\]|y+|m+|d+|h+|s+(?:\.0+)?|AM/PM|A/P|.', re.IGNORECASE | re.DOTALL
)
_NUMBER = re.compile(r'"[^"]*"|\\.|\[[^\]]*\]|[0#?]|[.,%@]|[eE][+-]|_.|\*.|.', re.DOTALL)
_MONTHS = (
    "January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November",
    "December",
)  # fmt: skip
_LONGEST = 1_000_000
_DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")


def format_value(value: Value, pattern: str) -> str:
    """A value by a pattern of up to four parts for positive, negative, zero and text. Raises #VALUE!."""
    if len(pattern) > 1000:
        raise bad_value("the pattern is too long")
    sections = _sections(pattern)
    if isinstance(value, bool):
        return to_text(value)
    if isinstance(value, str):
        try:
            number = read_number(value)
        except FormulaFault:
            return _text_section(sections, value)
    else:
        number = float(value or 0)
    section = sections[0]
    if len(sections) > 1 and number < 0:
        section, number = sections[1], abs(number)
    elif len(sections) > 2 and number == 0:
        section = sections[2]
    if section.strip().lower() in ("general", "standard"):
        return number_to_text(number)
    if "@" in _bare(section):
        return _text_section([section], number_to_text(number))
    if re.search(r"[ymdhs]", _bare(section), re.IGNORECASE):
        return _date(number, section)
    return _number(number, section)


def _sections(pattern: str) -> list[str]:
    parts, current = [], ""
    for piece in re.findall(r'"[^"]*"|\\.|.', pattern, re.DOTALL):
        if piece == ";":
            parts.append(current)
            current = ""
        else:
            current += piece
    return [*parts, current]


def _bare(section: str) -> str:
    """A section without what it says literally and without colours and conditions."""
    return re.sub(r'"[^"]*"|\\.|\[(?![hms]+\])[^\]]*\]', "", section, flags=re.IGNORECASE)


def _text_section(sections: list[str], text: str) -> str:
    section = sections[3] if len(sections) > 3 else sections[0] if "@" in _bare(sections[0]) else "@"
    if len(text) * section.count("@") > _LONGEST:
        raise bad_value("the text grows too long")
    return "".join(
        text if piece == "@" else _literal(piece) for piece in re.findall(r'"[^"]*"|\\.|.', section, re.DOTALL)
    )


def _literal(piece: str) -> str:
    if piece.startswith('"'):
        return piece[1:-1]
    if piece.startswith("\\"):
        return piece[1:]
    return piece


def _number(number: float, section: str) -> str:
    pieces = [piece for piece in _NUMBER.findall(section) if not piece.startswith(("[", "_", "*"))]
    digits = [at for at, piece in enumerate(pieces) if piece in "0#?"]
    if not digits:
        sign = "-" if number < 0 else ""
        return sign + "".join(_literal(piece) for piece in pieces)
    first, last = digits[0], digits[-1]
    prefix = "".join(_literal(piece) for piece in pieces[:first] if piece not in ".,")
    if first and pieces[first - 1] == ".":
        first -= 1
    body, suffix = pieces[first : last + 1], pieces[last + 1 :]
    # A comma behind the last digit divides by a thousand.
    while suffix and suffix[0] == ",":
        number /= 1000
        suffix = suffix[1:]
    number *= 100 ** sum(piece == "%" for piece in pieces)
    exponent = next((at for at, piece in enumerate(body) if piece[0] in "eE" and len(piece) == 2), None)
    if exponent is not None:
        written = _scientific(abs(number), body[:exponent], body[exponent], body[exponent + 1 :])
    else:
        written = _plain(abs(number), body)
    sign = "-" if number < 0 and re.search(r"[1-9]", written) else ""
    return sign + prefix + written + "".join(_literal(piece) for piece in suffix)


def _plain(number: float, body: list[str]) -> str:
    point = body.index(".") if "." in body else len(body)
    whole, part = body[:point], body[point + 1 :]
    places = sum(piece in "0#?" for piece in part)
    grouped = any(piece == "," for piece in whole)
    digits = f"{rounded(number, places):.{places}f}"
    integer, _, decimals = digits.partition(".")
    least = sum(piece == "0" for piece in whole)
    integer = integer.lstrip("0").rjust(least, "0")
    slots = [piece for piece in part if piece in "0#?"]
    while decimals and slots and slots[-1] == "#" and decimals.endswith("0"):
        decimals, slots = decimals[:-1], slots[:-1]
    written = _fill_in(whole, integer, grouped)
    if point < len(body):
        written += "." if decimals or "0" in part or not slots else ""
        tail, used = "", 0
        for piece in part:
            if piece in "0#?":
                tail += decimals[used] if used < len(decimals) else ""
                used += 1
            else:
                tail += _literal(piece)
        written += tail
    return written


def _fill_in(whole: list[str], integer: str, grouped: bool) -> str:
    """The digits before the point, with what stands literally between their places."""
    if all(piece in "0#?," for piece in whole):
        return f"{int(integer):,}".rjust(len(integer), "0") if grouped and integer else integer
    out: list[str] = []
    places = sum(piece in "0#?" for piece in whole)
    left = integer
    for piece in reversed(whole):
        if piece in "0#?":
            places -= 1
            if places == 0:
                out.append(left)
                left = ""
            else:
                out.append(left[-1:])
                left = left[:-1]
        elif piece != ",":
            out.append(_literal(piece))
    return "".join(reversed(out))


def _scientific(number: float, mantissa: list[str], mark: str, power: list[str]) -> str:
    point = mantissa.index(".") if "." in mantissa else len(mantissa)
    places = sum(piece in "0#?" for piece in mantissa[point:])
    digits, exponent = f"{number:.{places}E}".split("E")
    size = int(exponent)
    width = sum(piece in "0#?" for piece in power)
    sign = "-" if size < 0 else "+" if mark[1] == "+" else ""
    return f"{digits}{mark[0]}{sign}{str(abs(size)).rjust(width, '0')}"


def _date(number: float, section: str) -> str:
    pieces = list(_DATE.findall(section))
    half_day = any(piece.upper() in ("AM/PM", "A/P") for piece in pieces)
    moment = moment_of(number)
    out: list[str] = []
    for at, piece in enumerate(pieces):
        out.append(_date_part(moment, number, piece, half_day, _is_minute(pieces, at)))
    return "".join(out)


def _is_minute(pieces: list[str], at: int) -> bool:
    """Whether an m means the minute: behind an hour, or before a second."""
    letters = [piece[0].lower() if piece[0] != "[" else piece[1].lower() for piece in pieces]
    before = next((letter for letter in reversed(letters[:at]) if letter in "ymdhs"), "")
    after = next((letter for letter in letters[at + 1 :] if letter in "ymdhs"), "")
    return before == "h" or after == "s"


def _date_part(moment: datetime, number: float, piece: str, half_day: bool, minute: bool) -> str:
    low = piece.lower()
    hour = (moment.hour % 12 or 12) if half_day else moment.hour
    if piece.startswith(('"', "\\")):
        return _literal(piece)
    if low.startswith("["):
        unit = {"h": 24, "m": 1440, "s": 86400}.get(low[1:2])
        return "" if unit is None else str(int(round(number * 86400) // (86400 // unit))).rjust(len(low) - 2, "0")
    if low in ("am/pm", "a/p"):
        half = "PM" if moment.hour >= 12 else "AM"
        return half if low == "am/pm" else half[0]
    match low[0]:
        case "y":
            return f"{moment.year:04d}" if len(low) > 2 else f"{moment.year % 100:02d}"
        case "m" if minute and len(low) < 3:
            return f"{moment.minute:0{len(low)}d}"
        case "m":
            name = _MONTHS[moment.month - 1]
            return {1: str(moment.month), 2: f"{moment.month:02d}", 3: name[:3], 5: name[0]}.get(len(low), name)
        case "d":
            name = _DAYS[moment.weekday()]
            return {1: str(moment.day), 2: f"{moment.day:02d}", 3: name[:3]}.get(len(low), name)
        case "h":
            return f"{hour:0{min(len(low), 2)}d}"
        case "s":
            whole, _, part = low.partition(".")
            parts = f".{moment.microsecond // 1000:03d}".ljust(len(part) + 1, "0")[: len(part) + 1] if part else ""
            return f"{moment.second:0{min(len(whole), 2)}d}{parts}"
    return piece
