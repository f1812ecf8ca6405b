"""Rules to findings."""

from datorum.core.check.check import (
    FINDING_SCHEMA,
    Checked,
    as_findings,
    check,
    group_findings,
    key_of,
)

__all__ = ["FINDING_SCHEMA", "Checked", "as_findings", "check", "group_findings", "key_of"]
