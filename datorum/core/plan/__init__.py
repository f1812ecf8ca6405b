"""From landed records to what will happen to each."""

from datorum.core.plan.made import Made, made_for
from datorum.core.plan.match import Matcher, Matches
from datorum.core.plan.plan import ChangedFields, FieldChange, Planner, held_reasons
from datorum.core.plan.waves import Waves, waves
from datorum.core.values import at, nest, same

__all__ = [
    "ChangedFields",
    "FieldChange",
    "Made",
    "Matcher",
    "Matches",
    "Planner",
    "Waves",
    "at",
    "held_reasons",
    "made_for",
    "nest",
    "same",
    "waves",
]
