"""Files are read in a process of their own, within limits on memory, time and space; it may die, and only who gave the
file is told."""

from datorum.reader.allowance import Allowance
from datorum.reader.process import TooManyReaders, keep_one_ready, open_apart

__all__ = ["Allowance", "TooManyReaders", "keep_one_ready", "open_apart"]
