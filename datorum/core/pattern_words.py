"""What a regular expression asks for, in words with an example, for the patterns that documents usually have."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache

from datorum.core.patterns import UnusablePattern, pattern

_MOST = 10_000
_NAMES = {
    "+": "a plus sign", "-": "a hyphen", ".": "a point", "_": "an underscore", "@": "an at sign", "/": "a slash",
    " ": "a space", ":": "a colon", "#": "a hash sign", ",": "a comma",
}  # fmt: skip
_BARE = {mark: name.split(" ", 1)[1] for mark, name in _NAMES.items()}
_DIGITS = frozenset("0123456789")
_CAPITALS = frozenset("ABCDEFGHIJKLMNOPQRSTUVWXYZ")
_SMALL = frozenset("abcdefghijklmnopqrstuvwxyz")
_CLASSES = {"d": _DIGITS, "w": _DIGITS | _CAPITALS | _SMALL | {"_"}}
_EXAMPLES = {"digit": "4722334455", "capital letter": "QMOSLE", "small letter": "quillmoss", "letter": "Quillmoss"}


class _Unsaid(ValueError):
    """The pattern has something that is not put in words."""


@dataclass(frozen=True)
class Form:
    """``words``: what a text must be, to follow “must be”; ``example``: one that is."""

    words: str
    example: str


@dataclass(frozen=True)
class _Part:
    """So many marks, each out of some."""

    marks: frozenset[str]
    least: int
    most: int


@lru_cache(maxsize=512)
def in_words(text: str) -> Form | None:
    """A pattern in words; None for one that has more than marks, classes and how often, one after the other."""
    try:
        parts = _merged(_Reader(text).parts())
        form = Form(_sentence(parts), "".join(_example(part) for part in parts))
        # What cannot be shown to be so is not said.
        return form if pattern(text).is_in(form.example) else None
    except (_Unsaid, UnusablePattern, IndexError):
        return None


class _Reader:
    """Reads ``^``, ``$``, literals, escapes, classes, groups of one choice, and quantifiers."""

    def __init__(self, text: str) -> None:
        if not (text.startswith("^") and text.endswith("$") and not text.endswith("\\$")):
            raise _Unsaid
        self._text = text[1:-1]
        self._at = 0

    def parts(self) -> list[_Part]:
        found: list[_Part] = []
        while self._at < len(self._text):
            marks = self._marks()
            found.append(_Part(marks, *self._times()))
        if not found:
            raise _Unsaid
        return found

    def _marks(self) -> frozenset[str]:
        mark = self._text[self._at]
        self._at += 1
        if mark == "[":
            return self._class()
        if mark == "\\":
            return self._escaped()
        if mark in "(|)*+?{}^$.":
            raise _Unsaid
        return frozenset(mark)

    def _escaped(self) -> frozenset[str]:
        mark = self._text[self._at]
        self._at += 1
        if mark in _CLASSES:
            return _CLASSES[mark]
        if mark.isalnum():
            raise _Unsaid
        return frozenset(mark)

    def _class(self) -> frozenset[str]:
        found: set[str] = set()
        if self._text[self._at] == "^":
            raise _Unsaid
        while (mark := self._text[self._at]) != "]":
            self._at += 1
            if mark == "[":
                raise _Unsaid
            one = self._escaped() if mark == "\\" else frozenset(mark)
            if len(one) == 1 and self._text[self._at] == "-" and self._text[self._at + 1] != "]":
                end = self._text[self._at + 1]
                self._at += 2
                if end == "\\" or ord(end) - ord(mark) not in range(1, 26):
                    raise _Unsaid
                one = frozenset(chr(code) for code in range(ord(mark), ord(end) + 1))
            found |= one
        self._at += 1
        return frozenset(found)

    def _times(self) -> tuple[int, int]:
        rest = self._text[self._at :]
        for sign, times in (("?", (0, 1)), ("*", (0, _MOST)), ("+", (1, _MOST))):
            if rest.startswith(sign):
                self._at += 1
                return times
        match = re.match(r"\{(\d{1,4})(,(\d{0,4}))?\}", rest)
        if match is None:
            return 1, 1
        self._at += match.end()
        least = int(match[1])
        return least, least if match[2] is None else int(match[3] or _MOST)


def _merged(parts: list[_Part]) -> list[_Part]:
    """Neighbours of the same marks as one; digits that may not begin with some are digits."""
    found: list[_Part] = []
    for part in parts:
        before = found[-1] if found else None
        if before is not None and (before.marks == part.marks or (before.marks | part.marks) <= _DIGITS):
            most = min(before.most + part.most, _MOST)
            found[-1] = _Part(before.marks | part.marks, before.least + part.least, most)
        else:
            found.append(part)
    return found


def _kind(marks: frozenset[str]) -> str:
    """What one of the marks is called."""
    names: list[str] = []
    rest = set(marks)
    if marks >= _CAPITALS | _SMALL:
        names.append("letter")
        rest -= _CAPITALS | _SMALL
    for name, all_of_it in (("capital letter", _CAPITALS), ("small letter", _SMALL)):
        if rest >= all_of_it:
            names.append(name)
            rest -= all_of_it
    if rest & _DIGITS:
        if rest & _DIGITS not in (_DIGITS, _DIGITS - {"0"}):
            raise _Unsaid
        names.append("digit")
        rest -= _DIGITS
    names += [_BARE.get(mark, f"“{mark}”") for mark in sorted(rest)]
    return ", ".join(names[:-1]) + (" or " if len(names) > 1 else "") + names[-1]


def _phrase(part: _Part) -> str:
    least, most = part.least, part.most
    if len(part.marks) == 1 and (least, most) == (1, 1):
        [mark] = part.marks
        return _NAMES.get(mark, f"“{mark}”")
    kind = _kind(part.marks)
    if (least, most) == (0, 1):
        return f"perhaps {_one(kind)}"
    if (least, most) == (1, 1):
        return _one(kind)
    many = " or ".join(", ".join(f"{word}s" for word in side.split(", ")) for side in kind.split(" or "))
    if least == most:
        return f"{least} {many}"
    if most == _MOST:
        return f"{least} or more {many}" if least else f"any number of {many}"
    return f"{least} to {most} {many}" if least else f"up to {most} {many}"


def _one(kind: str) -> str:
    return f"an {kind}" if kind[0] in "aeiou" else f"a {kind}"


def _sentence(parts: list[_Part]) -> str:
    # Letters in a row that stand for themselves are a word.
    phrases: list[str] = []
    word = ""
    for part in [*parts, None]:
        alone = part is not None and len(part.marks) == 1 and (part.least, part.most) == (1, 1)
        mark = next(iter(part.marks)) if part is not None and alone else ""
        if mark and mark not in _NAMES:
            word += mark
            continue
        if word:
            phrases.append(f"“{word}”")
            word = ""
        if part is not None:
            phrases.append(_phrase(part))
    return ", ".join(phrases[:-1]) + (" and " if len(phrases) > 1 else "") + phrases[-1]


def _example(part: _Part) -> str:
    if len(part.marks) == 1:
        return next(iter(part.marks)) * part.least
    kind = _kind(part.marks).split(",")[0].split(" or ")[0]
    marks = [mark for mark in _EXAMPLES.get(kind, "") if mark in part.marks] or sorted(part.marks)
    count = min(max(part.least, min(len(marks), 10)), part.most)
    return "".join(marks[at % len(marks)] for at in range(count))
