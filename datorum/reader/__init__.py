"""Files are read in a process of their own, within limits on memory, time and space; it may die, and only who gave the
file is told."""

from datorum.reader.allowance import Allowance
from datorum.reader.process import TooManyReaders, open_apart
from datorum.reader.readers import kept_ready

__all__ = ["Allowance", "TooManyReaders", "kept_ready", "open_apart"]
