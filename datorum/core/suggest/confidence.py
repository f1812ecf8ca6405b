"""How sure a pair of a column and a field is: the evidence weighed by what each part of it has been worth on labelled
header sets (logistic regression; D. R. Cox, 1958), so that of what is said with 0.9 nine in ten are right.

``confidence.toml`` holds the weights; ``python -m bench.suggestions.fit`` finds them.
"""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from functools import lru_cache
from importlib import resources
from typing import NamedTuple

import numpy as np

from datorum.core.suggest.evidence import Parts, Table


class Weights(NamedTuple):
    """What each part of the evidence is worth, by its name: of two names and the values alone, then with all other
    pairs."""

    alone: Mapping[str, float]
    together: Mapping[str, float]


CONSTANT = "constant"
"""What is added whatever the evidence."""


@lru_cache(maxsize=1)
def weights() -> Weights:
    """The weights as they stand."""
    text = (resources.files("datorum.core.suggest") / "confidence.toml").read_text("utf-8")
    return Weights(**tomllib.loads(text))


def odds(parts: Parts, weighed: Mapping[str, float]) -> Table:
    """The logarithms of the odds that pairs are right."""
    return np.asarray(sum(weighed[name] * part for name, part in parts.items()) + weighed[CONSTANT])


def as_share(log_odds: Table) -> Table:
    """Odds as shares, 0 to 1."""
    return np.asarray(1 / (1 + np.exp(-np.clip(log_odds, -30, 30))))
