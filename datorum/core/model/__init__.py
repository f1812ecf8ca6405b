"""The values that everything else passes around."""

from datorum.core.model.field_mapping import FieldMapping, ValueTable
from datorum.core.model.finding import WHOLE_ROW, Finding, FindingGroup
from datorum.core.model.follow_up import CallAction, FollowUp, SendMail
from datorum.core.model.kept import kept_mapping, keys_of, of_fields
from datorum.core.model.link_rule import LinkRule
from datorum.core.model.mapping import Mapping
from datorum.core.model.mapping_file import MappingFile
from datorum.core.model.plan import OF_RECORDS, Action, Change, FieldPolicy, PlanRow, Policy, SiteRecord
from datorum.core.model.record import Field, FieldType, FormulaRule, RecordType, Relation, RelationKind

__all__ = [
    "OF_RECORDS",
    "WHOLE_ROW",
    "Action",
    "CallAction",
    "Change",
    "Field",
    "FieldMapping",
    "FieldPolicy",
    "FieldType",
    "Finding",
    "FindingGroup",
    "FollowUp",
    "FormulaRule",
    "LinkRule",
    "Mapping",
    "MappingFile",
    "PlanRow",
    "Policy",
    "RecordType",
    "Relation",
    "RelationKind",
    "SendMail",
    "SiteRecord",
    "ValueTable",
    "kept_mapping",
    "keys_of",
    "of_fields",
]
