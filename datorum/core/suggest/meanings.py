"""How near two names are by the letters that they are made of: what no file of concepts has as a word is still like
the words that it is made of, in whatever language."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from scipy import sparse

from datorum.core.suggest.lexicon import Words, abbreviations, phrases, plain

Table = npt.NDArray[np.float32]
_SHORTEST_GRAM, _LONGEST_GRAM = 2, 5
_CASES = re.compile(r"(?<=[a-zæøåäöü0-9])(?=[A-ZÆØÅÄÖÜ])|(?<=[A-Z])(?=[A-Z][a-z])")


class Meanings:
    """Every known phrase as a vector of its pieces of words, the rarer the heavier (TF-IDF; K. Spärck Jones, 1972),
    arranged by the concepts that the phrases stand for."""

    def __init__(self) -> None:
        said = [(" ".join(words), reading.concepts) for words, readings in phrases().items() for reading in readings]
        self.concepts: list[Words] = sorted({concepts for _, concepts in said})
        place = {concepts: at for at, concepts in enumerate(self.concepts)}
        said.sort(key=lambda one: place[one[1]])
        self._pieces: dict[str, int] = {}
        self._words: dict[str, list[int]] = {}
        counted = self._counted([text for text, _ in said], grow=True)
        self._words.clear()
        rare = np.log(len(said) / (1 + np.bincount(counted.indices, minlength=len(self._pieces))))
        self._weights = np.maximum(rare, 0.1).astype(np.float32)
        self._phrases = self._weighed(counted).T.tocsr()
        self._starts = np.searchsorted([place[concepts] for _, concepts in said], np.arange(len(self.concepts)))

    def of(self, names: Sequence[str]) -> Table:
        """names × concepts: how like each name is to the likest phrase of each concept, 0 to 1."""
        if not names:
            return np.zeros((0, len(self.concepts)), np.float32)
        alike = (self._vectors(names) @ self._phrases).toarray()
        return np.asarray(np.maximum.reduceat(alike, self._starts, axis=1), np.float32)

    def spelled_alike(self, left: Sequence[str], right: Sequence[str]) -> Table:
        """left × right: how alike names are written, 0 to 1."""
        if not left or not right:
            return np.zeros((len(left), len(right)), np.float32)
        return np.asarray((self._vectors(left) @ self._vectors(right).T).toarray(), np.float32)

    def _vectors(self, names: Sequence[str]) -> sparse.csr_matrix:
        return self._weighed(self._counted(names, grow=False))

    def _counted(self, names: Iterable[str], *, grow: bool) -> sparse.csr_matrix:
        places: list[int] = []
        counts: list[int] = []
        ends = [0]
        for name in names:
            counted: dict[int, int] = {}
            for word in name.split():
                for at in self._places_of(word, grow=grow):
                    counted[at] = counted.get(at, 0) + 1
            places += counted.keys()
            counts += counted.values()
            ends.append(len(places))
        return sparse.csr_matrix((np.array(counts, np.float32), places, ends), shape=(len(ends) - 1, len(self._pieces)))

    def _places_of(self, word: str, *, grow: bool) -> list[int]:
        """The numbers of a word's pieces, new ones for those that are new where the table may ``grow``."""
        if not grow:
            return [self._pieces[piece] for piece in _pieces(word) if piece in self._pieces]
        known = self._words.get(word)
        if known is None:
            known = self._words[word] = [self._pieces.setdefault(piece, len(self._pieces)) for piece in _pieces(word)]
        return known

    def _weighed(self, counted: sparse.csr_matrix) -> sparse.csr_matrix:
        counted.data *= self._weights[counted.indices]
        lengths = np.sqrt(np.asarray(counted.multiply(counted).sum(axis=1)).ravel())
        return (sparse.diags(1 / np.maximum(lengths, 1e-6)) @ counted).tocsr()


@lru_cache(maxsize=1)
def meanings() -> Meanings:
    """What all known phrases are made of, read once."""
    return Meanings()


def in_words(name: str) -> str:
    """A name as plain words, apart where capitals part them, in full where databases cut them short."""
    words = plain(_CASES.sub(" ", name)).split()
    return " ".join(whole for word in words for whole in abbreviations().get(word, (word,)))


def _pieces(word: str) -> Iterable[str]:
    marked = f" {word} "
    for length in range(_SHORTEST_GRAM, _LONGEST_GRAM + 1):
        for at in range(len(marked) - length + 1):
            yield marked[at : at + length]
    yield marked
