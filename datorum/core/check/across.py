"""What holds between the fields of one record, as the record type has it: an end behind its start, a sale price below
the price, parts that add up."""

from __future__ import annotations

from collections.abc import Iterator

import polars as pl

from datorum.core.check.findings import findings_frame
from datorum.core.model import RecordType, Relation, RelationKind
from datorum.core.steps.landing import Landed

_CENT = 0.011


def across(rows: pl.Series, record_type: RecordType, landed: dict[str, Landed]) -> Iterator[pl.DataFrame]:
    """The findings on pairs of fed fields."""
    for one in record_type.relations:
        if one.kind in _PAIRS and all(path in landed for path in one.parts.values()):
            yield from _PAIRS[one.kind](rows, one, landed)


def across_pairs(record_type: RecordType) -> Iterator[set[str]]:
    """The paths of the fields that are held together, where all of them are fed."""
    for one in record_type.relations:
        if one.kind in _PAIRS:
            yield set(one.parts.values())


def _out_of_order(rows: pl.Series, one: Relation, landed: dict[str, Landed]) -> Iterator[pl.DataFrame]:
    first, last = landed[one.parts["first"]].values, landed[one.parts["last"]].values
    wrong = (last < first).fill_null(False)
    if wrong.any():
        says = [f"ends before it begins ({value})" for value in first.filter(wrong)]
        yield findings_frame(rows.filter(wrong), one.parts["last"], "out of order", last.filter(wrong), says)


def _above_price(rows: pl.Series, one: Relation, landed: dict[str, Landed]) -> Iterator[pl.DataFrame]:
    sale, price = landed[one.parts["less"]], landed[one.parts["more"]]
    wrong = (_numbers(sale) >= _numbers(price)).fill_null(False)
    if wrong.any():
        says = [f"is not below the price, {value}" for value in price.values.filter(wrong)]
        yield findings_frame(rows.filter(wrong), one.parts["less"], "above its price", sale.values.filter(wrong), says)


_PAIRS = {RelationKind.IN_ORDER: _out_of_order, RelationKind.BELOW: _above_price}


def _numbers(landed: Landed) -> pl.Series:
    return landed.values.cast(pl.Float64, strict=False)


class OrderSums:
    """An order's lines, which may be several rows, with what else makes its total."""

    def __init__(self, record_type: RecordType) -> None:
        sums = (one.parts for one in record_type.relations if one.kind is RelationKind.SUM)
        parts = next(sums, {})
        self._total = parts.get("total")
        self._quantity, self._price, self._tax = parts.get("quantity"), parts.get("price"), parts.get("tax")
        signs = {"shipping": 1.0, "tax": 1.0, "discount": -1.0}
        self._others = {parts[part]: sign for part, sign in signs.items() if part in parts}
        self._lines = {field.path for field in record_type.writable if field.in_list}
        self._parts: list[pl.DataFrame] = []

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
            if (tax := self._tax) and tax in landed
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
