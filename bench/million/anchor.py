"""The anchor: what a person would write by hand with Polars for the same work, one pass over one frame in memory.

Read, land 18 fields, hold them to the same constraints, profile the columns, write sheet, landed values and findings.
"""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path
from tempfile import TemporaryDirectory

import polars as pl

_MARKS = r"^[\p{L}\p{Sc}.\s]*?([-+−]?)(\d[\d.,\s]*?)(?:,-|\s*[\p{L}\p{Sc}.\s]*)?$"
_YES = ["yes", "y", "true", "t", "1", "on", "x", "ja", "j"]
_NO = ["no", "n", "false", "f", "0", "off", "nei", "nein"]


def main(path: Path, tables: dict[str, dict[str, str]]) -> None:
    began = time.perf_counter()
    frame = pl.read_csv(path, infer_schema=False).with_row_index("row")
    columns = [name for name in frame.columns if name != "row"]
    profile = [frame[name].value_counts(sort=True).head(8) for name in columns]
    filled = frame.select(pl.col(columns).replace("", None).count())

    def trim(name: str) -> pl.Expr:
        return pl.col(name).str.replace_all(r"[ \t\u{a0}]+", " ").str.strip_chars()

    amount = pl.col("Total Spent").str.strip_chars()
    landed = frame.select(
        "row",
        number=pl.col("Customer ID"),
        email=trim("E-mail Address").str.to_lowercase(),
        name=pl.concat_str(trim("First Name"), trim("Surname"), separator=" ", ignore_nulls=True),
        company=trim("Company"),
        plan=trim("Tier").replace_strict(tables["plan"], default=None, return_dtype=pl.String),
        joined_at=pl.col("Joined").str.strptime(pl.Datetime, "%d/%m/%Y %H:%M", strict=False)
        .dt.strftime("%Y-%m-%dT%H:%M:%SZ"),
        birth_date=pl.col("Date of Birth").str.strptime(pl.Date, "%d/%m/%Y", strict=False).dt.strftime("%Y-%m-%d"),
        phone=pl.col("Telephone"),
        street=trim("Street"),
        street2=trim("Street 2"),
        postcode=pl.col("Postcode"),
        city=trim("City"),
        country=trim("Country").replace_strict(tables["address.country"], default=None, return_dtype=pl.String),
        language=pl.col("Language"),
        newsletter=pl.col("Newsletter").str.strip_chars().str.to_lowercase().replace_strict(
            {**dict.fromkeys(_YES, "true"), **dict.fromkeys(_NO, "false")}, default=None, return_dtype=pl.String
        ),
        total_spent=amount.str.extract(_MARKS, 1) + amount.str.extract(_MARKS, 2).str.replace_all(r"[\s,]", ""),
        orders_count=pl.col("Orders"),
        notes=pl.col("Notes"),
    )  # fmt: skip
    number = pl.col("total_spent").cast(pl.Float64, strict=False)
    rules = {
        ("number", "type"): ~pl.col("number").str.contains(r"^\d+$"),
        ("email", "required"): pl.col("email").is_null() | (pl.col("email") == ""),
        ("email", "format"): ~pl.col("email").str.contains(r"^[^@\s]+@[^@\s]+\.[a-z]{2,}$"),
        ("email", "length"): pl.col("email").str.len_chars() > 254,
        ("email", "twice"): pl.col("email").is_duplicated(),
        ("name", "required"): pl.col("name").is_null() | (pl.col("name") == ""),
        ("name", "length"): pl.col("name").str.len_chars() > 120,
        ("company", "length"): pl.col("company").str.len_chars() > 120,
        ("plan", "enum"): ~pl.col("plan").is_in(["seedling", "sapling", "grove", "orchard"]),
        ("joined_at", "date"): pl.col("joined_at").is_null(),
        ("phone", "pattern"): ~pl.col("phone").str.contains(r"^\+[1-9][0-9]{6,14}$"),
        ("street", "length"): pl.col("street").str.len_chars() > 120,
        ("postcode", "length"): pl.col("postcode").str.len_chars() > 12,
        ("postcode", "pattern"): ~pl.col("postcode").str.contains(r"^[A-Z0-9][A-Z0-9 \-]*$"),
        ("city", "length"): pl.col("city").str.len_chars() > 80,
        ("country", "enum"): ~pl.col("country").is_in(["NO", "DE", "SE", "DK", "GB", "IE"]),
        ("language", "enum"): ~pl.col("language").is_in(["en", "nb", "de"]),
        ("newsletter", "type"): pl.col("newsletter").is_null(),
        ("total_spent", "range"): number < 0,
        ("orders_count", "type"): ~pl.col("orders_count").str.contains(r"^\d+$"),
        ("notes", "length"): pl.col("notes").str.len_chars() > 2000,
    }
    findings = pl.concat(
        [
            landed.filter(broken.fill_null(False)).select(
                "row", pl.lit(field).alias("field"), pl.lit(rule).alias("rule"), pl.col(field).alias("value")
            )
            for (field, rule), broken in rules.items()
        ]
    )
    groups = findings.group_by("field", "rule").len()
    with TemporaryDirectory() as folder:
        frame.write_parquet(Path(folder) / "sheet.parquet", compression="zstd", compression_level=1)
        landed.write_parquet(Path(folder) / "landed.parquet", compression="zstd", compression_level=1)
        findings.write_parquet(Path(folder) / "findings.parquet")
    print(time.perf_counter() - began, len(profile), filled.height, groups.height, findings.height)


if __name__ == "__main__":
    main(Path(sys.argv[1]), json.loads(sys.argv[2]))
