"""Records of a tree by their paths from its top."""

from __future__ import annotations

import polars as pl

from datorum.core.match_key import key_texts
from datorum.core.model import Field
from datorum.core.model.link_rule import BETWEEN_PARTS

_DEEPEST = 64


def path_keys(field: Field, values: pl.Series, parted_by: str) -> pl.Series:
    """What paths are compared by: the keys on them, from the top, each as its type demands; null where there is
    none."""
    parts = (
        pl.DataFrame({"at": pl.int_range(len(values), eager=True), "part": values.str.split(parted_by.strip() or " ")})
        .explode("part")
        .with_columns(pl.col("part").str.strip_chars())
        .filter(pl.col("part") != "")
    )
    parts = parts.with_columns(key_texts(field, parts["part"]).alias("key")).drop_nulls("key")
    joined = parts.group_by("at").agg(pl.col("key").str.join(BETWEEN_PARTS))
    whole = pl.DataFrame({"at": pl.int_range(len(values), eager=True)})
    return whole.join(joined, on="at", how="left", maintain_order="left")["key"]


def walked(keys: pl.Series, own: pl.Series, above: pl.Series) -> pl.Series:
    """The paths of all records of a tree: of each its key, its ``own`` reference, and that of the one ``above`` it,
    null at the top. Null where no top is reached: the one above is not there, or stands below it."""
    nodes = pl.DataFrame({"key": keys, "own": own, "above": above})
    over = nodes.drop_nulls("own").unique("own", keep="last").select(above="own", over="key", further="above")
    paths = nodes.select(path="key", above="above")
    for _ in range(_DEEPEST):
        if not paths["above"].is_not_null().any():
            break
        joined = paths.join(over, on="above", how="left", maintain_order="left")
        deeper = pl.col("above").is_not_null()
        paths = joined.select(
            path=pl.when(deeper).then(pl.col("over") + BETWEEN_PARTS + pl.col("path")).otherwise("path"),
            above=pl.when(deeper & pl.col("over").is_not_null()).then("further"),
        )
    return paths.select(pl.when(pl.col("above").is_null()).then("path")).to_series()


def above_on(path: str) -> str:
    """The path of the one above; empty at the top."""
    return path.rpartition(BETWEEN_PARTS)[0]
