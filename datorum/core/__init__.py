"""Computation only: no network, no database, no web framework. Nothing here imports from outside this package."""
