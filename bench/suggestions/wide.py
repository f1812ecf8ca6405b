"""What suggestions are worth on header sets by the hundred: by language, kind, style and habit; how far their
confidence can be believed; and what is left where a language is one that nobody thought of.

``python -m bench.suggestions.wide [--unseen]``: figures of the two thirds that are built with, with what was
confused; with ``--unseen`` the figures alone of the third that nobody looks at.
"""

from __future__ import annotations

import random
import sys
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import NamedTuple

from bench.suggestions.made import Made, languages, made_sets
from datorum.core.profile import profile
from datorum.core.suggest import lexicon, meanings, names, suggest

_PICTURE = Path(__file__).parents[2] / "docs" / "reliability.svg"
_BINS = 10


class Said(NamedTuple):
    """A pair that was suggested: how sure, and whether it is right."""

    confidence: float
    right: bool


class Tally:
    """Pairs suggested, right and hit."""

    def __init__(self) -> None:
        self.suggested = self.right = self.hits = 0

    def __str__(self) -> str:
        return (f"precision {self.hits / max(self.suggested, 1):.1%}, recall {self.hits / max(self.right, 1):.1%}"
                f" of {self.right:,}")  # fmt: skip


class Result:
    """What was suggested for some sets, in all and by each of their sides."""

    def __init__(self) -> None:
        self.by: dict[tuple[str, str], Tally] = defaultdict(Tally)
        self.said: list[Said] = []
        self.confused: Counter[str] = Counter()

    @property
    def whole(self) -> Tally:
        return self.by["all", ""]

    def add(self, made: Made) -> None:
        mapping = suggest(made.set.kind, made.set.frame, profile(made.set.frame))
        suggested = {
            (name, path): fed.score or 0.0 for path, fed in mapping.fields.items() for name in fed.columns
        }  # fmt: skip
        hits = suggested.keys() & made.set.right
        for side in (("all", ""), ("language", made.language), ("style", made.style), ("habit", made.habit),
                     ("kind", made.kind)):  # fmt: skip
            tally = self.by[side]
            tally.suggested += len(suggested)
            tally.right += len(made.set.right)
            tally.hits += len(hits)
        self.said += [Said(score, pair in made.set.right) for pair, score in suggested.items()]
        self.confused.update(f"{made.kind}: {path} by “{name}”" for name, path in suggested.keys() - hits)

    def bins(self) -> list[tuple[float, float, int]]:
        """Of each tenth of confidence: what was said on average, how much of it was right, and how many there were."""
        found = []
        for at in range(_BINS):
            here = [one for one in self.said if min(int(one.confidence * _BINS), _BINS - 1) == at]
            if here:
                said, right = sum(one.confidence for one in here), sum(one.right for one in here)
                found.append((said / len(here), right / len(here), len(here)))
        return found

    def calibration_error(self) -> float:
        """The expected one over ten bins (ECE; M. P. Naeini and others, 2015)."""
        return sum(count * abs(said - right) for said, right, count in self.bins()) / max(len(self.said), 1)


def measured(sets: Iterable[Made]) -> Result:
    """Suggest a mapping for each set."""
    result = Result()
    for made in sets:
        result.add(made)
    return result


@contextmanager
def without(language: str) -> Iterator[None]:
    """As though nobody had thought of a language. Names that several languages share stay."""
    with _knowing(lambda one, _: one not in (language, lexicon.ANY)):
        yield


@contextmanager
def forgetting(share: float, chance: random.Random) -> Iterator[None]:
    """As though nobody had thought of a part of all names."""
    with _knowing(lambda _, __: chance.random() >= share):
        yield


@contextmanager
def _knowing(is_known: Callable[[str, str], bool]) -> Iterator[None]:
    """With no names in the files but those of which, by language and wording, it is said so."""
    every = lexicon.concepts

    def some() -> Iterator[tuple[str, dict[str, str]]]:
        for concept, said in every():
            kept = {
                one: ",".join(name for name in listed.split(",") if is_known(one, name)) for one, listed in said.items()
            }
            yield concept, kept

    kept = [lexicon.phrases, names.tokens, names._compound, names._single_words, names._beginnings,
            names._near_words, names._says, meanings.meanings]  # fmt: skip
    lexicon.concepts = some
    for one in kept:
        one.cache_clear()
    try:
        yield
    finally:
        lexicon.concepts = every
        for one in kept:
            one.cache_clear()


def _picture(bins: list[tuple[float, float, int]]) -> str:
    """The reliability plot: what was said against what was right."""
    most = max(count for *_, count in bins)
    points = "".join(
        f'<circle cx="{40 + 300 * said:.0f}" cy="{340 - 300 * right:.0f}" r="{3 + 9 * (count / most) ** 0.5:.1f}" '
        f'fill="#0e5a66" fill-opacity="0.7"><title>{count:,} said with {said:.2f}, {right:.2f} right</title></circle>'
        for said, right, count in bins
    )
    ticks = "".join(
        f'<text x="{40 + 30 * at}" y="358" text-anchor="middle">{at / 10:.1f}</text>'
        f'<text x="32" y="{344 - 30 * at}" text-anchor="end">{at / 10:.1f}</text>'
        for at in range(0, 11, 2)
    )
    return (
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 380 390" font-family="sans-serif" font-size="11">'
        '<rect width="380" height="390" fill="#faf9f4"/><path d="M40 40V340H340" fill="none" stroke="#5c6470"/>'
        '<path d="M40 340L340 40" stroke="#5c6470" stroke-dasharray="4 4"/>'
        f'{ticks}{points}<text x="190" y="378" text-anchor="middle">confidence</text>'
        '<text x="14" y="190" text-anchor="middle" transform="rotate(-90 14 190)">share that is right</text></svg>\n'
    )


def main() -> None:
    unseen = "--unseen" in sys.argv[1:]
    result = measured(made for made in made_sets() if made.unseen == unseen)
    print(f"all: {result.whole}; calibration error {result.calibration_error():.3f}")
    for (side, what), tally in sorted(result.by.items()):
        if what:
            print(f"  {side} {what}: {tally}")
    if unseen:
        return
    for line, count in result.confused.most_common(30):
        print(f"  wrong {count:3} × {line}")
    _PICTURE.write_text(_picture(result.bins()))
    for language in languages():
        with without(language):
            print(f"  {language} if nobody had thought of it: {measured(list(made_sets(language))[::5]).whole}")


if __name__ == "__main__":
    main()
