"""The site read back and compared with what was sent."""

from datorum.core.verify.compare import Compared, Mismatch, compare
from datorum.core.verify.untouched import touched_besides

__all__ = ["Compared", "Mismatch", "compare", "touched_besides"]
