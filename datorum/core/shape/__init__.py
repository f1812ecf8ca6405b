"""How rows become records: corrected, filtered, left out."""

from datorum.core.shape.corrections import Correction, corrected
from datorum.core.shape.row_filter import Condition, RowFilter, Selected, Selection

__all__ = ["Condition", "Correction", "RowFilter", "Selected", "Selection", "corrected"]
