"""From landed rows to what will happen to each."""

from datorum.core.plan.plan import FieldChange, changed_fields, plan_rows
from datorum.core.values import at, nest, same, to_json

__all__ = ["FieldChange", "at", "changed_fields", "nest", "plan_rows", "same", "to_json"]
