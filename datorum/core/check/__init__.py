"""Rules to findings."""

from datorum.core.check.check import Checked, Checker, as_findings, check, key_of, validate_mapping
from datorum.core.check.findings import FINDING_SCHEMA
from datorum.core.check.groups import Groups, group_findings

__all__ = [
    "FINDING_SCHEMA",
    "Checked",
    "Checker",
    "Groups",
    "as_findings",
    "check",
    "group_findings",
    "key_of",
    "validate_mapping",
]
