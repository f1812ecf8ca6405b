"""How sure a pair of a column and a field is: the evidence weighed by what each part of it has been worth on labelled
header sets (logistic regression; D. R. Cox, 1958), so that of what is said with 0.9 nine in ten are right.

``confidence.toml`` holds the weights; ``python -m bench.suggestions.fit`` finds them.
"""

from __future__ import annotations

import tomllib
from functools import lru_cache
from importlib import resources
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

Table = npt.NDArray[np.float64]


class Weights(NamedTuple):
    """What each part of the evidence is worth: of two names and the values alone, then with all other pairs."""

    alone: npt.NDArray[np.float64]
    together: npt.NDArray[np.float64]


@lru_cache(maxsize=1)
def weights() -> Weights:
    """The weights as they stand, the constant last."""
    text = (resources.files("datorum.core.suggest") / "confidence.toml").read_text("utf-8")
    read = tomllib.loads(text)
    return Weights(*(np.array([*read[part].values()], dtype=np.float64) for part in Weights._fields))


def odds(evidence: Table, weighed: npt.NDArray[np.float64]) -> Table:
    """The logarithms of the odds that pairs are right. ``evidence``: any shape × parts."""
    return np.asarray(evidence @ weighed[:-1] + weighed[-1])


def as_share(log_odds: Table) -> Table:
    """Odds as shares, 0 to 1."""
    return np.asarray(1 / (1 + np.exp(-np.clip(log_odds, -30, 30))))
