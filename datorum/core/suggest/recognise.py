"""Of which kind of record a sheet is, by what its columns would feed of each kind that a site has."""

from __future__ import annotations

import re
from collections.abc import Iterable
from collections.abc import Mapping as AnyMapping
from dataclasses import dataclass

import polars as pl
from pydantic import BaseModel

from datorum.core.model import Field, RecordType
from datorum.core.profile import ColumnProfile
from datorum.core.shape.grains import own_columns
from datorum.core.suggest.link_keys import LinkKey, keyed_fields
from datorum.core.suggest.names import tokens
from datorum.core.suggest.suggest import suggest


class Guess(BaseModel, frozen=True):
    """A kind of record that a sheet may be of. ``score``, 0 to 1: how sure that is; ``placed`` of ``columns`` would
    feed something, ``needed_fed`` of the ``needed`` fields without which the site takes no record would be fed;
    ``named``: the file or the sheet is called by the kind."""

    record_type: str
    score: float
    placed: int
    columns: int
    needed_fed: int
    needed: int
    named: bool


@dataclass(frozen=True)
class Kind:
    """A kind of record that a sheet may be of, and the keys by which the records can be looked for that it links to."""

    record_type: RecordType
    links: tuple[LinkKey, ...] = ()


LIKELY = 0.4
"""A sheet whose best guess scores less is not taken for anything."""
_ROWS, _NAMED, _PART = 2_000, 0.35, 0.5


def recognised(
    kinds: Iterable[Kind], frame: pl.DataFrame, profiles: AnyMapping[str, ColumnProfile], called: str = ""
) -> list[Guess]:
    """What a sheet may be, the likeliest first. ``frame`` holds its first rows, ``profiles`` the columns of all;
    ``called``: the name of its file and of the sheet."""
    frame, profiles = _families(frame.head(_ROWS), profiles)
    said = set(tokens(called))
    found = [_guess(kind, frame, profiles, said) for kind in kinds] if profiles else []
    return sorted(found, key=lambda one: (-one.score, one.record_type))


def _guess(kind: Kind, frame: pl.DataFrame, profiles: AnyMapping[str, ColumnProfile], said: set[str]) -> Guess:
    record_type = kind.record_type
    own = tuple(_plain(field) for field in record_type.writable)
    keyed = keyed_fields(kind.links)
    also = tuple(_plain(key.field, path) for path, key in keyed.items())
    fed = suggest(record_type.model_copy(update={"fields": (*own, *also), "relations": ()}), frame, profiles).fields
    sure: dict[str, float] = {}
    for one in fed.values():
        for column in one.columns:
            sure[column] = max(sure.get(column, 0.0), one.score or 0.0)
    meant = {key.path: path for path, key in keyed.items()}
    needed = [field.path for field in record_type.writable if field.required and not field.in_list]
    needed_fed = sum(path in fed or meant.get(path) in fed for path in needed)
    covered = sum(sure.values()) / len(profiles)
    whole = _PART + (1 - _PART) * needed_fed / len(needed) if needed else 1.0
    score = covered * whole
    named = bool(set(tokens(record_type.name)) & said)
    return Guess(
        record_type=record_type.name, score=round(score + (1 - score) * _NAMED * named, 3), placed=len(sure),
        columns=len(profiles), needed_fed=needed_fed, needed=len(needed), named=named,
    )  # fmt: skip


def _plain(field: Field, path: str | None = None) -> Field:
    """A field as any column may feed it, whatever list it stands in."""
    return field.model_copy(update={"in_list": None, "unique": False, **({"path": path} if path else {})})


_MARK = re.compile(r"(?<![^\W_])(?:\d+|[a-z]{2}(?:[-_][a-z]{2})?)(?![^\W_])", re.IGNORECASE)
"""What columns differ by that hold the same of several: a number, or the code of a language."""


def _families(
    frame: pl.DataFrame, profiles: AnyMapping[str, ColumnProfile]
) -> tuple[pl.DataFrame, dict[str, ColumnProfile]]:
    """A sheet with one column for all that hold the same of several things, called by what they share."""
    shared: dict[str, list[str]] = {}
    for name in own_columns(frame):
        if name in profiles:
            common = re.sub(r"[\s_()\[\].:/-]+", " ", _MARK.sub("", name)).strip()
            shared.setdefault(common or name, []).append(name)
    first = {names[0]: common if len(names) > 1 else names[0] for common, names in shared.items()}
    # Two families of one name would be one column twice.
    called = {old: new if list(first.values()).count(new) == 1 else old for old, new in first.items()}
    others = [name for name in frame.columns if name not in own_columns(frame)]
    renamed = frame.select(*others, *called).rename(called)
    return renamed, {new: profiles[old].model_copy(update={"name": new}) for old, new in called.items()}
