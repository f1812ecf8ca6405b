"""A language each: columns for several languages in one row, rows that share a group, or a further sheet of rows."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Annotated, ClassVar, Literal

import polars as pl

from datorum.core.forms import Menu, asked
from datorum.core.said import said
from datorum.core.shape.grains import RECORD, SHEET, Grains, is_filled, odd, own_columns, sheet_column
from datorum.core.shape.kinds.column_sets import VARIANT, families
from datorum.core.shape.shape import Found, OnSheet, Shape, values_of
from datorum.core.table import FLAG, ROW

NO_ORIGINAL = said("no original", "has no original", "Add the original, or leave the translation out.")

LANGUAGE = "Language"
_CODE = re.compile(r"(?:^|(?<=[\s_(\[.:/-]))(?P<code>[A-Za-z]{2}(?:[-_][A-Za-z]{2})?)(?=$|[\s_)\].:/-])")
_FEWEST, _MOSTLY, _NEARLY_ALL = 2, 0.6, 0.95
_LANGUAGES = frozenset(
    "af ar az be bg bn bs ca cs cy da de el en es et eu fa fi fo fr ga gl he hi hr hu hy id is it ja ka kk ko lt lv mk "
    "mn ms mt nb nl nn no pl pt ro ru se sk sl sq sr sv sw ta te th tr uk ur uz vi zh".split()
)


class Spread(Shape, frozen=True):
    """Each row makes a record for each of ``sets`` that has anything: by the language or variant that it is, which goes
    into the column ``called``, its columns by what they hold. Of languages the first is the original; the others say
    which one theirs is by what it has in ``given``. Variants are ``equals``: none is above the others."""

    menu: ClassVar[Menu] = Menu("A record for each language or variant")
    kind: Literal["spread"] = "spread"
    sets: Annotated[dict[str, dict[str, str]], asked("each has", editor="named sets")]
    called: Annotated[str, asked("named in the column")] = LANGUAGE
    equals: Annotated[bool, asked("none is the original", hint="as of variants")] = False
    given: str = ""
    needs_all: ClassVar[bool] = True

    @property
    def above(self) -> str:
        """The column that says which is the original; not there where they are equals."""
        return "" if self.equals else f"{self.given or 'Text'} of the original"

    def sentence(self) -> str:
        return f"Each row makes a record in each of {', '.join(self.sets)}"

    def seen_columns(self) -> set[str]:
        return {column for one in self.sets.values() for column in one.values()}

    def made_columns(self) -> set[str]:
        return {self.called, self.above, *(part for one in self.sets.values() for part in one)} - {""}

    def apply(self, grains: Grains) -> Grains:
        frame = grains.records
        used = [name for name in self.seen_columns() if name in frame.columns]
        last = int(frame[RECORD].max() or 0) if frame.height else 0  # type: ignore[arg-type]
        original: pl.Series | None = None
        parts = []
        for number, (language, columns) in enumerate(self.sets.items()):
            there = {part: column for part, column in columns.items() if column in frame.columns}
            named = frame.select(
                # What is not the original is no row of its own.
                (pl.col(RECORD) if number == 0 else pl.int_range(pl.len()) + 1 + last + (number - 1) * frame.height)
                .cast(pl.Int64).alias(RECORD),
                ROW, FLAG, pl.exclude(RECORD, ROW, FLAG, *used), pl.lit(language).alias(self.called),
                *(pl.col(column).alias(part) for part, column in there.items()),
            )  # fmt: skip
            if number == 0 and self.given in named.columns:
                original = values_of(named, self.given)
            if self.above:
                above = pl.lit(None, dtype=pl.String) if number == 0 or original is None else original
                named = named.with_columns(above.alias(self.above))
            parts.append(named.filter(pl.any_horizontal(*map(is_filled, there))) if there else named.head(0))
        records = pl.concat(parts, how="diagonal").sort(ROW, RECORD)
        return grains._replace(records=records)

    def undo(self, grains: Grains) -> Grains:
        frame = grains.records
        parts = next(iter(self.sets.values()), {})
        others = [name for name in own_columns(frame) if name not in (self.called, self.above, *parts)]
        known = self.given and self.above
        key = pl.coalesce(self.above, self.given) if known else pl.col(ROW).cast(pl.String)
        keyed = frame.with_columns(key.alias("\0of"))
        rows = keyed.unique("\0of", keep="first", maintain_order=True).select(RECORD, ROW, FLAG, "\0of", *others)
        for language, columns in self.sets.items():
            there = [pl.col(part).alias(column) for part, column in columns.items() if part in frame.columns]
            part = keyed.filter(pl.col(self.called) == language).select("\0of", *there)
            rows = rows.join(part, on="\0of", how="left", maintain_order="left")
        return grains._replace(records=rows.drop("\0of"))


class Originals(Shape, frozen=True):
    """Rows that share what they have in ``group`` are one text in several languages, named in ``language``; the one in
    the language ``original`` is the original, and the others say which one theirs is by what it has in ``given``."""

    menu: ClassVar[Menu] = Menu("Rows that are translations")
    kind: Literal["originals"] = "originals"
    group: Annotated[str, asked("a text has the same", editor="column")]
    language: Annotated[str, asked("its language is in", editor="column")]
    original: Annotated[str, asked("the original is in")]
    given: str = ""
    needs_all: ClassVar[bool] = True

    @property
    def above(self) -> str:
        """The column that says which is the original."""
        return f"{self.given or self.group} of the original"

    def sentence(self) -> str:
        return f"Rows with the same {self.group} are translations of the one in {self.original}"

    def seen_columns(self) -> set[str]:
        return {self.group, self.language, self.given} - {""}

    def used_columns(self) -> set[str]:
        return {self.group}

    def made_columns(self) -> set[str]:
        return {self.above}

    def apply(self, grains: Grains) -> Grains:
        frame = grains.records
        group, language = values_of(frame, self.group), values_of(frame, self.language)
        is_original = (language == self.original).fill_null(False)
        known = pl.DataFrame({"group": group, "given": values_of(frame, self.given or self.group)})
        known = known.filter(is_original).drop_nulls("group").unique("group", keep="first")
        joined = pl.DataFrame({"group": group}).join(known, on="group", how="left", maintain_order="left")
        above = joined["given"].set(is_original, None)
        lacking = frame.filter(above.is_null() & ~is_original & group.is_not_null())
        amiss = odd(lacking, NO_ORIGINAL, f"has no original in {self.original}", column=self.group,
                    values=values_of(lacking, self.group))  # fmt: skip
        # Originals first, as what is translated from them needs them.
        records = frame.with_columns(above.alias(self.above))
        order = pl.concat([is_original.arg_true(), (~is_original).arg_true()])
        return grains._replace(records=records[order], odd=(*grains.odd, amiss))

    def undo(self, grains: Grains) -> Grains:
        return grains._replace(records=grains.records.drop(self.above, strict=False))


class FurtherRows(OnSheet, frozen=True):
    """The rows of another sheet with the same columns are records as well."""

    menu: ClassVar[Menu] = Menu("Further records in another sheet")
    kind: Literal["further rows"] = "further rows"
    needs_all: ClassVar[bool] = True

    def sentence(self) -> str:
        return f"The rows of {self.sheet} are records as well"

    def seen_columns(self) -> set[str]:
        return set()

    def apply(self, grains: Grains) -> Grains:
        other = grains.sheets.get(self.sheet)
        if other is None:
            return grains
        frame = grains.records
        last = int(frame[RECORD].max() or 0) if frame.height else 0  # type: ignore[arg-type]
        numbers = pl.int_range(last + 1, last + 1 + other.height, dtype=pl.Int64, eager=True)
        more = other.select(ROW, *sheet_column(other), *own_columns(other)).with_columns(
            numbers.alias(RECORD), pl.lit(None, dtype=pl.String).alias(FLAG)
        )
        return grains._replace(records=pl.concat([frame, more], how="diagonal"))

    def undo(self, grains: Grains) -> Grains:
        # All of them fit into one sheet.
        empty = grains.records.head(0).drop(RECORD, SHEET, FLAG, strict=False)
        numbers = pl.int_range(2, grains.records.height + 2, dtype=pl.Int64, eager=True)
        records = grains.records.with_columns(numbers.alias(RECORD), numbers.alias(ROW))
        return grains._replace(records=records, sheets={**grains.sheets, self.sheet: empty})


def language_codes_in(column: str) -> Iterator[tuple[str, str]]:
    """The languages that the name of a column may say, each with the name without it: “Title (nb)”, “title_nb”."""
    for found in _CODE.finditer(column):
        code = found["code"].lower()
        if code[:2] in _LANGUAGES:
            yield re.sub(r"[\s_()\[\].:/-]+", " ", column[: found.start()] + column[found.end() :]).strip(), code


def spreads(frame: pl.DataFrame) -> Iterator[Found]:
    """The languages that a sheet has columns for: names that are alike but for a code."""
    families: dict[str, dict[str, str]] = {}
    for column in own_columns(frame):
        for name, code in language_codes_in(column):
            families.setdefault(name, {})[code] = column
    several = {name: columns for name, columns in families.items() if len(columns) >= _FEWEST and name}
    if not several:
        return
    codes = list(dict.fromkeys(code for columns in several.values() for code in columns))
    sets = {code: {name: columns[code] for name, columns in several.items() if code in columns} for code in codes}
    why = f"{len(several)} columns stand in {len(codes)} languages: {', '.join(codes)}"
    yield Found(shape=Spread(sets=sets), weight=0.9, reasons=(why,))


def variants(frame: pl.DataFrame) -> Iterator[Found]:
    """The variants that a sheet has columns for, each of which may be a record: “Price small, Price large, …”."""
    parts = families(own_columns(frame))
    if len(parts) >= _FEWEST:
        names = list(next(iter(parts.values())))
        if not all(name.lower()[:2] in _LANGUAGES and _CODE.fullmatch(name) for name in names):
            sets = {name: {part: columns[name] for part, columns in parts.items()} for name in names}
            why = f"{len(parts)} columns stand there for each of {', '.join(names)}"
            yield Found(shape=Spread(sets=sets, called=VARIANT, equals=True), weight=0.5, reasons=(why,))


def originals(frame: pl.DataFrame, says_language: str | None) -> Iterator[Found]:
    """The columns by which rows of a sheet are one text in several languages."""
    if says_language is None:
        return
    language = values_of(frame, says_language)
    codes = language.drop_nulls().unique(maintain_order=True).to_list()
    if not _FEWEST <= len(codes) <= 60:
        return
    for name in own_columns(frame):
        group = values_of(frame, name)
        whole = group.count() >= _NEARLY_ALL * len(group)
        if name == says_language or not whole or group.n_unique() > _MOSTLY * group.count():
            continue
        pairs = pl.DataFrame({"group": group, "language": language}).drop_nulls()
        # No group has a language twice.
        if not pairs.height or pairs.unique().height < _NEARLY_ALL * pairs.height:
            continue
        groups = pairs["group"].n_unique()
        counts = dict(pairs.group_by("language").len().iter_rows())
        # Of those that every text has, the one that comes first.
        first = next((code for code in codes if counts.get(code, 0) >= _NEARLY_ALL * groups), None)
        if first is not None and groups * _FEWEST * 0.75 <= pairs.height:
            why = f"{pairs.height:,} rows are {groups:,} texts in {len(codes)} languages by “{name}”"
            yield Found(shape=Originals(group=name, language=says_language, original=first), weight=0.9, reasons=(why,))
            return


def further_rows(frame: pl.DataFrame, sheets: Mapping[str, pl.DataFrame]) -> Iterator[Found]:
    """Other sheets with much the same columns."""
    ours = set(own_columns(frame))
    for name, other in sheets.items():
        theirs = set(own_columns(other))
        shared = ours & theirs
        if len(shared) >= max(3, _MOSTLY * len(ours | theirs)):
            why = f"{name} has {len(shared)} of the {len(ours | theirs)} columns of both, and {other.height:,} rows"
            yield Found(shape=FurtherRows(sheet=name), weight=0.85, reasons=(why,))
