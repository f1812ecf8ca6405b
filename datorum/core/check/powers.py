"""Values that give somebody power over the site: a sheet gives it to nobody unless that is agreed to by name."""

from __future__ import annotations

import re

import polars as pl

from datorum.core.model import Field, FieldType
from datorum.core.said import said

GIVES_POWER = said(
    "gives power",
    "makes somebody an administrator",
    "Give such people another role in the value table, leave the rows out, or accept it if it is meant.",
)
_OF_ROLES = {"role", "roles", "group", "groups", "permission", "permissions", "capability", "capabilities",
             "privileges"}  # fmt: skip
_OF_POWER = ("administrator", "administrators", "admin", "admins", "superadmin", "superuser", "super user",
             "super admin", "root", "owner", "webmaster", "sysadmin", "site owner", "shop owner")  # fmt: skip
_POWERS = rf"(?i)(?:^|[^\p{{L}}\p{{N}}])(?:{'|'.join(_OF_POWER)})(?:$|[^\p{{L}}\p{{N}}])"
_SAYS_SO = {"admin", "administrator", "superuser", "superadmin", "staff"}


def _words(field: Field) -> set[str]:
    last = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", field.path.rpartition(".")[2])
    return set(re.findall(r"[a-z]+", last.lower()))


def gives_power(field: Field, values: pl.Series) -> pl.Series:
    """Which of some landed values of a field, null where blank, make whoever has them an administrator."""
    words = _words(field)
    if field.type is FieldType.BOOLEAN and words & _SAYS_SO:
        return (values.str.to_lowercase() == "true").fill_null(False)
    if field.type in (FieldType.TEXT, FieldType.LIST) and words & _OF_ROLES:
        return values.str.contains(_POWERS).fill_null(False)
    return pl.repeat(False, len(values), dtype=pl.Boolean, eager=True)
