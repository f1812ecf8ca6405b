"""Answers that stay right until something changes: worked out once, however many people ask for them."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping, Sequence
from threading import Condition
from typing import Generic, TypeVar

from sqlalchemy import text
from sqlalchemy.orm import Session

from datorum.stations.imports import no_such_import
from datorum.store.queries import QUERIES

Answer = TypeVar("Answer")
Question = TypeVar("Question", bound=Hashable)


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
    if len(imports) == 1:
        rows = store.execute(_OF_ONE[query], {"import": imports[0]}).all()
    else:
        rows = store.execute(QUERIES[query], {"imports": list(imports)}).all()
    found = {number: tuple(state) for number, *state in rows}
    return {number: found[number] for number in imports if number in found}


_OF_ONE = {
    name: text(QUERIES[name].text.replace("= ANY(:imports)", "= :import"))
    for name in ("states_of_imports", "links_of_imports")
}
"""The same of one import, which nearly every request asks for. PostgreSQL plans anew what is asked of a list each time,
as it does not know how long that is, and plans for longer than it looks."""


class Remembered(Generic[Answer]):
    """The latest answers by their questions. Who asks what is being worked out waits for it."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._answers: OrderedDict[Hashable, tuple[Hashable, Answer]] = OrderedDict()
        self._under_way: set[Hashable] = set()
        self._changed = Condition()

    def get(self, question: Hashable, state: Hashable, work_out: Callable[[], Answer]) -> Answer:
        """The answer to a question in this state."""
        return self.several({question: state}, lambda _: {question: work_out()})[question]

    def several(
        self, states: Mapping[Question, Hashable], work_out: Callable[[list[Question]], Mapping[Question, Answer]]
    ) -> dict[Question, Answer]:
        """The answers to several questions by the state of each; those that are not known are worked out together. What
        has no answer is left out."""
        with self._changed:
            lacking = self._lacking(states)
            # All at once or none: who waits holds up nobody else.
            while not self._under_way.isdisjoint(lacking):
                self._changed.wait()
                lacking = self._lacking(states)
            found = {one: self._answers[one][1] for one in states if one not in lacking}
            self._under_way.update(lacking)
        if not lacking:
            return found
        answers: Mapping[Question, Answer] = {}
        try:
            answers = work_out(lacking)
        finally:
            with self._changed:
                self._keep({one: (states[one], answer) for one, answer in answers.items()})
                self._under_way.difference_update(lacking)
                self._changed.notify_all()
        found.update(answers)
        return {one: found[one] for one in states if one in found}

    def _lacking(self, states: Mapping[Question, Hashable]) -> list[Question]:
        return [one for one, state in states.items() if one not in self._answers or self._answers[one][0] != state]

    def _keep(self, answers: Mapping[Question, tuple[Hashable, Answer]]) -> None:
        for one, answer in answers.items():
            self._answers[one] = answer
            self._answers.move_to_end(one)
        while len(self._answers) > self._most:
            self._answers.popitem(last=False)
