"""What sheets of a migration make that go before one and bring records of the same type: none of it is made twice."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.json_text import loads
from datorum.core.link.keys import compared
from datorum.core.model import Action, Field
from datorum.core.plan.frame import after
from datorum.stations.imports import Opened, get_import
from datorum.stations.surroundings import Surroundings
from datorum.store import models, plan_items, snapshots

SIBLINGS = "siblings"
"""Under this a plan keeps which plans of those before it were known of."""


def siblings_known(now: Opened, around: Surroundings) -> str:
    """Which plans there are of the imports that bring records of the same type before an import does."""
    return " ".join(f"{one.id}:{one.planned}" for one in around.before(now.item) if one.planned is not None)


class MadeBefore:
    """The records that those before an import are to make, or have made since the site was read, by the keys by which
    its own are looked for; ``ways``: the fields of each."""

    def __init__(
        self, store: Session, now: Opened, around: Surroundings, ways: Sequence[tuple[Field, ...]],
        since: dt.datetime | None,
    ) -> None:  # fmt: skip
        found: list[list[pl.DataFrame]] = [[] for _ in ways]
        for one in around.before(now.item):
            if one.planned is None:
                continue
            name = get_import(store, one.id).name
            to_come = () if _is_through(store, one.planned) else ("pending", "sending")
            for _, frame in plan_items.in_chunks(store, one.planned, *to_come, since=since):
                made = frame.filter(
                    (pl.col("action") == Action.CREATE.value) & (pl.col("record_type") == "")
                    & pl.col("of_item").is_null()
                )  # fmt: skip
                for known, way in zip(found, ways, strict=True):
                    keys = compared(way, [_sent(made, field.path) for field in way])
                    known.append(made.select(pl.lit(keys).alias("key"), pl.lit(name).alias("name"), "row"))
        self._ways = [_first_of_each(known) for known in found]

    def reasons(self, records: pl.Series, keys: Sequence[pl.Series]) -> dict[int, str]:
        """Why some records are held, of those that are made before; ``keys`` of each, a series for each way."""
        held: dict[int, str] = {}
        for known, texts in zip(self._ways, keys, strict=True):
            if known is not None:
                met = pl.DataFrame({"record": records, "key": texts}).join(known, on="key", maintain_order="left")
                for record, name, row in met.select("record", "name", "row").iter_rows():
                    held.setdefault(record, _said(name, row))
        return held


def _first_of_each(known: Sequence[pl.DataFrame]) -> pl.DataFrame | None:
    return pl.concat(known).drop_nulls("key").unique("key", keep="first") if known else None


def _is_through(store: Session, plan_id: int) -> bool:
    """Whether nothing more of a plan is to come, be it that somebody has given up the rest."""
    run = models.Run
    asked = select(run.state).where(run.plan_id == plan_id, run.kind == "main").order_by(run.id.desc()).limit(1)
    return store.scalar(asked) in ("done", "ended")


def _said(name: str, row: int | None) -> str:
    of = f" from its row {row:,}" if row is not None else ""
    return f"made by “{name}”{of}, which goes before; rehearse again when that has run"


def _sent(frame: pl.DataFrame, path: str) -> pl.Series:
    """What a field of some records is sent as, as the text of a key."""
    column = after(path)
    if column not in frame.columns:
        return pl.repeat(None, frame.height, dtype=pl.String, eager=True)
    texts = [None if value is None else snapshots.text_of(loads(value)) for value in frame[column]]
    return pl.Series(texts, dtype=pl.String)
