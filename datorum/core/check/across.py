"""What holds between the fields of one record, as the record type has it: an end behind its start, a sale price below
the price, parts that add up."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import polars as pl

from datorum.core.check.findings import Where, findings_frame
from datorum.core.model import WHOLE_ROW, RecordType, Relation, RelationKind
from datorum.core.model.record import SAYS_SHARE
from datorum.core.said import said
from datorum.core.steps.landing import Landed

OUT_OF_ORDER = said(
    "out of order", "ends before it begins", "Look whether the two columns are swapped, or correct the rows."
)
ABOVE_ITS_PRICE = said(
    "above its price", "is not below the price", "Look whether the two columns are swapped, or correct the rows."
)
MORE_THAN_ALL = said(
    "more than all", "is a share of more than all", "Look whether it is an amount, or correct the rows."
)
SUM = said("sum", "is not the sum of its parts", "Correct the rows, or look whether tax and shipping are read right.")
NO_LINE = said("no line", "has no line", "Feed the lines from columns, or leave the row out.")

Places = Mapping[str | None, Where]
"""Where the rows of each grain stand, by the path of a list; None: the records themselves."""


def across(where: Places, record_type: RecordType, landed: Mapping[str, Landed]) -> Iterator[pl.DataFrame]:
    """The findings on pairs of fed fields of one grain."""
    for one in record_type.relations:
        if one.kind in _PAIRS and all(path in landed for path in one.parts.values()):
            grains = {record_type.field(path).in_list for path in one.parts.values()}
            if len(grains) == 1:
                yield from _PAIRS[one.kind](where[grains.pop()], one, record_type, landed)


def across_pairs(record_type: RecordType) -> Iterator[set[str]]:
    """The paths of the fields that are held together, where all of them are fed."""
    for one in record_type.relations:
        yield set(one.parts.values())


def _out_of_order(where: Where, one: Relation, _: RecordType, landed: Mapping[str, Landed]) -> Iterator[pl.DataFrame]:
    first, last = landed[one.parts["first"]].values, landed[one.parts["last"]].values
    wrong = (last < first).fill_null(False)
    if wrong.any():
        says = [f"ends before it begins ({value})" for value in first.filter(wrong)]
        yield findings_frame(where.filter(wrong), one.parts["last"], OUT_OF_ORDER, last.filter(wrong), says)


def _above_price(
    where: Where, one: Relation, record_type: RecordType, landed: Mapping[str, Landed]
) -> Iterator[pl.DataFrame]:
    sale, price = landed[one.parts["less"]], landed[one.parts["more"]]
    amounts = [_amounts(record_type, landed, one.parts[name]) for name in ("less", "more")]
    wrong = (amounts[0] >= amounts[1]).fill_null(False)
    if wrong.any():
        says = [f"is not below the price, {value}" for value in price.values.filter(wrong)]
        yield findings_frame(where.filter(wrong), one.parts["less"], ABOVE_ITS_PRICE, sale.values.filter(wrong), says)


def _more_than_all(
    where: Where, one: Relation, record_type: RecordType, landed: Mapping[str, Landed]
) -> Iterator[pl.DataFrame]:
    amount, kind = landed[one.parts["amount"]], landed[one.parts["kind"]].values
    wrong = ((_amounts(record_type, landed, one.parts["amount"]) > _ALL) & kind.str.contains(SAYS_SHARE)).fill_null(
        False
    )
    if wrong.any():
        says = ["is a share of more than all"] * int(wrong.sum())
        yield findings_frame(where.filter(wrong), one.parts["amount"], MORE_THAN_ALL, amount.values.filter(wrong), says)


_ALL = 100.0
_PAIRS = {
    RelationKind.IN_ORDER: _out_of_order, RelationKind.BELOW: _above_price, RelationKind.SHARE: _more_than_all
}  # fmt: skip


def _amounts(record_type: RecordType, landed: Mapping[str, Landed], path: str) -> pl.Series:
    """The numbers of a field, be it described as one or as text."""
    values = landed[path].typed_rows(record_type.field(path))
    return values if values.dtype == pl.Float64 else values.cast(pl.Float64, strict=False)


_SIGNS = {"shipping": 1.0, "tax": 1.0, "discount": -1.0}
_NO_CENTS = ("BIF", "CLP", "DJF", "GNF", "ISK", "JPY", "KMF", "KRW", "PYG", "RWF", "UGX", "VND", "VUV", "XAF", "XOF",
             "XPF")  # fmt: skip
_THOUSANDTHS = ("BHD", "IQD", "JOD", "KWD", "LYD", "OMR", "TND")
"""Currencies whose smallest unit is not the hundredth (ISO 4217)."""
_SLIP = 1.1


def sums(where: Places, record_type: RecordType, landed: Mapping[str, Landed]) -> Iterator[pl.DataFrame]:
    """Totals that are not the sum of their record's lines, shipping and tax, less the discount, within the smallest
    unit of their currency.

    Prices may hold the tax already, so a total that fits without it is right as well; each line may have been rounded
    by itself.
    """
    for one in record_type.relations:
        parts = one.parts
        if one.kind is RelationKind.SUM and all(parts[name] in landed for name in RelationKind.SUM.parts):
            yield from _unlike_their_sum(where, parts, record_type, landed)


def _unlike_their_sum(
    where: Places, parts: Mapping[str, str], record_type: RecordType, landed: Mapping[str, Landed]
) -> Iterator[pl.DataFrame]:
    own, of_list = where[None], record_type.field(parts["price"]).in_list
    amounts = {name: _amounts(record_type, landed, parts[name])
               for name in (*RelationKind.SUM.parts, *_SIGNS) if parts.get(name, "") in landed}  # fmt: skip
    unit = _unit(landed.get(parts.get("currency", "")), len(own))
    lines = pl.DataFrame({
        "record": where[of_list].records,
        "line": amounts["quantity"] * amounts["price"],
    })  # fmt: skip
    lines = lines.join(pl.DataFrame({"record": own.records, "unit": unit}), on="record", how="left")
    by_record = lines.group_by("record").agg(
        pl.col("line").sum().alias("lines"),
        ((pl.col("line") / pl.col("unit")).round() * pl.col("unit")).sum().alias("rounded"),
        pl.col("line").null_count().alias("unread"),
    )
    charged = {name: amounts[name].fill_null(0.0).abs() * sign for name, sign in _SIGNS.items() if name in amounts}
    orders = pl.DataFrame({
        "record": own.records, "at": pl.int_range(len(own), eager=True), "unit": unit,
        "total": amounts["total"], **charged,
    }).join(by_record, on="record", how="inner", maintain_order="left").filter(
        pl.col("total").is_not_null() & (pl.col("unread") == 0)
    )  # fmt: skip
    charges = pl.sum_horizontal(pl.lit(0.0), *charged)
    tax = pl.col("tax") if "tax" in charged else pl.lit(0.0)
    gaps = [
        (pl.col(sum_of_lines) + charges - without - pl.col("total")).abs()
        for sum_of_lines in ("lines", "rounded") for without in (pl.lit(0.0), tax)
    ]  # fmt: skip
    wrong = orders.filter(pl.min_horizontal(*gaps) > _SLIP * pl.col("unit")).with_columns(charges.alias("charges"))
    if wrong.height:
        says = [_told(row, charged) for row in wrong.iter_rows(named=True)]
        shown = [f"{value:.2f}" for value in wrong["total"]]
        yield findings_frame(own.gather(wrong["at"]), parts["total"], SUM, shown, says)


def _told(row: Mapping[str, float], charged: Mapping[str, object]) -> str:
    parts = [f"lines {row['lines']:,.2f}"]
    parts += [f"{'less' if row[name] < 0 else 'with'} {name} {abs(row[name]):,.2f}" for name in charged if row[name]]
    return f"is not the sum of its lines and charges, {row['lines'] + row['charges']:,.2f} ({', '.join(parts)})"


def _unit(currency: Landed | None, height: int) -> pl.Series:
    """The smallest unit of the currency of each record."""
    if currency is None:
        return pl.repeat(0.01, height, dtype=pl.Float64, eager=True)
    code = pl.lit(currency.values.str.to_uppercase())
    return pl.select(
        pl.when(code.is_in(_NO_CENTS)).then(1.0).when(code.is_in(_THOUSANDTHS)).then(0.001).otherwise(0.01)
    ).to_series()


def without_lines(where: Places, record_type: RecordType, landed: Mapping[str, Landed]) -> Iterator[pl.DataFrame]:
    """Records in which nothing of a line stands, where lines are fed and make a total: of other lists a record may have
    none."""
    summed = {record_type.field(one.parts["price"]).in_list for one in record_type.relations
              if one.kind is RelationKind.SUM}  # fmt: skip
    for path in sorted(record_type.lists & summed):
        fed = [landed[field.path].values for field in record_type.writable
               if field.in_list == path and field.path in landed]  # fmt: skip
        if not fed:
            continue
        filled = pl.select(pl.any_horizontal(*(values.is_not_null() for values in fed))).to_series()
        having = where[path].records.filter(filled).unique()
        empty = ~where[None].records.is_in(having.implode())
        if empty.any():
            yield findings_frame(where[None].filter(empty), WHOLE_ROW, NO_LINE, None, "has no line: all are blank")
