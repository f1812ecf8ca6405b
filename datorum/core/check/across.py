"""Rules across the fields of one record: an end behind its start, a sale price below the price, parts that add up."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import product

import polars as pl

from datorum.core.check.findings import findings_frame
from datorum.core.model import Field, FieldType, RecordType
from datorum.core.steps.landing import Landed
from datorum.core.suggest.names import tokens

_CENT = 0.011


def across(rows: pl.Series, record_type: RecordType, landed: dict[str, Landed]) -> Iterator[pl.DataFrame]:
    """The findings on pairs of fed fields."""
    fed = [field for field in record_type.writable if field.path in landed]
    yield from _out_of_order(rows, fed, landed)
    yield from _above_price(rows, fed, landed)


def across_pairs(record_type: RecordType) -> Iterator[tuple[str, str]]:
    """The paths of the fields that a rule holds together, where both are fed."""
    for one, other in (*_periods(list(record_type.writable)), *_prices(list(record_type.writable))):
        yield one.path, other.path


def _periods(fields: list[Field]) -> Iterator[tuple[Field, Field]]:
    dates = [field for field in fields if field.type in (FieldType.DATE, FieldType.DATE_TIME)]
    for start, end in _pairs(dates, frozenset({"start"}), frozenset({"end"})):
        if start.type is end.type:
            yield start, end


def _prices(fields: list[Field]) -> Iterator[tuple[Field, Field]]:
    amounts = [field for field in fields if field.type in (FieldType.NUMBER, FieldType.INTEGER)]
    yield from _pairs(amounts, frozenset({"sale"}), frozenset({"regular"}))
    yield from _pairs(amounts, frozenset({"sale"}), frozenset())


def _pairs(fields: list[Field], first: frozenset[str], second: frozenset[str]) -> Iterator[tuple[Field, Field]]:
    """Fields of the same object whose names differ in just one concept."""
    for one, other in product(fields, fields):
        a, b = set(tokens(one.path.replace(".", " "))), set(tokens(other.path.replace(".", " ")))
        same_object = one.path.rpartition(".")[0] == other.path.rpartition(".")[0]
        if same_object and one.path != other.path and first <= a and second <= b and a - first == b - second:
            yield one, other


def _out_of_order(rows: pl.Series, fields: list[Field], landed: dict[str, Landed]) -> Iterator[pl.DataFrame]:
    for start, end in _periods(fields):
        first, last = landed[start.path].values, landed[end.path].values
        wrong = (last < first).fill_null(False)
        if wrong.any():
            says = [f"ends before it begins ({value})" for value in first.filter(wrong)]
            yield findings_frame(rows.filter(wrong), end.path, "out of order", last.filter(wrong), says)


def _above_price(rows: pl.Series, fields: list[Field], landed: dict[str, Landed]) -> Iterator[pl.DataFrame]:
    for sale, price in _prices(fields):
        low, full = _numbers(landed[sale.path]), _numbers(landed[price.path])
        wrong = (low >= full).fill_null(False)
        if wrong.any():
            says = [f"is not below the price, {value}" for value in landed[price.path].values.filter(wrong)]
            values = landed[sale.path].values.filter(wrong)
            yield findings_frame(rows.filter(wrong), sale.path, "above its price", values, says)


def _numbers(landed: Landed) -> pl.Series:
    return landed.values.cast(pl.Float64, strict=False)


class OrderSums:
    """An order's lines, which may be several rows, with what else makes its total."""

    def __init__(self, record_type: RecordType) -> None:
        self._by_concept: dict[frozenset[str], str] = {}
        lists = record_type.lists
        for field in record_type.writable:
            concepts = set(tokens(field.path.rsplit(".", 1)[-1]))
            if field.in_list in lists and field.in_list is not None:
                concepts.add("line")
            if field.type in (FieldType.NUMBER, FieldType.INTEGER):
                self._by_concept.setdefault(frozenset(concepts), field.path)
        self._total = self._path("total")
        self._quantity, self._price = self._path("line", "quantity"), self._path("line", "price")
        self._others = {
            path: sign
            for concepts, sign in ((("shipping", "cost"), 1.0), (("tax",), 1.0), (("discount",), -1.0))
            if (path := self._path(*concepts))
        }
        self._lines = {field.path for field in record_type.writable if field.in_list}
        self._parts: list[pl.DataFrame] = []

    def _path(self, *concepts: str) -> str | None:
        return self._by_concept.get(frozenset(concepts))

    def see(self, rows: pl.Series, key: pl.Series | None, landed: dict[str, Landed]) -> None:
        """Take some more rows; ``key`` tells which rows are of one order."""
        needed = (self._total, self._quantity, self._price)
        if key is None or any(path is None or path not in landed for path in needed):
            return
        assert self._total is not None
        assert self._quantity is not None
        assert self._price is not None
        columns = {"row": rows, "key": key, "total": _numbers(landed[self._total])}
        columns["line"] = _numbers(landed[self._quantity]) * _numbers(landed[self._price])
        rest = pl.repeat(0.0, len(rows), eager=True)
        for path, sign in self._others.items():
            if path in landed:
                rest = rest + sign * _numbers(landed[path]).fill_null(0.0).abs()
        columns["rest"] = rest
        columns["tax"] = (
            _numbers(landed[tax]).fill_null(0.0).abs()
            if (tax := self._path("tax")) and tax in landed
            else pl.repeat(0.0, len(rows), eager=True)
        )
        self._parts.append(pl.DataFrame(columns).drop_nulls("key"))

    def findings(self) -> Iterator[pl.DataFrame]:
        """Totals that are not the sum of their order's lines, shipping and tax, less the discount, within a cent.

        Prices may hold the tax already, so a total that fits without it is right as well.
        """
        if not self._parts or self._total is None:
            return
        orders = (
            pl.concat(self._parts)
            .group_by("key", maintain_order=True)
            .agg(
                pl.col("row").first(),
                pl.col("total").drop_nulls().first(),
                pl.col("line").sum(),
                pl.col("line").null_count().alias("unread"),
                pl.col("rest").first(),
                pl.col("tax").first(),
            )
            .filter(pl.col("total").is_not_null() & (pl.col("unread") == 0))
            .with_columns((pl.col("line") + pl.col("rest")).alias("sum"))
        )
        wrong = orders.filter(
            ((pl.col("sum") - pl.col("total")).abs() > _CENT)
            & ((pl.col("sum") - pl.col("tax") - pl.col("total")).abs() > _CENT)
        )
        if wrong.height:
            says = [f"is not the sum of its lines and charges, {value:,.2f}" for value in wrong["sum"]]
            shown = [f"{value:.2f}" for value in wrong["total"]]
            yield findings_frame(wrong["row"], self._total, "sum", shown, says)

    def without_lines(self, rows: pl.Series, landed: dict[str, Landed]) -> Iterator[pl.DataFrame]:
        """Rows in which nothing of a line stands, where lines are fed at all."""
        fed = [landed[path].values for path in self._lines if path in landed]
        if not fed:
            return
        empty = pl.select(pl.all_horizontal(*(values.is_null() for values in fed))).to_series()
        if empty.any():
            yield findings_frame(rows.filter(empty), "", "no line", None, "has no line: all of its cells are blank")
