"""Suggestions: columns for fields, steps for columns, pairs for value tables."""

from datorum.core.suggest.chosen import Chosen, Decided, refused_in
from datorum.core.suggest.names import warm_up
from datorum.core.suggest.suggest import THRESHOLD, Candidate, candidates, feed, suggest, suggest_table

__all__ = [
    "THRESHOLD",
    "Candidate",
    "Chosen",
    "Decided",
    "candidates",
    "feed",
    "refused_in",
    "suggest",
    "suggest_table",
    "warm_up",
]
