"""What a person is told of each kind of finding. It is said where the code stands that finds it, and gathered here, so
that a new check is one place."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Said:
    """``title``: the predicate of a sentence about the field, or the row. ``acceptable``: a person may let it pass; not
    where such a value cannot be sent at all, or would make a duplicate. ``demanded`` by the site's own description."""

    title: str
    remedy: str
    acceptable: bool = True
    demanded: bool = False


_ALL: dict[str, Said] = {}


def said(rule: str, title: str, remedy: str, *, acceptable: bool = True, demanded: bool = False) -> str:
    """Say what is told of the findings of a rule; its name is given back."""
    _ALL[rule] = Said(title, remedy, acceptable, demanded)
    return rule


def said_of(rule: str) -> Said | None:
    """What is told of a rule's findings; None of a rule that a person added."""
    return _ALL.get(rule)


def is_acceptable(rule: str) -> bool:
    """Whether findings of a rule may be accepted."""
    found = said_of(rule)
    return found is None or found.acceptable
