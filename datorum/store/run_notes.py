"""What happens in a run, in words, for whoever looks at it."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.store.models import RunEvent


def note(store: Session, run_id: int, mark: str, text: str) -> None:
    """Keep what has happened in a run. ``mark``: good, warned, held or same."""
    store.add(RunEvent(run_id=run_id, mark=mark, text=text))


def notes_of(store: Session, run_id: int, count: int) -> list[RunEvent]:
    """The last of what has happened in a run, the latest first."""
    asked = select(RunEvent).where(RunEvent.run_id == run_id).order_by(RunEvent.id.desc())
    return list(store.scalars(asked.limit(count)))
