"""Rows in several languages make one record, which has each text once for each of them."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

import polars as pl
from pydantic import Field

from datorum.core.forms import Menu, asked
from datorum.core.said import said
from datorum.core.shape.grains import RECORD, Grains, is_filled, odd, own_columns
from datorum.core.shape.kinds.languages import originals
from datorum.core.shape.kinds.rows_together import Together
from datorum.core.shape.shape import Found, values_of
from datorum.core.table import FLAG, ROW

IN_NO_LANGUAGE = said(
    "no such language",
    "is in a language that the records have no texts in",
    "At Read, add the language to those of the shape, or leave the row out.",
)
TWICE_IN_LANGUAGE = said(
    "language twice", "is there twice in its language", "Leave out one of the rows.",
)  # fmt: skip
_DIFFER = 0.5


class InLanguages(Together, frozen=True):
    """Rows that share their ``key`` are one record in several languages: each row has its ``language`` in a column, and
    what it has in ``lines`` goes into columns of their own for each of ``languages``, codes with commas between."""

    menu: ClassVar[Menu] = Menu("Rows in several languages are one record")
    kind: Literal["in languages"] = "in languages"
    lines: Annotated[
        tuple[str, ...], Field(min_length=1), asked("each language has its own", editor="columns")
    ]  # fmt: skip
    language: Annotated[str, asked("its language is in", editor="column")]
    languages: Annotated[str, Field(max_length=1000), asked("the languages", hint="their codes, such as en, nb, de")]

    def sentence(self) -> str:
        return f"Rows with the same {' and '.join(self.key)} make one record in {', '.join(self.codes)}"

    @property
    def codes(self) -> list[str]:
        """The codes of the languages, each once."""
        return list(dict.fromkeys(re.findall(r"[\w-]+", self.languages)))

    @property
    def of_rows(self) -> tuple[str, ...]:
        return (*self.lines, self.language)

    def seen_columns(self) -> set[str]:
        return {*self.key, *self.lines, self.language}

    def used_columns(self) -> set[str]:
        return {*self.key, *self.lines, self.language}

    def made_columns(self) -> set[str]:
        return {in_language(name, code) for name in self.lines for code in self.codes}

    def apply(self, grains: Grains) -> Grains:
        frame = grains.records
        texts = [name for name in self.lines if name in frame.columns]
        spoken = values_of(frame, self.language).str.to_lowercase().alias("\0language")
        keyed = frame.with_columns(spoken)
        records = frame.drop(*texts, self.language, strict=False).unique(RECORD, keep="first", maintain_order=True)
        for code in self.codes:
            part = keyed.filter(pl.col("\0language") == code.lower()).unique(RECORD, keep="first", maintain_order=True)
            named = part.select(RECORD, *(pl.col(name).alias(in_language(name, code)) for name in texts))
            records = records.join(named, on=RECORD, how="left", maintain_order="left")
        return grains._replace(records=records, odd=(*grains.odd, *self._amiss(keyed)))

    def _amiss(self, keyed: pl.DataFrame) -> Iterator[pl.DataFrame]:
        codes = [code.lower() for code in self.codes]
        unknown = keyed.filter(~pl.col("\0language").is_in(codes).fill_null(False))
        says = f"is in none of {', '.join(self.codes)}"
        yield odd(unknown, IN_NO_LANGUAGE, says, column=self.language, values=values_of(unknown, self.language))
        again = keyed.filter(pl.col("\0language").is_in(codes) & ~pl.struct(RECORD, "\0language").is_first_distinct())
        yield odd(again, TWICE_IN_LANGUAGE, "has the language that a row of its record has before it",
                  column=self.language, values=values_of(again, self.language))  # fmt: skip

    def undo(self, grains: Grains) -> Grains:
        frame = grains.records
        made = self.made_columns()
        own = [name for name in own_columns(frame) if name not in made]
        parts = []
        for number, code in enumerate(self.codes):
            there = {in_language(name, code): name for name in self.lines if in_language(name, code) in frame.columns}
            part = frame.filter(pl.any_horizontal(*map(is_filled, there))) if there else frame.head(0)
            parts.append(part.select(
                RECORD, FLAG, *own, *(pl.col(column).alias(name) for column, name in there.items()),
                pl.lit(code).alias(self.language), pl.lit(number).alias("\0at"),
            ))  # fmt: skip
        rows = pl.concat(parts, how="diagonal").sort(RECORD, "\0at", maintain_order=True).drop("\0at")
        numbers = pl.int_range(2, rows.height + 2, dtype=pl.Int64, eager=True)
        return grains._replace(records=rows.with_columns(numbers.alias(RECORD), numbers.alias(ROW)))


def in_language(name: str, code: str) -> str:
    """The column that has what a column holds in one language."""
    return f"{name} ({code})"


def in_languages(frame: pl.DataFrame, says_language: str | None) -> Iterator[Found]:
    """The columns by which rows of a sheet are one record in several languages, and those that each language has of its
    own: what differs between the rows of most."""
    for found in originals(frame, says_language):
        group, language = found.shape.group, found.shape.language  # type: ignore[attr-defined]
        codes = values_of(frame, language).drop_nulls().value_counts().sort("count", descending=True)
        wanted = [code for code, count in codes.iter_rows() if count > 1] or codes.to_series(0).to_list()
        keyed = pl.DataFrame({"group": values_of(frame, group)})
        texts = []
        for name in own_columns(frame):
            if name in (group, language):
                continue
            values = keyed.with_columns(value=values_of(frame, name)).drop_nulls()
            several = values.group_by("group").agg(pl.len(), pl.col("value").n_unique().alias("values"))
            several = several.filter(pl.col("len") > 1)
            if several.height and (several["values"] > 1).mean() > _DIFFER:  # type: ignore[operator]
                texts.append(name)
        if texts:
            shape = InLanguages(
                key=(group,), lines=tuple(texts), language=language, languages=", ".join(sorted(wanted))
            )
            why = f"{len(texts)} columns differ by language in rows with the same {group}"
            yield Found(shape=shape, weight=found.weight, reasons=(*found.reasons, why))
