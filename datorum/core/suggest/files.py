"""Fields that take files, and links to records that have one: fed by the columns whose values name files."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence
from collections.abc import Mapping as AnyMapping
from typing import NamedTuple

import polars as pl

from datorum.core.files import Files, HeldFile, is_address, suffix_of
from datorum.core.model import Field, FieldMapping, FieldType, LinkRule, Mapping
from datorum.core.profile import ColumnProfile
from datorum.core.shape.shape import values_of
from datorum.core.suggest.scored import Candidate
from datorum.core.suggest.suggest import feed

_ROWS, _MOST_VALUES = 50_000, 2_000
_MOSTLY = 0.5
_SURE = 0.9
_BETWEEN = re.compile(r"\s*[,;|\n]\s*")
_ENDINGS = frozenset(
    ".jpg .jpeg .png .gif .webp .avif .svg .tif .tiff .bmp .heic .pdf .doc .docx .odt .xls .xlsx .ods .ppt .pptx .zip"
    " .mp3 .mp4 .mov .webm .ogg .wav .txt .csv .rtf .epub".split()
)


class FileLink(NamedTuple):
    """A link to records of which each has a file: its field, whether it means ``many``, and the field of theirs that
    has the file's name."""

    field: Field
    many: bool
    name: Field


class FedByFiles(NamedTuple):
    """What feeds fields by the files that values name, and how links are looked for."""

    fields: dict[str, FieldMapping]
    rules: dict[str, LinkRule]


def fed_by_files(
    mapping: Mapping, frame: pl.DataFrame, profiles: AnyMapping[str, ColumnProfile], own: Field | None,
    links: Sequence[FileLink], files: Files,
) -> FedByFiles:  # fmt: skip
    """The fields of a sheet's records that columns feed whose values name files: ``own``, where the records have a file
    each, and links. ``frame`` holds its first rows, ``profiles`` its columns. What is fed otherwise is left alone."""
    frame = frame.head(_ROWS)
    found = FedByFiles({}, {})
    free = [name for name in profiles if name not in mapping.used_columns()]
    for link in links:
        path, now = link.field.path, mapping.fields.get(link.field.path)
        is_fed = now is not None and now.fed
        columns = [name for name in now.columns if name in profiles] if now is not None and is_fed else free
        best = _best(frame, columns, files, many=link.many)
        rule = mapping.links.get(path)
        if best is None or (is_fed and rule is not None and rule.by != (link.name.path,)):
            continue
        # What was taken for one name may be a list of them.
        if not is_fed or (link.many and now is not None and not now.steps):
            found.fields[path] = _fed(link, best, frame, profiles)
        if best in free:
            free.remove(best)
        found.rules[path] = LinkRule(by=(link.name.path,), of_files=True, missing="make")
    if own is not None and not (own.path in mapping.fields and mapping.fields[own.path].fed):
        # What says the name of a file may say the file as well.
        best = _best(frame, list(profiles), files, many=False)
        if best is not None:
            candidate = Candidate(columns=(best,), score=_SURE, reasons=(_WHY,))
            found.fields[own.path] = feed(own.model_copy(update={"type": FieldType.TEXT}), candidate, frame, profiles)
    return found


_WHY = "its values name files"


def _fed(link: FileLink, column: str, frame: pl.DataFrame, profiles: AnyMapping[str, ColumnProfile]) -> FieldMapping:
    text = Field(path=link.field.path, title=link.field.title)
    judged = text.model_copy(update={"type": FieldType.LIST, "items": text}) if link.many else text
    return feed(judged, Candidate(columns=(column,), score=_SURE, reasons=(_WHY,)), frame, profiles)


def _best(frame: pl.DataFrame, columns: Collection[str], files: Files, *, many: bool) -> str | None:
    """The column that names most files, where most of what it names are any."""
    shares = {column: _share(frame, column, files, many=many) for column in columns if column in frame.columns}
    best = max(shares, key=lambda column: shares[column], default=None)
    return best if best is not None and shares[best] >= _MOSTLY else None


def _share(frame: pl.DataFrame, column: str, files: Files, *, many: bool) -> float:
    """The share of a column's values that name a file which is here, or which can be fetched."""
    values = list(_distinct(frame, column, many=many))[:_MOST_VALUES]
    named = sum(_names(value, files) for value in values)
    return named / len(values) if values else 0.0


def _names(value: str, files: Files) -> bool:
    if is_address(value):
        return suffix_of(value.partition("?")[0]) in _ENDINGS
    return isinstance(files.find(value), HeldFile)


def _distinct(frame: pl.DataFrame, column: str, *, many: bool) -> Iterator[str]:
    cells = values_of(frame, column).drop_nulls().unique(maintain_order=True).to_list()
    yield from dict.fromkeys(part for cell in cells for part in (_BETWEEN.split(cell) if many else [cell]) if part)
