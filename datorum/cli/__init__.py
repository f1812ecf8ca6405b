"""The same use cases from a terminal."""

from datorum.cli.main import main

__all__ = ["main"]
