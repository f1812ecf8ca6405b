"""Answers that stay right until something changes: worked out once, however many people ask for them."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable, Sequence
from threading import Lock
from typing import Generic, TypeVar

from sqlalchemy.orm import Session

from datorum.stations.imports import no_such_import
from datorum.store.queries import QUERIES

Answer = TypeVar("Answer")


def state_of(store: Session, import_id: int) -> Hashable:
    """Another value as soon as anything has changed that the stations show of an import, but for the figures of work
    that goes on. Raises NotFound."""
    found = states_of(store, [import_id])
    if import_id not in found:
        raise no_such_import(import_id)
    return found[import_id]


def states_of(store: Session, imports: Sequence[int], query: str = "states_of_imports") -> dict[int, Hashable]:
    """The states of several imports, asked for at once."""
    store.flush()
    rows = store.execute(QUERIES[query], {"imports": list(imports)}).all()
    return {number: tuple(state) for number, *state in rows}


class Remembered(Generic[Answer]):
    """The latest answers by their questions. Who asks what is being worked out waits for it."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._answers: OrderedDict[Hashable, tuple[Hashable, Answer]] = OrderedDict()
        self._under_way: dict[Hashable, Lock] = {}
        self._lock = Lock()

    def get(self, question: Hashable, state: Hashable, work_out: Callable[[], Answer]) -> Answer:
        """The answer to a question in this state."""
        with self._lock:
            turn = self._under_way.setdefault(question, Lock())
        with turn:
            with self._lock:
                known = self._answers.get(question)
            if known is not None and known[0] == state:
                return known[1]
            answer = work_out()
            with self._lock:
                self._answers[question] = state, answer
                self._answers.move_to_end(question)
                while len(self._answers) > self._most:
                    gone, _ = self._answers.popitem(last=False)
                    self._under_way.pop(gone, None)
            return answer
