"""The site read back and compared with what was sent."""

from datorum.core.verify.compare import Mismatch, compare, compared_fields

__all__ = ["Mismatch", "compare", "compared_fields"]
