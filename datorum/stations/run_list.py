"""What became of the records of a run as a list to take away: what each is on the site, and where it stands there."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.errors import NotFound
from datorum.core.plan.frame import ITEM
from datorum.core.table import ROW
from datorum.core.table.sheets_writer import SheetsWriter
from datorum.store import models, plan_items
from datorum.store.rows import SheetRows

_KEY, _ID, _PAGE, _DONE = "Key", "Id on the site", "Page", "Done"


def write_list(store: Session, run: models.Run, columns: Sequence[str], path: Path) -> None:
    """Write the id map of a run: of each record that it has sent the row, the key, what some columns of the sheet have,
    and its id and page on the site; as a workbook or CSV by the path's name. Raises NotFound where the sheet has no
    such column."""
    with SheetsWriter(path) as writer:
        header = pl.DataFrame(schema=dict.fromkeys(["Row", _KEY, *columns, _ID, _PAGE, _DONE], pl.String))
        writer.add("Records", header)
        for frame in _sent(store, run, columns):
            writer.add("Records", frame.select(pl.col(ROW).cast(pl.String).alias("Row"), pl.exclude(ROW)))


def write_redirects(store: Session, run: models.Run, column: str, path: Path) -> None:
    """Write the old and the new address of each record of a run that has both, the old one as a column of the sheet has
    it. Raises NotFound where the sheet has no such column."""
    with SheetsWriter(path) as writer:
        writer.add("Redirects", pl.DataFrame(schema={"From": pl.String, "To": pl.String}))
        for frame in _sent(store, run, [column]):
            both = frame.filter(pl.col(column).str.strip_chars() != "", pl.col(_PAGE).is_not_null())
            writer.add("Redirects", both.select(From=pl.col(column).str.strip_chars(), To=pl.col(_PAGE)))


def _sent(store: Session, run: models.Run, columns: Sequence[str]) -> Iterator[pl.DataFrame]:
    """What a run has sent, some records at a time, in the sheet's order."""
    sheet = store.get_one(models.StoredSheet, run.plan.sheet_id)
    for name in columns:
        if name not in sheet.headers:
            raise NotFound(f"The sheet has no column “{name}”.", remedy=f"Name one of: {', '.join(sheet.headers)}.")
    rows = SheetRows(store, sheet, run.plan.import_id)
    kept = models.PlanItem
    asked = select(kept.item, kept.chunk, kept.record_id, kept.page).where(
        kept.plan_id == run.plan_id, kept.run_id == run.id, kept.state == "done", kept.record_type == "",
        kept.of_item.is_(None),
    )  # fmt: skip
    schema = {ITEM: pl.Int64, "chunk": pl.Int64, "id": pl.String, "page": pl.String}
    done = pl.DataFrame(store.execute(asked.order_by(kept.chunk, kept.item)).all(), schema=schema, orient="row")
    for (number,), here in done.group_by("chunk", maintain_order=True):
        told = plan_items.chunk(store, run.plan_id, int(number)).select(
            ITEM, pl.col("row").alias(ROW), _KEY_OF, pl.col("action").alias(_DONE), pl.col("page").alias("page before")
        )
        frame = here.join(told, on=ITEM, how="left", maintain_order="left")
        supplied = rows.of(frame[ROW].drop_nulls().to_list()).select(ROW, *columns)
        frame = frame.join(supplied, on=ROW, how="left", maintain_order="left")
        yield frame.select(
            ROW, _KEY, *columns, pl.col("id").alias(_ID), pl.coalesce("page", "page before").alias(_PAGE), _DONE
        )


_KEY_OF = pl.col("key").alias(_KEY)
