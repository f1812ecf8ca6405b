"""What a site refuses, as a rule: the simplest one that the refused values break, and none of those that it took."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple

from datorum.core.formula import quoted
from datorum.core.model import Field, FieldType

_MOST_LISTED = 20
_STATUS = re.compile(r"^\d{3}(?:: |$)")
_QUOTED = re.compile(r"“[^”]*”|\"[^\"]*\"|'[^']*'")
_FIGURE = re.compile(r"(?<![\w.-])\d{1,6}(?![\w.]*\w)")
"""A number by itself: not that of a name, such as ``line1``, nor a part of a value, such as ``D-00X``."""


def words_of(message: str) -> str:
    """What a site said of a record, without the status before it."""
    return _STATUS.sub("", message)


class RuleOffered(NamedTuple):
    """A formula that is TRUE for what the site takes, and in words what is wrong where it is not."""

    formula: str
    sentence: str


class _Tried(NamedTuple):
    formula: str
    sentence: str
    holds: Callable[[str], bool]


def rule_for(field: Field, said: str, refused: Sequence[str | None], taken: Sequence[str | None]) -> RuleOffered | None:
    """The rule that a field's refused values break and its taken ones keep; ``said``: the site's words, without the
    status before them. A value that is blank is None. None where nothing tells them apart."""
    if refused and all(value is None for value in refused):
        if any(value is None for value in taken):
            return None
        return RuleOffered(f"=[{field.path}]<>{quoted('')}", "is blank, and the site refuses that")
    bad, good = _distinct(refused), _distinct(taken)
    if not bad or set(bad) & set(good) or len(bad) < len(set(refused)):
        return None
    for one in _rules(field, said, bad, good):
        if not any(one.holds(value) for value in bad) and all(one.holds(value) for value in good):
            # A blank is not what the site speaks of.
            return RuleOffered(f"=OR([{field.path}]={quoted('')};{one.formula})", one.sentence)
    return None


def _distinct(values: Sequence[str | None]) -> list[str]:
    return list(dict.fromkeys(value for value in values if value is not None))


def _rules(field: Field, said: str, bad: list[str], good: list[str]) -> Iterator[_Tried]:
    """Rules to be tried, those first that say most of values that are not known yet."""
    cell = f"[{field.path}]"
    # A site may quote what it refuses: that is no limit of its own.
    figures = [int(text) for text in _FIGURE.findall(_QUOTED.sub(" ", said)) if text not in bad]
    if field.type in (FieldType.INTEGER, FieldType.NUMBER):
        yield from _numbers(cell, figures, bad, good)
    else:
        yield from _texts(cell, said.lower(), figures, good)
    if len(bad) <= _MOST_LISTED:
        yield _Tried(f"NOT({_any_of(cell, bad)})", "is a value that the site refuses", lambda value: value not in bad)


def _texts(cell: str, said: str, figures: list[int], good: list[str]) -> Iterator[_Tried]:
    shapes = (("[0-9]", "a figure"), ("[A-Za-zÀ-ÿ]", "a letter"), (r"\s", "a space"))
    for figure in figures:
        if "digit" in said or "figure" in said:
            whole = f"[0-9]{{{figure}}}"
            yield _matching(cell, whole, f"is not of {figure} digits")
        yield _Tried(f"LEN({cell})<={figure}", f"is longer than {figure} characters", _at_most(figure))
        yield _Tried(f"LEN({cell})>={figure}", f"is shorter than {figure} characters", _at_least(figure))
    for pattern, one in shapes:
        yield _without(cell, pattern, f"has {one} in it, and the site refuses that")
    yield _matching(cell, "[0-9]+", "is not made of digits alone")
    if good:
        longest, shortest = max(map(len, good)), min(map(len, good))
        yield _Tried(f"LEN({cell})<={longest}", f"is longer than {longest} characters", _at_most(longest))
        yield _Tried(f"LEN({cell})>={shortest}", f"is shorter than {shortest} characters", _at_least(shortest))


def _at_most(length: int) -> Callable[[str], bool]:
    return lambda value: len(value) <= length


def _at_least(length: int) -> Callable[[str], bool]:
    return lambda value: len(value) >= length


def _matching(cell: str, pattern: str, sentence: str) -> _Tried:
    formula = f"MATCHES({cell};{quoted(f'^{pattern}$')})"
    return _Tried(formula, sentence, lambda value: bool(re.fullmatch(pattern, value)))


def _without(cell: str, pattern: str, sentence: str) -> _Tried:
    return _Tried(f"NOT(MATCHES({cell};{quoted(pattern)}))", sentence, lambda value: not re.search(pattern, value))


def _numbers(cell: str, figures: list[int], bad: list[str], good: list[str]) -> Iterator[_Tried]:
    try:
        amounts = [float(value) for value in good]
        [float(value) for value in bad]
    except ValueError:
        return
    for most in (*figures, *([max(amounts)] if amounts else [])):
        yield _Tried(f"{cell}<={most:g}", f"is more than {most:g}", _no_more(most))
    for least in (*figures, *([min(amounts)] if amounts else [])):
        yield _Tried(f"{cell}>={least:g}", f"is less than {least:g}", _no_less(least))


def _no_more(most: float) -> Callable[[str], bool]:
    return lambda value: float(value) <= most


def _no_less(least: float) -> Callable[[str], bool]:
    return lambda value: float(value) >= least


def _any_of(cell: str, values: Sequence[str]) -> str:
    return f"OR({';'.join(f'{cell}={quoted(value)}' for value in values)})"
