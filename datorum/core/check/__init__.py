"""Rules to findings."""

from datorum.core.check.acceptance import Acceptance, with_accepted
from datorum.core.check.check import (
    Checked,
    CheckedPart,
    Checker,
    as_findings,
    check,
    fed_lists,
    holding,
    is_fed,
    related,
    required_unfed,
    rules_on,
    validate_mapping,
)
from datorum.core.check.demands import demands
from datorum.core.check.field_check import FieldCheck
from datorum.core.check.findings import FINDING_SCHEMA
from datorum.core.check.groups import Groups, group_findings

__all__ = [
    "FINDING_SCHEMA",
    "Acceptance",
    "Checked",
    "CheckedPart",
    "Checker",
    "FieldCheck",
    "Groups",
    "as_findings",
    "check",
    "demands",
    "fed_lists",
    "group_findings",
    "holding",
    "is_fed",
    "related",
    "required_unfed",
    "rules_on",
    "validate_mapping",
    "with_accepted",
]
