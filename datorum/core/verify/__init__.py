"""The site read back and compared with what was sent."""

from datorum.core.verify.compare import Compared, Mismatch, compare

__all__ = ["Compared", "Mismatch", "compare"]
