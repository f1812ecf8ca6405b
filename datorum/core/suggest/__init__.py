"""Suggestions: columns for fields, steps for columns, pairs for value tables."""

from datorum.core.suggest.chosen import Chosen
from datorum.core.suggest.suggest import Candidate, candidates, feed, suggest, suggest_table

__all__ = ["Candidate", "Chosen", "candidates", "feed", "suggest", "suggest_table"]
