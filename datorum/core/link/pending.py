"""References to records that a run itself makes: they say a row until that has a record."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from datorum.core.link.keys import OF_IMPORT, ROW_OF
from datorum.core.model import Change, Field, FieldType, RecordType

_ROW, _AS = "record of row", "as"


def said_of_row(text: str, item_of: Callable[[int, int], int]) -> dict[str, Any]:
    """What stands in the place of a record that is not there yet, of a reference's value that says a row and, where the
    site takes no id, what it takes. ``item_of``: of an import and a row of it the item of the plan that stands for the
    record which it is to bring."""
    _, row, *shown = text.split(ROW_OF)
    number, _, of_import = row.partition(OF_IMPORT)
    item = item_of(int(of_import), int(number)) if of_import else int(number)
    return {_ROW: item, **({_AS: shown[0]} if shown else {})}


def row_meant(value: Any) -> int | None:
    """The row whose record a value means, where it means one."""
    if isinstance(value, dict) and _ROW in value and value.keys() <= {_ROW, _AS}:
        return int(value[_ROW])
    return None


def rows_meant(changes: Mapping[str, Change]) -> set[int]:
    """The rows whose records the values of some changes mean."""
    found: set[int] = set()
    for change in changes.values():
        _collect(change.after, found)
    return found


def _collect(value: Any, found: set[int]) -> None:
    number = row_meant(value)
    if number is not None:
        found.add(number)
    elif isinstance(value, list):
        for item in value:
            _collect(item, found)
    elif isinstance(value, dict):
        for item in value.values():
            _collect(item, found)


def with_records(changes: Mapping[str, Change], known: Mapping[int, str], record_type: RecordType) -> dict[str, Change]:
    """Changes with the ids of the records that they mean, as far as these are known, in the types of their fields."""
    return {
        path: Change(change.before, _filled(change.after, known, record_type.field(path)))
        for path, change in changes.items()
    }


def _filled(value: Any, known: Mapping[int, str], field: Field) -> Any:
    number = row_meant(value)
    if number is not None:
        # What is not known yet stays as it is.
        return as_id(field, str(value[_AS]) if _AS in value else known[number]) if number in known else value
    if isinstance(value, list):
        return [_filled(item, known, field) for item in value]
    if isinstance(value, dict):
        inner = {one.path: one for one in field.objects}
        return {name: _filled(item, known, inner.get(name, field)) for name, item in value.items()}
    return value


def with_record(value: Any, known: Mapping[int, str], field: Field) -> Any:
    """What a value is sent as; of one that means a row whose record is known, its id."""
    return _filled(value, known, field)


MEANS_ROW = f'"{_ROW}":'
"""What the JSON text of any value contains that means a row."""


def as_id(field: Field, text: str) -> Any:
    """An id as a field takes it: a number where it takes numbers."""
    one = field.items if field.type is FieldType.LIST and field.items else field
    if one.type not in (FieldType.INTEGER, FieldType.NUMBER):
        return text
    try:
        return int(text)
    except ValueError:
        return text
