"""Figures next to their anchors, measured in the same run. `make bench` runs them all; none is a test."""
