"""The anchor: the same by hand with Polars, over one frame in memory: group, land, join, hold to the same rules, write.

Prints the seconds.
"""

from __future__ import annotations

import sys
import time
from pathlib import Path
from tempfile import TemporaryDirectory

import polars as pl

from bench.lines.data import CUSTOMERS, PRODUCTS, email, sku

_OWN = ("Customer e-mail", "Ordered", "Status", "Sum", "Postage")


def main(path: Path) -> None:
    customers = pl.DataFrame({"email": [email(n) for n in range(CUSTOMERS)], "customer_id": range(CUSTOMERS)})
    products = pl.DataFrame({"sku": [sku(n) for n in range(PRODUCTS)]}).with_columns(known=True)
    began = time.perf_counter()
    frame = pl.read_csv(path, infer_schema=False).with_row_index("row")
    profile = [frame[name].value_counts(sort=True).head(8) for name in frame.columns if name != "row"]
    orders = frame.group_by("Order no.", maintain_order=True).agg(
        pl.col("row").first(), *(pl.col(name).first() for name in _OWN),
        *(pl.col(name).n_unique().alias(f"{name} differs") for name in _OWN),
    )  # fmt: skip
    orders = orders.select(
        "row", number=pl.col("Order no."), email=pl.col("Customer e-mail").str.strip_chars().str.to_lowercase(),
        placed_at=pl.col("Ordered").str.strptime(pl.Date, "%d.%m.%Y", strict=False).dt.strftime("%Y-%m-%dT00:00:00Z"),
        status=pl.col("Status"), total=pl.col("Sum").cast(pl.Float64, strict=False),
        shipping=pl.col("Postage").cast(pl.Float64, strict=False),
        differs=pl.any_horizontal(*(pl.col(f"{name} differs") > 1 for name in _OWN)),
    ).join(customers, on="email", how="left")  # fmt: skip
    lines = frame.select(
        "row", number=pl.col("Order no."), sku=pl.col("SKU").str.strip_chars(), name=pl.col("Article"),
        quantity=pl.col("Qty").cast(pl.Int64, strict=False), price=pl.col("Price each").cast(pl.Float64, strict=False),
    ).join(products, on="sku", how="left")  # fmt: skip
    sums = lines.group_by("number").agg((pl.col("quantity") * pl.col("price")).sum().alias("lines"))
    orders = orders.join(sums, on="number", how="left")
    rules = {
        "number": ~pl.col("number").str.contains(r"^\d+$") | pl.col("number").is_duplicated(),
        "email": ~pl.col("email").str.contains(r"^[^@\s]+@[^@\s]+\.[a-z]{2,}$"),
        "customer": pl.col("customer_id").is_null(),
        "placed": pl.col("placed_at").is_null(),
        "status": ~pl.col("status").is_in(["paid", "sent", "done", "pending", "refunded", "cancelled"]),
        "total": pl.col("total").is_null() | (pl.col("total") < 0),
        "differs": pl.col("differs"),
        "sum": (pl.col("lines") + pl.col("shipping") - pl.col("total")).abs() > 0.011,
    }
    found = [orders.filter(rule).select("row", pl.lit(name).alias("rule")) for name, rule in rules.items()]
    of_lines = {
        "sku": ~pl.col("sku").str.contains(r"^[A-Z]{2}-\d{3}"),
        "product": pl.col("known").is_null(),
        "quantity": pl.col("quantity").is_null() | (pl.col("quantity") < 1),
        "price": pl.col("price").is_null() | (pl.col("price") < 0),
    }
    found += [lines.filter(rule).select("row", pl.lit(name).alias("rule")) for name, rule in of_lines.items()]
    with TemporaryDirectory() as folder:
        frame.write_parquet(Path(folder) / "sheet.parquet", compression="zstd", compression_level=1)
        pl.concat(found).write_parquet(Path(folder) / "findings.parquet")
    print(time.perf_counter() - began, sum(one.height for one in found), len(profile))


if __name__ == "__main__":
    main(Path(sys.argv[1]))
