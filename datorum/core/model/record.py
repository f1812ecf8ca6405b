"""What a site keeps: record types and their fields."""

from __future__ import annotations

from enum import StrEnum
from typing import Any

from pydantic import BaseModel, model_validator

from datorum.core.errors import InvalidMapping, Place


class FieldType(StrEnum):
    """The kinds of value a field can hold."""

    TEXT = "text"
    INTEGER = "integer"
    NUMBER = "number"
    BOOLEAN = "yes or no"
    DATE = "date"
    DATE_TIME = "date and time"
    LIST = "list"
    FILE = "file"


_ONCE_CALLED = {"many": "in_list", "rest": "other_keywords"}


class _Described(BaseModel, frozen=True):
    """What is kept with a site, perhaps since some attributes had other names."""

    @model_validator(mode="before")
    @classmethod
    def _by_its_name_now(cls, kept: Any) -> Any:
        if not isinstance(kept, dict) or not _ONCE_CALLED.keys() & kept.keys():
            return kept
        return {_ONCE_CALLED.get(name, name): value for name, value in kept.items()}


class Field(_Described, frozen=True):
    """One field of a record type.

    ``path`` is dotted for a field inside an object: ``address.city``. Constraints carry the meaning that
    JSON Schema 2020-12 gives the keywords of the same names.
    """

    path: str
    title: str
    type: FieldType = FieldType.TEXT
    description: str = ""
    format: str | None = None
    required: bool = False
    nullable: bool = False
    read_only: bool = False
    write_only: bool = False
    """It is taken and never given back, such as a password: nobody can tell what a site has of it."""
    unique: bool = False
    enum: tuple[str, ...] = ()
    min_length: int | None = None
    max_length: int | None = None
    pattern: str | None = None
    minimum: float | None = None
    maximum: float | None = None
    above: float | None = None
    """``exclusiveMinimum``."""
    below: float | None = None
    """``exclusiveMaximum``."""
    multiple_of: float | None = None
    min_items: int | None = None
    max_items: int | None = None
    unique_items: bool = False
    items: Field | None = None
    """What each item of a list is held to."""
    other_keywords: dict[str, Any] | None = None
    """Keywords of the field's schema that the attributes above do not express (``anyOf``, ``not``, …), references
    resolved."""
    language: str | None = None
    """The language (BCP 47) that a text is in, where the site has one field for each."""
    in_list: str | None = None
    """The path of the list of objects that the field stands in: an order's ``lines``. What is ``required`` is so in
    each of its objects."""
    list_optional: bool = False
    """Whether a record need not have that list."""
    objects: tuple[Field, ...] = ()
    """Of a list of objects, their fields, with the paths that these have in each."""


class RelationKind(StrEnum):
    """What can hold between fields of a record, each with the parts that fields play in it."""

    IN_ORDER = "in order"
    """``first`` is not after ``last``."""
    BELOW = "below"
    """``less`` is below ``more``."""
    SHARE = "share"
    """``amount`` is at most a hundred where ``kind`` says that it is so many of a hundred."""
    SUM = "sum"
    """``total`` is the sum over the lines of ``quantity`` times ``price``, with ``shipping`` and ``tax``, less
    ``discount``."""

    @property
    def parts(self) -> tuple[str, ...]:
        """The parts that it cannot do without."""
        return _PARTS[self]

    @property
    def others(self) -> tuple[str, ...]:
        """The parts that it may have as well."""
        return ("shipping", "tax", "discount", "currency") if self is RelationKind.SUM else ()


SAYS_SHARE = r"(?i)percent|prozent|prosent|pourcent|procent|%|^pct$"
"""What a value says by which an amount is so many of a hundred."""
_PARTS = {
    RelationKind.IN_ORDER: ("first", "last"),
    RelationKind.BELOW: ("less", "more"),
    RelationKind.SHARE: ("amount", "kind"),
    RelationKind.SUM: ("total", "quantity", "price"),
}


