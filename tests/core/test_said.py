"""What is told of findings stands beside what finds them, and of each there is all that a person needs."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

import datorum.core.check as check_package
from datorum.core.check.rules import RULES
from datorum.core.said import is_acceptable, said_of

CORE = Path(check_package.__file__).parents[1]


def declared() -> set[str]:
    """The rules that anything in the core says what is told of."""
    found = {rule.name for rule in RULES}
    for path in (*CORE.glob("check/*.py"), *CORE.glob("shape/**/*.py")):
        found |= set(re.findall(r'= said\(\s*"([^"]+)"', path.read_text("utf-8")))
    return found


@pytest.mark.parametrize("rule", sorted(declared()))
def test_each_rule_has_a_title_and_a_remedy(rule: str) -> None:
    said = said_of(rule)
    assert said is not None
    assert said.title[0].islower()
    assert said.remedy.endswith(".")


def test_what_would_make_a_duplicate_or_cannot_be_sent_is_not_accepted() -> None:
    kept = {rule for rule in declared() if not is_acceptable(rule)}
    assert kept == {"type", "same key twice", "link missing", "link several", "link made", "circle", "no file"}
    assert is_acceptable("a rule that a person added")
