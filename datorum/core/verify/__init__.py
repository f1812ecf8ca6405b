"""The site read back and compared with what was sent."""

from datorum.core.verify.compare import Mismatch, compare, never_given_back

__all__ = ["Mismatch", "compare", "never_given_back"]