class Relation(BaseModel, frozen=True):
    """What holds between fields: ``parts`` are their paths by the parts that they play. ``confidence`` from 0 to 1,
    with the reason."""

    kind: RelationKind
    parts: dict[str, str]
    confidence: float = 1.0
    why: str = ""


class FormulaRule(BaseModel, frozen=True):
    """A rule that somebody added: a formula over the landed fields, by path, that is TRUE for a sound record.

    ``sentence`` is the predicate of what is said where it is not.
    """

    number: int
    formula: str
    sentence: str
    blocks: bool = True

    @property
    def rule(self) -> str:
        """The name by which its findings are known."""
        return f"rule {self.number}"


_TELL_APART = (FieldType.TEXT, FieldType.INTEGER, FieldType.DATE_TIME)


class RecordType(_Described, frozen=True):
    """One kind of record that a site keeps, say *customers*."""

    name: str
    title: str
    fields: tuple[Field, ...]
    other_keywords: dict[str, Any] | None = None
    """Keywords that hold a record as a whole (``if``, ``dependentRequired``, …), references resolved."""
    relations: tuple[Relation, ...] = ()
    rules: tuple[FormulaRule, ...] = ()
    unique_together: tuple[tuple[str, ...], ...] = ()
    """Fields that tell two records apart together, each by itself not."""

    @property
    def lists(self) -> frozenset[str]:
        """The paths of the lists of objects that fields stand in."""
        return frozenset(field.in_list for field in self.fields if field.in_list)

    @property
    def writable(self) -> tuple[Field, ...]:
        """The fields that an import can feed."""
        return tuple(field for field in self.fields if not field.read_only)

    @property
    def without_files(self) -> RecordType:
        """The same but for fields that take files: what feeds those is told by the files that there are."""
        return self.model_copy(update={"fields": tuple(one for one in self.fields if one.type is not FieldType.FILE)})

    @property
    def held_against(self) -> tuple[str, ...]:
        """The paths of all that an import can write and a site gives back: the fields outside of lists of objects, and
        each such list of the record itself as a whole."""
        shown = [field for field in self.writable if not field.write_only]
        lists = {field.in_list for field in shown if field.in_list}
        within = {path for path in lists if any(path.startswith(f"{outer}.") for outer in lists)}
        return (*(field.path for field in shown if not field.in_list), *sorted(lists - within))

    def field(self, path: str) -> Field:
        """The field at ``path``, that of a list of objects too. Raises InvalidMapping where there is none."""
        for field in self.fields:
            if field.path == path:
                return field
        if path in self.lists:
            return self._list(path)
        raise InvalidMapping(
            f"The site’s {self.name} have no field “{path}”.",
            remedy="Look at the fields that the site describes.",
            place=Place(field=path),
        )

    def _list(self, path: str) -> Field:
        """A list of objects as a field."""
        within = [field for field in self.fields if field.path.startswith(f"{path}.")]
        objects = (field.model_copy(update={"path": field.path[len(path) + 1 :]}) for field in within)
        name = path.rpartition(".")[2].replace("_", " ")
        title = name[:1].upper() + name[1:]
        return Field(path=path, title=title, type=FieldType.LIST, objects=tuple(objects))

    @property
    def key_candidates(self) -> tuple[str, ...]:
        """Paths of the fields that can tell two records apart."""
        return tuple(field.path for field in self.writable if field.unique)

    @property
    def possible_keys(self) -> tuple[str, ...]:
        """Paths of the fields that may be the match key: those that the site keeps unique, then any other text, whole
        number or moment that stands once in a record. Not every site says what it keeps unique."""
        others = (
            field.path
            for field in self.writable
            if field.type in _TELL_APART and not (field.unique or field.enum or field.in_list)
        )
        return (*self.key_candidates, *others)

    @property
    def key_parts(self) -> tuple[str, ...]:
        """Paths of the fields that may be in a match key: beside another, one with a few values tells records apart
        too, such as the language of a text."""
        few = (field.path for field in self.writable if field.enum and not field.unique and not field.in_list)
        return (*self.possible_keys, *few)
