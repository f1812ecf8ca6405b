"""Rules that people add to a record type of a site: a formula that is TRUE for a sound record, and a sentence."""

from __future__ import annotations

from collections.abc import Collection

from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.errors import InvalidFormula, NotFound, Place
from datorum.core.formula import FormulaFault, check_names, parse
from datorum.core.model import FormulaRule, RecordType
from datorum.stations.descriptions import description_of
from datorum.stations.sites import get_site
from datorum.store import models
from datorum.store.people import record


def record_type_of(store: Session, item: models.Import) -> RecordType:
    """The record type of an import, with the rules that were added to it."""
    return record_types_of(store, [item])[item.id]


def record_types_of(store: Session, items: Collection[models.Import]) -> dict[int, RecordType]:
    """The record types of some imports, with the rules that were added to them."""
    kept = models.SiteRule
    asked = select(kept).where(kept.site_id.in_({item.site_id for item in items})).order_by(kept.id)
    rules: dict[tuple[int, str], list[FormulaRule]] = {}
    for rule in store.scalars(asked):
        rules.setdefault((rule.site_id, rule.record_type), []).append(_rule(rule))
    return {item.id: _with_rules(item, rules.get((item.site_id, item.record_type), [])) for item in items}


def _with_rules(item: models.Import, rules: list[FormulaRule]) -> RecordType:
    found = description_of(item).type(item.record_type).record_type
    return found.model_copy(update={"rules": tuple(rules)}) if rules else found


def rules_of(store: Session, site_id: int, record_type: str) -> list[models.SiteRule]:
    """The rules added to a record type, the oldest first."""
    kept = models.SiteRule
    asked = select(kept).where(kept.site_id == site_id, kept.record_type == record_type).order_by(kept.id)
    return list(store.scalars(asked))


def add_rule(
    store: Session, by: str, site_id: int, record_type: str, formula: str, sentence: str, *, blocks: bool
) -> models.SiteRule:
    """Add a rule for all imports of this record type. Raises InvalidFormula where it cannot be worked out."""
    kind = description_of(get_site(store, site_id)).type(record_type).record_type
    try:
        check_names(parse(formula), {field.path for field in kind.fields})
    except FormulaFault as fault:
        where = f" (at character {fault.at + 1})" if fault.at is not None else ""
        raise InvalidFormula(
            f"{fault.message}{where}".capitalize() + ".",
            remedy="Name fields of the site in brackets, such as [email], and make it TRUE for a sound record.",
        ) from None
    if not sentence.strip():
        raise InvalidFormula(
            "The rule has no sentence.",
            remedy="Say what is wrong where it is broken, such as “is older than the site”.",
            place=Place(field=record_type),
        )
    rule = models.SiteRule(
        site_id=site_id, record_type=record_type, formula=formula, sentence=sentence.strip(), blocks=blocks, by=by
    )
    store.add(rule)
    record(store, by, "rule added", f"site {site_id}", record_type=record_type, formula=formula, sentence=sentence)
    store.flush()
    return rule


def remove_rule(store: Session, by: str, site_id: int, number: int) -> None:
    """Raises NotFound."""
    rule = store.get(models.SiteRule, number)
    if rule is None or rule.site_id != site_id:
        raise NotFound(f"There is no rule {number}.", remedy="Look at the list of rules.")
    record(store, by, "rule removed", f"site {site_id}", record_type=rule.record_type, formula=rule.formula)
    store.delete(rule)


def _rule(kept: models.SiteRule) -> FormulaRule:
    return FormulaRule(number=kept.id, formula=kept.formula, sentence=kept.sentence, blocks=kept.blocks)
