"""References to records that a run itself makes: they say a row until that has a record. In a text they stand in the
place of the address that the record will have."""

from __future__ import annotations

import html
from collections.abc import Callable, Collection, Mapping
from typing import Any, NamedTuple

from datorum.core.link.addresses import Waiting, parts_of_text
from datorum.core.link.keys import OF_IMPORT, ROW_OF
from datorum.core.model import Change, Field, FieldType, RecordType

_ROW, _AS = "record of row", "as"
_PARTS, _WAS, _MARKUP = "text in parts", "was", "markup"
_MEANS_ADDRESS = {_ROW, _WAS, _MARKUP}


class Known(NamedTuple):
    """What is known of the records that a plan means, by the items that stand for them: their ids, and the addresses of
    those that texts lead to, None where a record has none."""

    ids: Mapping[int, str]
    addresses: Mapping[int, str | None] = {}


def said_of_row(text: str, item_of: Callable[[int, int], int]) -> dict[str, Any]:
    """What stands in the place of a record that is not there yet, of a reference's value that says a row and, where the
    site takes no id, what it takes. ``item_of``: of an import and a row of it the item of the plan that stands for the
    record which it is to bring."""
    _, row, *shown = text.split(ROW_OF)
    return {_ROW: _item(row, item_of), **({_AS: shown[0]} if shown else {})}


def _item(row: str, item_of: Callable[[int, int], int]) -> int:
    number, _, of_import = row.partition(OF_IMPORT)
    return item_of(int(of_import), int(number)) if of_import else int(number)


def said_of_text(text: str, item_of: Callable[[int, int], int]) -> Any:
    """A text as ``texts_fared`` gives it; in parts where some of its addresses are not known yet."""
    parts = parts_of_text(text)
    if not any(isinstance(one, Waiting) for one in parts):
        return text
    # It means the item that stands first in its reference, whatever a link would take of that.
    return {_PARTS: [{_ROW: _item(one.row.split(ROW_OF)[1], item_of), _WAS: one.was, _MARKUP: one.markup}
                     if isinstance(one, Waiting) else one for one in parts]}  # fmt: skip


def text_parts(value: Any) -> list[Any] | None:
    """The parts of a text some of whose addresses are not known yet; None of any other value."""
    return value[_PARTS] if isinstance(value, dict) and value.keys() == {_PARTS} else None


def address_meant(part: Any) -> int | None:
    """The row whose record will have the address that a part of a text is."""
    return int(part[_ROW]) if isinstance(part, dict) and part.keys() == _MEANS_ADDRESS else None


def read_text(parts: list[Any], shown: Callable[[int], str | None]) -> str:
    """A text in parts as a person reads it: ``shown`` in the place of the addresses of rows, what stood there before
    where that is nothing."""
    return "".join(one if isinstance(one, str) else shown(one[_ROW]) or one[_WAS] for one in parts)


def addresses_meant(changes: Mapping[str, Change]) -> set[int]:
    """The rows whose records have the addresses that texts of some changes are to have."""
    found: set[int] = set()
    for change in changes.values():
        _collect(change.after, found, address_meant)
    return found


def as_before(value: Any, items: Collection[int]) -> Any:
    """A value with what stood before in the place of the addresses of some rows' records."""
    parts = text_parts(value)
    if parts is not None:
        kept = [one[_WAS] if address_meant(one) in items else one for one in parts]
        return {_PARTS: kept} if any(not isinstance(one, str) for one in kept) else "".join(kept)
    if isinstance(value, list):
        return [as_before(item, items) for item in value]
    if isinstance(value, dict):
        return {name: as_before(item, items) for name, item in value.items()}
    return value


def row_meant(value: Any) -> int | None:
    """The row whose record a value means, where it means one."""
    if isinstance(value, dict) and _ROW in value and value.keys() <= {_ROW, _AS}:
        return int(value[_ROW])
    return None


def rows_meant(changes: Mapping[str, Change]) -> set[int]:
    """The rows whose records the values of some changes mean, other than by their addresses."""
    found: set[int] = set()
    for change in changes.values():
        _collect(change.after, found, row_meant)
    return found


def _collect(value: Any, found: set[int], meant: Callable[[Any], int | None]) -> None:
    number = meant(value)
    if number is not None:
        found.add(number)
    elif isinstance(value, list):
        for item in value:
            _collect(item, found, meant)
    elif isinstance(value, dict):
        for item in value.values():
            _collect(item, found, meant)


def with_records(changes: Mapping[str, Change], known: Known, record_type: RecordType) -> dict[str, Change]:
    """Changes with the ids and the addresses of the records that they mean, as far as these are known, in the types of
    their fields."""
    return {
        path: Change(
            _filled(change.before, known, record_type.field(path)),
            _filled(change.after, known, record_type.field(path)),
        )
        for path, change in changes.items()
    }


def _filled(value: Any, known: Known, field: Field) -> Any:
    number = row_meant(value)
    if number is not None:
        # What is not known yet stays as it is.
        return as_id(field, str(value[_AS]) if _AS in value else known.ids[number]) if number in known.ids else value
    parts = text_parts(value)
    if parts is not None:
        filled = [_address(one, known) for one in parts]
        return "".join(filled) if all(isinstance(one, str) for one in filled) else {_PARTS: filled}
    if isinstance(value, list):
        return [_filled(item, known, field) for item in value]
    if isinstance(value, dict):
        inner = {one.path: one for one in field.objects}
        return {name: _filled(item, known, inner.get(name, field)) for name, item in value.items()}
    return value


def _address(part: Any, known: Known) -> Any:
    number = address_meant(part)
    if number is None or number not in known.addresses:
        return part
    address, was = known.addresses[number], part[_WAS]
    if address is None:
        return was
    _, mark, place = (html.unescape(was) if part[_MARKUP] else was).partition("#")
    return html.escape(address + mark + place) if part[_MARKUP] else address + mark + place


def with_record(value: Any, known: Known, field: Field) -> Any:
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
