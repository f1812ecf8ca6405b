"""From landed rows to what will happen to each."""

from datorum.core.plan.plan import ChangedFields, FieldChange, Planner, held_reasons
from datorum.core.values import at, nest, same, to_json

__all__ = ["ChangedFields", "FieldChange", "Planner", "at", "held_reasons", "nest", "same", "to_json"]
