"""Suggestions: columns for fields, steps for columns, pairs for value tables."""

from datorum.core.suggest.chosen import Chosen, Decided, refused_in
from datorum.core.suggest.scored import THRESHOLD, Candidate
from datorum.core.suggest.suggest import candidates, feed, suggest, suggest_table, warm_up

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
