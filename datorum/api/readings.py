"""Files that are being read: how far each is, and that it should stop."""

from __future__ import annotations

import datetime as dt

from fastapi import APIRouter
from pydantic import BaseModel

from datorum.api.access import Editor, Store
from datorum.stations import reading

router = APIRouter(prefix="/api/readings", tags=["readings"])


class ReadingView(BaseModel):
    """``share`` of the file is done, 0 to 1, where that can be told."""

    rows_done: int
    share: float | None
    started_at: dt.datetime


@router.get("/{name}")
def get_reading(store: Store, by: Editor, name: str) -> ReadingView | None:
    """How far one's own reading is; nothing before it begins and once it is over."""
    found = reading.reading_of(store, name, by)
    if found is None:
        return None
    share = found.done / found.total if found.total else None
    return ReadingView(rows_done=found.done, share=share, started_at=found.asked_at)


@router.delete("/{name}", status_code=204)
def stop_reading(store: Store, by: Editor, name: str) -> None:
    """Have one's own reading stop; nothing of it is kept."""
    reading.stop_reading(store, name, by)
