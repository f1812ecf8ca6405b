"""Records that have their texts in several languages: rows that are one such record, and fields that are fed alike, as
what feeds one of them says what feeds the others."""

from __future__ import annotations

import re
from collections.abc import Mapping as AnyMapping

import polars as pl

from datorum.core.model import Field, FieldMapping, RecordType
from datorum.core.profile import profile
from datorum.core.shape.grains import own_columns
from datorum.core.shape.kinds.in_languages import InLanguages, in_languages
from datorum.core.shape.kinds.languages import language_codes_in
from datorum.core.shape.shape import Found
from datorum.core.suggest.names import tokens
from datorum.core.suggest.scored import Candidate
from datorum.core.suggest.suggest import feed
from datorum.core.table import FLAG, ROW

_WHY = "as in the other languages"
_AT_LEAST = 2


def says_language(frame: pl.DataFrame) -> str | None:
    """The column that is called as what says the language of a row."""
    return next((name for name in own_columns(frame) if tokens(name) == ("language",)), None)


def one_in_languages(kind: RecordType, frame: pl.DataFrame) -> Found | None:
    """How rows in several languages are one record, where records of a kind have their texts in each of them."""
    spoken = {field.language.lower() for field in kind.writable if field.language}
    if len(spoken) < _AT_LEAST:
        return None
    for found in in_languages(frame, says_language(frame)):
        shape = found.shape
        if isinstance(shape, InLanguages) and spoken & {code.lower() for code in shape.codes}:
            return found
    return None


def fed_alike(
    record_type: RecordType, frame: pl.DataFrame, fields: AnyMapping[str, FieldMapping]
) -> dict[str, FieldMapping]:
    """The fields in a language that nothing feeds while those beside them in others are fed, each by the column
    that is called the same in its language."""
    named = {(base, code): column for column in own_columns(frame) for base, code in language_codes_in(column)}
    bases = {column: base for (base, _), column in named.items()}
    used = {column for fed in fields.values() for column in fed.columns}
    families: dict[str, list[Field]] = {}
    for field in record_type.writable:
        if field.language and not field.in_list:
            families.setdefault(_without(field), []).append(field)
    found: dict[str, FieldMapping] = {}
    for family in families.values():
        fed = [(one, fields[one.path]) for one in family if one.path in fields and len(fields[one.path].columns) == 1]
        alike = {bases.get(mapping.columns[0]) for _, mapping in fed} - {None}
        if len(alike) != 1:
            continue
        base = alike.pop() or ""
        for field in family:
            column = named.get((base, (field.language or "").lower()))
            if field.path not in fields and column is not None and column not in used:
                used.add(column)
                score = min(mapping.score or 0.0 for _, mapping in fed)
                profiles = profile(frame.select(ROW, FLAG, column))
                found[field.path] = feed(
                    field, Candidate(columns=(column,), score=score, reasons=(_WHY,)), frame, profiles
                )
    return found


def _without(field: Field) -> str:
    """The path of a field without what says its language."""
    return re.sub(rf"(?i)(?:^|(?<=[._-])){re.escape(field.language or '')}(?=$|[._-])", "", field.path)
