"""Patterns of dates and times, such as ``D/M/YYYY H:MM``: taken apart once, read and written by row or by column."""

from __future__ import annotations

import datetime as dt
import re
from dataclasses import dataclass
from functools import lru_cache

_TOKEN = re.compile(r"YYYY|YY|MMMM|MMM|MM|M|DD|D|HH|H|SS|S|.", re.DOTALL)
_PARTS = {
    "YYYY": ("%Y", r"\d{4}"),
    "YY": ("%y", r"\d{2}"),
    "MMMM": ("%B", r"[A-Za-z]+"),
    "MMM": ("%b", r"[A-Za-z]{3}"),
    "DD": ("%d", r"\d{1,2}"),
    "D": ("%d", r"\d{1,2}"),
    "HH": ("%H", r"\d{1,2}"),
    "H": ("%H", r"\d{1,2}"),
    "SS": ("%S", r"\d{1,2}"),
    "S": ("%S", r"\d{1,2}"),
}
_WORDS = {"D": "day", "M": "month", "Y": "year", "H": "hour", "S": "second"}
_MONTHS = (
    "january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november",
    "december",
)  # fmt: skip
_UNPADDED = {"D", "M", "H", "S"}


@dataclass(frozen=True)
class DatePattern:
    """``format`` is the pattern for strptime, ``written`` for strftime, ``shape`` a regular expression that its texts
    match, ``words`` what a person reads: day/month/year."""

    format: str
    written: str
    shape: str
    parts: re.Pattern[str]
    words: str
    has_time: bool
    has_seconds: bool

    def read(self, text: str) -> dt.datetime | None:
        """The moment that a text says, or None where it does not fit or there is no such day."""
        match = self.parts.fullmatch(text.strip())
        if match is None:
            return None
        found = match.groupdict()
        try:
            return dt.datetime(
                _year(found), _month(found), int(found.get("D") or 1), int(found.get("H") or 0),
                int(found.get("m") or 0), int(found.get("S") or 0),
            )  # fmt: skip
        except ValueError:
            return None


def _year(found: dict[str, str]) -> int:
    if "YY" in found:
        # POSIX: 69 to 99 are of the last century.
        return int(found["YY"]) + (1900 if int(found["YY"]) >= 69 else 2000)
    return int(found.get("YYYY") or 1900)


def _month(found: dict[str, str]) -> int:
    name = (found.get("MMMM") or found.get("MMM") or "").lower()
    if not name:
        return int(found.get("M") or 1)
    names = _MONTHS if "MMMM" in found else [month[:3] for month in _MONTHS]
    return names.index(name) + 1


@lru_cache(maxsize=512)
def date_pattern(pattern: str) -> DatePattern:
    """Take a pattern apart: D, DD, M, MM, MMM, MMMM, YY, YYYY, H, HH, MM behind an hour, S, SS, and what is between."""
    directives, written, shape, words, after_hour, seconds = [], [], [], [], False, False
    parts: list[str] = []
    for token in _TOKEN.findall(pattern):
        if token in ("M", "MM"):
            # M is the month, except behind an hour, where it can only be the minute.
            directive, digits, word = ("%M", r"\d{1,2}", "minute") if after_hour else ("%m", r"\d{1,2}", "month")
        elif token in _PARTS:
            directive, digits = _PARTS[token]
            word = _WORDS[token[0]]
            after_hour = after_hour or token[0] == "H"
            seconds = seconds or token[0] == "S"
        else:
            directive, digits, word = token.replace("%", "%%"), re.escape(token), token
        name = {"minute": "m"}.get(word, token if token in ("YYYY", "YY", "MMMM", "MMM") else token[:1])
        named = (token in _PARTS or token in ("M", "MM")) and not any(f"<{name}>" in part for part in parts)
        parts.append(f"(?P<{name}>{digits})" if named else digits)
        directives.append(directive)
        written.append(directive.replace("%", "%-") if token in _UNPADDED else directive)
        shape.append(digits)
        words.append(word)
    return DatePattern(
        format="".join(directives),
        written="".join(written),
        shape="^" + "".join(shape) + "$",
        parts=re.compile("".join(parts), re.ASCII),
        words="".join(words),
        has_time=after_hour,
        has_seconds=seconds,
    )
