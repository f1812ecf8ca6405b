"""The site read back and compared with what was sent."""

from datorum.core.verify.compare import Mismatch, compare

__all__ = ["Mismatch", "compare"]
