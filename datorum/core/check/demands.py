"""What a site demands of a field, in words with an example."""

from __future__ import annotations

from datorum.core.check.formats import FORMATS
from datorum.core.model import Field, FieldType
from datorum.core.pattern_words import in_words

_KEPT = {
    FieldType.TEXT: "text",
    FieldType.INTEGER: "a whole number",
    FieldType.NUMBER: "a number, such as 1204.50",
    FieldType.BOOLEAN: "yes or no, kept as true or false",
    FieldType.DATE: "a date, kept as 2019-02-03",
    FieldType.DATE_TIME: "a date and time, kept as 2019-02-03T14:10:00Z",
    FieldType.LIST: "a list",
    FieldType.FILE: "a file, by its name, its path or its address",
}


def demands(field: Field) -> str:
    """All that a value of a field is held to, as one phrase: ``a plus sign and 7 to 15 digits, as +4722334455``."""
    if field.enum:
        return f"one of {', '.join(field.enum)}"
    known = FORMATS.get(field.format or "") if field.type is FieldType.TEXT else None
    form = form_of(field.pattern) if field.pattern else ""
    if known is not None:
        parts = [known[0], form]
    elif form and field.type is FieldType.TEXT:
        parts = [form]
    else:
        parts = [_KEPT[field.type], form]
    parts += [_between(field.min_length, field.max_length, "characters"), _between(field.minimum, field.maximum, "")]
    if field.above is not None:
        parts.append(f"more than {field.above:,.12g}")
    if field.below is not None:
        parts.append(f"less than {field.below:,.12g}")
    if field.multiple_of is not None:
        parts.append(f"a multiple of {field.multiple_of:,.12g}")
    if field.unique:
        parts.append("no two records the same")
    return "; ".join(part for part in parts if part)


def form_of(pattern: str) -> str:
    """A pattern in words with an example; where it is beyond words, that there is one."""
    form = in_words(pattern)
    return f"{form.words}, as {form.example}" if form else "of a form of the site’s own"


def _between(least: float | None, most: float | None, what: str) -> str:
    """Limits in words; a length of nothing or more is no limit."""
    if least is None or (what and not least):
        return f"at most {most:,.12g} {what}".strip() if most is not None else ""
    if most is not None:
        return f"{least:,.12g} to {most:,.12g} {what}".strip()
    return f"at least {least:,.12g} {what}" if what else f"{least:,.12g} or more"
