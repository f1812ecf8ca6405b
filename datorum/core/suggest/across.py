"""Links that are told by what other sheets hold: a column means the rows of another sheet where it has what these are
told apart by."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence
from collections.abc import Mapping as AnyMapping
from typing import NamedTuple

import polars as pl

from datorum.core.model import Field, FieldMapping, FieldType, LinkRule, Mapping
from datorum.core.model.link_rule import COLUMN
from datorum.core.profile import ColumnProfile
from datorum.core.shape.shape import values_of
from datorum.core.suggest.names import tokens
from datorum.core.suggest.scored import Candidate
from datorum.core.suggest.suggest import feed

_ROWS = 50_000
_FEWEST, _MOSTLY, _HARDLY, _APART = 3, 0.8, 0.5, 0.98
_BETWEEN = re.compile(r"\s*[,;|\n]\s*")
_NUMBER = r"^\d+$"


class OtherSheet(NamedTuple):
    """A sheet of other records: its first rows, and by column the field that it feeds which the site keeps unique."""

    record_type: str
    frame: pl.DataFrame
    keys: AnyMapping[str, Field]


class OpenLink(NamedTuple):
    """A field that means records of a type, one or ``many``."""

    field: Field
    to_type: str
    many: bool


class FoundLink(NamedTuple):
    """What feeds a link, and how it is looked for."""

    fed: FieldMapping
    rule: LinkRule


class _Key(NamedTuple):
    """A column that tells the rows of another sheet apart, what it feeds where the site keeps that unique, and its
    values."""

    column: str
    field: Field | None
    values: frozenset[str]

    @property
    def rule(self) -> LinkRule:
        return LinkRule.by_key(self.field.path if self.field else f"{COLUMN}{self.column}")


def links_across(
    mapping: Mapping, frame: pl.DataFrame, profiles: AnyMapping[str, ColumnProfile], links: Sequence[OpenLink],
    others: Sequence[OtherSheet],
) -> dict[str, FoundLink]:  # fmt: skip
    """The links of a sheet that other sheets tell, by path, where nothing feeds them, or their values are hardly ever
    the key by which they are looked for. ``frame`` holds its first rows, ``profiles`` its columns."""
    keys = {link.to_type: list(_keys(link.to_type, others)) for link in links}
    free = [name for name in profiles if name not in mapping.used_columns()]
    frame = frame.head(_ROWS)
    found: dict[str, FoundLink] = {}
    for link in links:
        path = link.field.path
        now = mapping.fields.get(path)
        if now is None or not now.fed:
            columns = [name for name in free if all(name not in one.fed.columns for one in found.values())]
        elif len(now.columns) == 1 and now.columns[0] in profiles and _misses(link, now, mapping, frame, keys):
            columns = list(now.columns)
        else:
            continue
        best = max(_fitting(link, frame, columns, keys[link.to_type]), key=lambda one: one[0], default=None)
        if best is not None:
            _, column, key = best
            found[path] = FoundLink(_fed(link, column, key, frame, profiles), key.rule)
    return found


def _keys(to_type: str, others: Sequence[OtherSheet]) -> Iterator[_Key]:
    """The columns by which the rows of sheets of a type are told apart."""
    for other in others:
        if other.record_type != to_type:
            continue
        frame = other.frame.head(_ROWS)
        for column in (name for name in frame.columns if frame[name].dtype == pl.String):
            values = values_of(frame, column).drop_nulls()
            field = other.keys.get(column)
            # What the site keeps unique may stand in several rows, of which each is a part of the record.
            apart = field is not None or values.n_unique() >= _APART * len(values)
            if len(values) >= _FEWEST and apart:
                yield _Key(column, field, frozenset(values.str.to_lowercase().to_list()))


def _misses(
    link: OpenLink, now: FieldMapping, mapping: Mapping, frame: pl.DataFrame, keys: AnyMapping[str, Sequence[_Key]]
) -> bool:
    """Whether what feeds a link is hardly ever what it is looked for by."""
    rule = mapping.links.get(link.field.path) or LinkRule()
    if rule.parted_by or len(rule.by) > 1:
        return False
    values = _distinct(frame, now.columns[0], many=link.many)
    known = [one for one in keys[link.to_type] if one.rule == rule]
    # By what the site itself takes nothing is found of a sheet that comes from elsewhere.
    return bool(values) and all(len(values & one.values) < _HARDLY * len(values) for one in known)


def _fitting(
    link: OpenLink, frame: pl.DataFrame, columns: Collection[str], keys: Sequence[_Key]
) -> Iterator[tuple[tuple[bool, float], str, _Key]]:
    """The columns whose values are keys of what a link means: how well, those that the site keeps unique first."""
    for column in columns:
        values = _distinct(frame, column, many=link.many)
        for key in keys:
            both = values & key.values
            if len(both) < _FEWEST or len(both) < _MOSTLY * len(values):
                continue
            numbers = pl.Series(list(both)).str.contains(_NUMBER).mean()
            # Any small number is a number of something: what it is called has to say so as well.
            if isinstance(numbers, float) and numbers > _HARDLY and not _speak_of_it(link, column, key):
                continue
            yield (key.field is not None, len(both) / len(values)), column, key


def _speak_of_it(link: OpenLink, column: str, key: _Key) -> bool:
    said = set(tokens(column))
    return bool(said & (set(tokens(link.to_type)) | set(tokens(link.field.path)))) or (
        bool(said & set(tokens(key.column))) and len(said) > 1
    )


def _distinct(frame: pl.DataFrame, column: str, *, many: bool) -> set[str]:
    cells = values_of(frame, column).drop_nulls().str.to_lowercase().unique().to_list()
    return {part for cell in cells for part in (_BETWEEN.split(cell) if many else [cell]) if part}


def _fed(
    link: OpenLink, column: str, key: _Key, frame: pl.DataFrame, profiles: AnyMapping[str, ColumnProfile]
) -> FieldMapping:
    text = Field(path=link.field.path, title=link.field.title)
    one = key.field.model_copy(update={"path": link.field.path, "unique": False}) if key.field else text
    judged = one.model_copy(update={"type": FieldType.LIST, "items": one, "format": None}) if link.many else one
    why = f"its values stand in “{key.column}” of the sheet of {link.to_type}"
    return feed(judged, Candidate(columns=(column,), score=_SURE, reasons=(why,)), frame, profiles)


_SURE = 0.9
