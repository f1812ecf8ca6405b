"""Records as landed: what a mapping makes of a sheet, nested as the site's create body has it."""

from datorum.core.records.bodies import bodies

__all__ = ["bodies"]
