"""Values that name files: each is held against the files that are here."""

from __future__ import annotations

from typing import NamedTuple

import polars as pl

from datorum.core.files import Files, HeldFile, said_of_file
from datorum.core.said import said

NO_FILE = said(
    "no file",
    "names a file that cannot be handed in",
    "At Read, add the archive that the file is in, or fetch it from its address; or correct the rows.",
    acceptable=False,
)


class NamedFiles(NamedTuple):
    """Of some values what stands in a plan for the file that each names, and why there is none: two series of texts."""

    meant: pl.Series
    why: pl.Series


def named_files(values: pl.Series, files: Files) -> NamedFiles:
    """The files that some values name, null where blank; each distinct one is looked for once."""
    distinct = values.drop_nulls().unique()
    found = [files.find(value) for value in distinct]
    meant = [said_of_file(one) if isinstance(one, HeldFile) else None for one in found]
    whys = [None if isinstance(one, HeldFile) else one for one in found]
    return NamedFiles(*(values.replace_strict(distinct, pl.Series(told, dtype=pl.String), default=None,
                                              return_dtype=pl.String) for told in (meant, whys)))  # fmt: skip
