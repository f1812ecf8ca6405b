"""Background work on procrastinate, a queue that lives in the same PostgreSQL."""

from datorum.jobs.queue import defer, open_queue, work

__all__ = ["defer", "open_queue", "work"]
