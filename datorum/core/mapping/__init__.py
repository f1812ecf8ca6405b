"""Mappings beside each other, and beside the sheets that they are used on."""

from datorum.core.mapping.difference import Difference, differences
from datorum.core.mapping.drift import Drift, Renamed, drift

__all__ = ["Difference", "Drift", "Renamed", "differences", "drift"]
