"""Background work on procrastinate, a queue that lives in the same PostgreSQL."""

from datorum.jobs.queue import (
    defer_check,
    defer_rehearsal,
    defer_snapshot,
    defer_undo,
    defer_verification,
    open_queue,
    work,
)

__all__ = ["defer_check", "defer_rehearsal", "defer_snapshot", "defer_undo", "defer_verification", "open_queue", "work"]
