"""What each part of the evidence is worth, found on labelled header sets: ``python -m bench.suggestions.fit`` writes
``datorum/core/suggest/confidence.toml``.

The sets are the two thirds that are built with, and those that were written by hand. So that it is not only learnt how
well the files of concepts are remembered, a part of all names is taken out of them at random, and columns are put into
other orders.
"""

from __future__ import annotations

import random
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple, TypeVar

import numpy as np
from scipy.optimize import minimize

from bench.suggestions.apart import by_hand
from bench.suggestions.made import made_sets
from bench.suggestions.measure import HeaderSet, header_sets
from bench.suggestions.wide import forgetting
from datorum.core.profile import ColumnProfile, profile
from datorum.core.suggest.confidence import CONSTANT, odds
from datorum.core.suggest.evidence import Evidence, Parts, Table, together
from datorum.core.suggest.names import Names
from datorum.core.table import FLAG, ROW

_T = TypeVar("_T")
_TO = Path(__file__).parents[2] / "datorum/core/suggest/confidence.toml"
_FORGOTTEN = (0.0, 0.25, 0.45, 0.65)


class Labelled(NamedTuple):
    """The evidence of a set's pairs, and which are right: a table of fields × columns."""

    seen: Evidence
    right: Table


def labelled(one: HeaderSet, other: HeaderSet, chance: random.Random) -> Labelled:
    """A set's pairs: with fewer columns and fewer fields than it has, with some columns of another sheet, and with all
    in an order like the fields' or in another."""
    columns, fields = [name for name in one.frame.columns if name not in (ROW, FLAG)], list(one.kind.writable)
    few = 0.8 if chance.random() < 0.1 else 0.25
    columns = _some(columns, chance.uniform(0, few), chance)
    fields = _some(fields, chance.uniform(0, few), chance)
    strange = [name for name in other.frame.columns if name not in one.frame.columns]
    strange = chance.sample(strange, min(chance.choice((0, 0, 1, 1, 2, 3)), len(strange)))
    for name in strange:
        columns.insert(chance.randint(0, len(columns)), name)
    if chance.random() < 0.5:
        # Sheets keep things that belong together beside one another, but not all in the order of the site.
        cuts = sorted(chance.sample(range(len(columns)), min(3, len(columns) - 1)))
        blocks = [columns[low:high] for low, high in zip([0, *cuts], [*cuts, len(columns)], strict=True)]
        chance.shuffle(blocks)
        columns = [column for block in blocks for column in block]
        if chance.random() < 0.5:
            chance.shuffle(columns)
    known = _profiles(one) | {name: found for name, found in _profiles(other).items() if name in strange}
    profiles = {column: _spoilt(known[column], chance) for column in columns}
    seen = Evidence(fields, profiles, Names(columns, fields, one.kind.name))
    right = [[column not in strange and (column, field.path) in one.right for column in columns] for field in fields]
    return Labelled(seen, np.array(right, dtype=float))


_PROFILED: dict[str, dict[str, ColumnProfile]] = {}


def _profiles(of: HeaderSet) -> dict[str, ColumnProfile]:
    """A set's columns, profiled once."""
    if of.title not in _PROFILED:
        _PROFILED[of.title] = profile(of.frame)
    return _PROFILED[of.title]


def _spoilt(of: ColumnProfile, chance: random.Random) -> ColumnProfile:
    """A column of which, once in a while, a part cannot be read."""
    if chance.random() >= _SPOILT:
        return of
    left = chance.uniform(0.4, 1.0)
    shares = {name: left * getattr(of, name) for name in ("dates", "numbers", "plain_numbers", "yes_no", "emails")}
    kinds = tuple(kind.model_copy(update={"share": left * kind.share}) for kind in of.kinds)
    return of.model_copy(update={**shares, "kinds": kinds})


_SPOILT = 0.2


def _some(of: list[_T], without: float, chance: random.Random) -> list[_T]:
    """Some of a list in its order, at least one."""
    return [one for one in of if chance.random() >= without] or of[:1]


def sets() -> Iterator[Labelled]:
    """All sets that are looked at, with more and with less of the names known."""
    apart = [one for heading, sets in by_hand().items() if "unseen" not in heading for one in sets] + header_sets()
    made = [one.set for one in made_sets() if not one.unseen]
    chance = random.Random(1)
    for turn, share in enumerate(_FORGOTTEN * 2):
        with forgetting(share, random.Random(turn)):
            for one in [*apart, *chance.sample(made, _MADE)]:
                yield labelled(one, chance.choice(made), chance)


_MADE = 110


def fitted(evidence: list[Parts], right: Table) -> dict[str, float]:
    """The weights under which what is right is likeliest. ``right``: 1 or 0 of each pair, set by set."""
    names = list(evidence[0])
    table = np.column_stack([np.concatenate([one[name].reshape(-1) for one in evidence]) for name in names])
    scale = np.maximum(np.abs(table).max(axis=0), 1e-9)
    given = np.column_stack([table / scale, np.ones(len(table))])

    def cost(weighed: Table) -> tuple[float, Table]:
        said = given @ weighed
        loss = np.logaddexp(0, said) - right * said
        share = 1 / (1 + np.exp(-said))
        held = _HELD * weighed[:-1]
        return float(loss.sum() + (held @ weighed[:-1]) / 2), given.T @ (share - right) + np.append(held, 0.0)

    found = minimize(cost, np.zeros(given.shape[1]), jac=True, method="L-BFGS-B", options={"maxiter": 2000})
    return dict(zip([*names, CONSTANT], [*(found.x[:-1] / scale), found.x[-1]], strict=True))


_HELD = 0.5
"""Keeps weights small that little speaks for (A. N. Tikhonov)."""


def main() -> None:
    every = [one for one in sets() if one.right.size]
    right = np.concatenate([one.right.reshape(-1) for one in every])
    alone = fitted([one.seen.alone() for one in every], right)
    whole = fitted([together(odds(one.seen.alone(), alone), one.seen) for one in every], right)
    lines = ["# What each part of the evidence adds to the logarithm of the odds that a pair is right.",
             "# Found by bench/suggestions/fit.py."]  # fmt: skip
    for part, weighed in (("alone", alone), ("together", whole)):
        lines += ["", f"[{part}]", *(f"{name} = {worth:.3f}" for name, worth in weighed.items())]
    _TO.write_text("\n".join(lines) + "\n")
    print(f"{len(every):,} sets, {len(right):,} pairs, {int(right.sum()):,} right; written to {_TO.name}")


if __name__ == "__main__":
    main()
