"""Values that pass every rule of the site and look wrong all the same: those warn."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable, Iterator
from typing import NamedTuple

import polars as pl

from datorum.core.check.findings import Where, findings_frame
from datorum.core.model import Field, FieldMapping, FieldType
from datorum.core.said import said
from datorum.core.steps import ReadDate

IN_THE_FUTURE = said(
    "in the future", "lies in the future", "Look whether day and month, or the century, are read right."
)
PLACEHOLDER = said("placeholder", "looks like a placeholder", "Take such words as blank, or correct the rows.")
FAR_FROM_THE_REST = said(
    "far from the rest", "is far greater than the others", "Look whether the decimal mark is read right."
)
DAY_OR_MONTH = said(
    "day or month",
    "may have day and month swapped",
    "Look at a date that you know, and change the order in the step that reads it.",
)

_WIDEST_FUTURE = dt.timedelta(days=1)
_PLACEHOLDERS = ("test", "testing", "asdf", "qwerty", "xxx", "xxxx", "foo", "foobar", "todo", "tbd", "dummy", "example",
                 "null", "none", "undefined", "nan", "lorem ipsum", "#n/a", "#ref!", "#value!")  # fmt: skip
_FAR = 100.0
_FEWEST = 20
_EPOCHS = ("1970-01-01", "1900-01-01", "0001-01-01", "1899-12-30")

_LOOKS_BACK = ("birth", "born", "dob", "creat", "regist", "join", "since", "sign", "order", "placed", "purchas", "paid",
               "complet", "refund", "cancel", "login", "activ", "seen", "updat", "modif", "added")  # fmt: skip
"""Beginnings of the words that say of a date that it has been; any other may well lie ahead, as the end of an offer."""

_AMOUNTS = (
    "price",
    "total",
    "amount",
    "spent",
    "cost",
    "weight",
    "quantity",
    "stock",
    "sum",
    "value",
    "discount",
    "tax",
)


class _Suspicion(NamedTuple):
    name: str
    applies: Callable[[Field], bool]
    marks: Callable[[Field, pl.Series, dt.date], pl.Series]
    says: str


def _is_date(field: Field) -> bool:
    return field.type in (FieldType.DATE, FieldType.DATE_TIME)


def _looks_back(field: Field) -> bool:
    name = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", field.path.rsplit(".", 1)[-1])
    words = re.findall(r"[a-z]+", name.lower())
    return _is_date(field) and (words == ["date"] or any(word.startswith(_LOOKS_BACK) for word in words))


def _says(values: pl.Series, words: tuple[str, ...]) -> pl.Series:
    """Whether a value is one of some words, in any case; only the short ones are looked at."""
    short = (values.str.len_bytes() <= max(map(len, words)) + 2).fill_null(False)
    said = values.filter(short).str.strip_chars().str.to_lowercase().is_in(words)
    return pl.repeat(False, len(values), dtype=pl.Boolean, eager=True).scatter(short.arg_true(), said)


_SUSPICIONS = (
    _Suspicion(
        IN_THE_FUTURE,
        _looks_back,
        lambda field, values, today: values.str.slice(0, 10) > str(today + _WIDEST_FUTURE),
        "lies in the future",
    ),
    _Suspicion(
        PLACEHOLDER,
        _is_date,
        lambda field, values, today: values.str.slice(0, 10).is_in(_EPOCHS),
        "is what a blank date becomes in many systems",
    ),
    _Suspicion(
        PLACEHOLDER,
        lambda field: field.type is FieldType.TEXT and not field.enum and field.format != "email",
        lambda field, values, today: _says(values, _PLACEHOLDERS),
        "looks like a placeholder",
    ),
    _Suspicion(
        PLACEHOLDER,
        lambda field: field.format == "email",
        # Two patterns are looked for in less than half the time of one that is either.
        lambda field, values, today: (
            values.str.contains(r"^(?i:test)\d*@") | values.str.contains(r"@(?i:(test|example)\.(com|test))$")
        ),
        "looks like a placeholder",
    ),
)


def suspicious(field: Field, values: pl.Series, today: dt.date) -> Iterator[tuple[str, pl.Series, str]]:
    """For one field's sound values (null where one is blank or not sound) the suspicions that any of them raises: its
    name, where, and what is said."""
    for suspicion in _SUSPICIONS:
        if suspicion.applies(field):
            marked = suspicion.marks(field, values, today).fill_null(False)
            if marked.any():
                yield suspicion.name, marked, suspicion.says


class Median:
    """The median of a field's first values, against which later ones are held."""

    def __init__(self, field: Field) -> None:
        self._path = field.path
        self._median: float | None = None
        self.wanted = field.type in (FieldType.NUMBER, FieldType.INTEGER) and _is_amount(field)
        """Whether the field is an amount at all."""

    def far(self, where: Where, values: pl.Series, numbers: pl.Series) -> Iterator[pl.DataFrame]:
        """Amounts a hundred times the median of the sheet's first rows."""
        if self._median is None:
            known = numbers.drop_nulls().filter(numbers.drop_nulls() > 0)
            middle = known.median() if len(known) >= _FEWEST else 0.0
            self._median = float(middle) if isinstance(middle, int | float) else 0.0
        far = (numbers > _FAR * self._median).fill_null(False)
        if self._median > 0 and far.any():
            says = f"is more than {_FAR:,.0f} times the median, {self._median:,.6g}"
            yield findings_frame(
                where.filter(far), self._path, FAR_FROM_THE_REST, values.filter(far), says, blocks=False
            )


def _is_amount(field: Field) -> bool:
    return any(word in field.path.lower() for word in _AMOUNTS)


class DayOrMonth:
    """Dates that read as well with day and month swapped, where no date of the column tells the order."""

    def __init__(self, mapping: FieldMapping) -> None:
        step = next((step for step in mapping.steps if isinstance(step, ReadDate)), None)
        pattern = step.pattern if step else ""
        day, month = pattern.find("D"), pattern.find("M")
        named = "MMM" in pattern
        # A year that stands first is followed by the month, by common consent.
        self.open = day >= 0 and month >= 0 and not named and not pattern.startswith("Y")
        self._places: list[Where] = []
        self._values: list[pl.Series] = []

    def see(self, where: Where, values: pl.Series) -> None:
        """Take the sound values of some more rows."""
        if not self.open:
            return
        day = values.str.slice(8, 2).cast(pl.Int64, strict=False)
        if (day > 12).any():
            self.open = False
            self._places, self._values = [], []
            return
        either = (day != values.str.slice(5, 2).cast(pl.Int64, strict=False)).fill_null(False)
        self._places.append(where.filter(either))
        self._values.append(values.filter(either))

    def findings(self, field: Field) -> Iterator[pl.DataFrame]:
        """The rows whose date may be meant otherwise, where the whole sheet does not tell."""
        if not self.open:
            return
        says = "reads as well with day and month swapped, and no date of the column tells which is meant"
        for where, values in zip(self._places, self._values, strict=True):
            if len(where):
                yield findings_frame(where, field.path, DAY_OR_MONTH, values, says, blocks=False)
