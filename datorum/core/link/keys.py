"""Keys of records, to be found by them: those on a site, those of a sheet, those that another import brings."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import polars as pl

from datorum.core.files import name_of
from datorum.core.match_key import key_texts
from datorum.core.model import Field
from datorum.core.model.link_rule import BETWEEN_PARTS
from datorum.core.numbering import Hashes, hashes_of

ROW_OF = "\x1erow "
"""What the value of a reference begins with whose record is not there yet: its row, then, where a link takes no id,
once more before what it takes."""
OF_IMPORT = "@"
"""What stands behind the row, and before the number of the import, where another import is to bring it."""


class KeyTable(NamedTuple):
    """Records of one kind in one place. ``frame``: by ``key`` how many records have it, and the ``value`` that stands
    for the newest and the ``oldest`` of them: an id, or a row; the ``active`` one where exactly one of them is.
    ``place`` in words; ``look``: the kind of place.

    ``of_import``: the import that brings them; ``open``: it has not been run, so that its records have no ids yet;
    ``later``: nor will it have been by then, since both mean each other, so that nothing stands for them at first.
    ``hashes`` stand for the keys of
    ``frame``, which is in their order.
    """

    look: str
    place: str
    frame: pl.DataFrame
    hashes: Hashes
    open: bool = False
    of_import: int | None = None
    later: bool = False

    def places_of(self, keys: pl.Series) -> pl.Series:
        """For each of some keys the row of ``frame`` that has it, null where none has."""
        if not len(self.hashes):
            return pl.repeat(None, len(keys), dtype=pl.Int64, eager=True)
        wanted = hashes_of([keys])
        at = np.minimum(np.searchsorted(self.hashes, wanted), len(self.hashes) - 1)
        there = pl.Series(self.hashes[at] == wanted) & keys.is_not_null()
        return pl.Series(at, dtype=pl.Int64).set(~there, None)


def key_table(
    look: str,
    place: str,
    keys: pl.Series,
    values: pl.Series,
    *,
    open: bool = False,
    active: pl.Series | None = None,
    of_import: int | None = None,
    later: bool = False,
) -> KeyTable:
    """A table of records in the order in which they came to be; those without a key are found by none. ``active``: for
    each record whether it is."""
    known = pl.repeat(False, len(keys), dtype=pl.Boolean, eager=True) if active is None else active.fill_null(False)
    frame = (
        pl.DataFrame({"key": keys, "value": values, "active": known})
        .drop_nulls()
        .group_by("key", maintain_order=True)
        .agg(
            pl.len().alias("records"),
            pl.col("value").last(),
            pl.col("value").first().alias("oldest"),
            pl.when(pl.col("active").sum() == 1).then(pl.col("value").filter("active").last()).alias("active"),
        )
    )
    hashes = hashes_of([frame["key"]])
    order = np.argsort(hashes)
    return KeyTable(look, place, frame[order], hashes[order], open, of_import, later)


def compared(fields: Sequence[Field], parts: Sequence[pl.Series]) -> pl.Series:
    """What keys are compared by, as the type of each part demands; null where a part is blank."""
    texts = [key_texts(field, part.str.strip_chars()) for field, part in zip(fields, parts, strict=True)]
    return texts[0] if len(texts) == 1 else together(texts, BETWEEN_PARTS)


def names_of(values: pl.Series) -> pl.Series:
    """The names of the files that some values name by their paths or addresses; null where one names none."""
    distinct = values.drop_nulls().unique()
    names = pl.Series([name_of(value) or None for value in distinct], dtype=pl.String)
    return values.replace_strict(distinct, names, default=None, return_dtype=pl.String)


def together(parts: Sequence[pl.Series], between: str) -> pl.Series:
    """The parts of keys as one text each, null where a part is."""
    columns = {str(at): part for at, part in enumerate(parts)}
    return pl.DataFrame(columns).select(pl.concat_str(pl.all(), separator=between)).to_series()


def parts_of(values: pl.Series, count: int) -> list[pl.Series]:
    """The parts of keys that landed as one text, as the fields want them."""
    if count == 1:
        return [values]
    split = values.str.split_exact(BETWEEN_PARTS, count - 1).struct.unnest()
    return [split.to_series(at) for at in range(count)]


def parted(text: str, count: int) -> list[str]:
    """The parts of one key that landed as one text."""
    parts = text.split(BETWEEN_PARTS)
    return parts if len(parts) == count else [*parts, *[""] * count][:count]
