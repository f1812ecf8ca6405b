"""What sites do to values by themselves: each a rule with a name, by which a difference between what was sent and what
is found is explained. One that somebody has accepted counts as no difference any more."""

from __future__ import annotations

import html
import re
from collections.abc import Callable
from decimal import Decimal, InvalidOperation
from typing import Any, NamedTuple

from datorum.core.model import Field, FieldType
from datorum.core.values import instant

UNTOUCHED = "untouched"
"""The rule of a difference in what was not sent, which is told by the record as it was before."""
_TAG = re.compile(r"<[^>]*>")
_SPACES = re.compile(r"\s+")


class Tolerance(NamedTuple):
    """``says``: what the site does, as a predicate; ``holds`` tells whether that explains a difference."""

    name: str
    says: str
    holds: Callable[[Field, Any, Any], bool]


def _texts(sent: Any, found: Any, made: Callable[[str], str]) -> bool:
    return isinstance(sent, str) and isinstance(found, str) and made(sent) == made(found)


def _trims(_: Field, sent: Any, found: Any) -> bool:
    return _texts(sent, found, str.strip)


def _spaces(_: Field, sent: Any, found: Any) -> bool:
    return _texts(sent, found, lambda text: _SPACES.sub(" ", text).strip())


def _case(_: Field, sent: Any, found: Any) -> bool:
    return _texts(sent, found, str.casefold)


def _cleans(_: Field, sent: Any, found: Any) -> bool:
    if not isinstance(sent, str) or not isinstance(found, str) or ("<" not in sent + found and "&" not in sent + found):
        return False
    return _texts(sent, found, lambda text: _SPACES.sub(" ", html.unescape(_TAG.sub(" ", text))).strip())


def _rounds(_: Field, sent: Any, found: Any) -> bool:
    try:
        ours, theirs = Decimal(str(sent)), Decimal(str(found))
        # Half a unit of the last place that the site keeps.
        places = theirs.as_tuple().exponent
        return isinstance(places, int) and ours != theirs and abs(ours - theirs) <= Decimal(5).scaleb(places - 1)
    except (InvalidOperation, ValueError):
        return False


def _shifts(field: Field, sent: Any, found: Any) -> bool:
    if field.type is not FieldType.DATE_TIME:
        return False
    ours, theirs = instant(sent), instant(found)
    if isinstance(ours, str) or isinstance(theirs, str):
        return False
    # No zone is further away, and all are whole quarters of an hour.
    seconds = abs((ours - theirs).total_seconds())
    return bool(0 < seconds <= 14 * 3600 and seconds % 900 == 0)


def _cuts_seconds(field: Field, sent: Any, found: Any) -> bool:
    if field.type is not FieldType.DATE_TIME:
        return False
    ours, theirs = instant(sent), instant(found)
    return not isinstance(ours, str) and not isinstance(theirs, str) and abs((ours - theirs).total_seconds()) < 60


def _reorders(_: Field, sent: Any, found: Any) -> bool:
    return isinstance(sent, list) and isinstance(found, list) and sorted(map(repr, sent)) == sorted(map(repr, found))


def _cuts(_: Field, sent: Any, found: Any) -> bool:
    return isinstance(sent, str) and isinstance(found, str) and 0 < len(found) < len(sent) and sent.startswith(found)


TOLERANCES = {
    one.name: one
    for one in (
        Tolerance("trims", "takes away spaces at the ends", _trims),
        Tolerance("spaces", "makes one space of several, or of line ends", _spaces),
        Tolerance("case", "changes the case of letters", _case),
        Tolerance("reorders", "puts the items of a list in another order", _reorders),
        Tolerance("rounds", "rounds numbers", _rounds),
        Tolerance("seconds", "keeps no seconds", _cuts_seconds),
        Tolerance("zone", "takes times to be of another time zone", _shifts),
        Tolerance("html", "cleans HTML", _cleans),
        Tolerance("cuts", "cuts off what is too long", _cuts),
        Tolerance(UNTOUCHED, "changes it by itself when something else is changed", lambda *_: False),
    )
}
"""By their names, those first that explain the least."""


def explained(field: Field, sent: Any, found: Any) -> str:
    """The name of the first rule that explains a difference; empty where none does."""
    return next((one.name for one in TOLERANCES.values() if one.holds(field, sent, found)), "")
