"""What the ledger shows, and which of it is asked for."""

from __future__ import annotations

from typing import Literal, Protocol

from pydantic import BaseModel, Field

from datorum.core.model import Field as SiteField
from datorum.core.model import FieldType, Mapping

Station = Literal["map", "check", "rehearse", "verify"]
Records = Literal[
    "first", "telling", "random", "held", "left out", "finding", "action", "mismatched", "search"
]  # fmt: skip
Mark = Literal["", "held", "warned", "same", "changed", "good"]
Tone = Literal["", "brick", "marigold", "slate"]


class Question(BaseModel):
    """Which ledger is wanted.

    ``mapping`` shows one that is not saved yet. ``records``: first, telling, random (with ``seed``), held, left out,
    those of one finding (``field`` and ``rule``), of one action, mismatched, or those that contain ``search``. Of what
    records hold several of, the one of number ``line`` is shown.
    """

    station: Station = "map"
    mapping: Mapping | None = None
    records: Records = "first"
    seed: int = Field(1, ge=0, le=2**31 - 1)
    field: str | None = None
    rule: str | None = None
    action: str | None = None
    search: str = Field("", max_length=1_000)
    line: int = Field(1, ge=1, le=2**31 - 1)
    offset: int = Field(0, ge=0, le=2**31 - 1)
    count: int = Field(3, ge=1, le=7)


class LinesQuestion(Question):
    """All that the first record of an answer holds in the list at ``path``."""

    path: str


BETWEEN_ITEMS = ", "
"""What stands between the items of a list in a cell."""


class Cell(BaseModel):
    """Two lines. ``mark`` says what the lower one is, with ``note`` for a person; ``page``: of the record on the site
    that it means. ``none``: the record has no such line.

    How it is shown: ``above`` and ``below`` are words that stand in the place of the two lines, where any do;
    ``marked`` is the one that the mark stands before; ``tone`` and ``sentence`` are those of the lower one.
    """

    upper: str | None = None
    lower: str | None = None
    mark: Mark = ""
    note: str = ""
    page: str | None = None
    none: bool = False
    above: str | None = None
    below: str | None = None
    marked: Literal["", "upper", "lower"] = ""
    tone: Tone = ""
    sentence: bool = False
    alone: bool = False
    quiet: bool = False


class RecordHead(BaseModel):
    """The head of one record's column: the number by which it is known, where it stands in the sheet, and how many
    objects each of its lists has, by path."""

    row: int
    label: str
    place: str = ""
    mark: Mark = ""
    note: str = ""
    page: str | None = None
    lines: dict[str, int] = {}


class Fill(BaseModel):
    """Of all records or, of a sheet that is not looked at as a ``whole``, of the first: how many land a value that the
    site takes, are held by what the field has, or are blank and may be. Of a field in a list: of what stands in it."""

    landed: int
    held: int
    blank: int
    whole: bool


class Line(BaseModel):
    """One field of the site; ``in_list``: the path of the list that it stands in; ``link``: it means another record."""

    path: str
    title: str
    group: str
    hint: str
    is_key: bool
    in_list: str | None = None
    link: bool = False
    fill: Fill | None = None
    cells: list[Cell]


class Ledger(BaseModel):
    """``total`` records answer the question; ``records`` are those from ``offset`` on."""

    total: int
    offset: int
    records: list[RecordHead]
    lines: list[Line]


class LinesTable(BaseModel):
    """All objects of one list of one record: the titles of its fields, and of each object its cells."""

    record: RecordHead
    title: str
    fields: list[str]
    objects: list[list[Cell]]


class View(Protocol):
    """Some records at one station."""

    def heads(self) -> list[RecordHead]:
        """Their heads, in order."""
        ...

    def cells(self, field: SiteField) -> list[list[Cell]]:
        """Of each record the cells of a field: one, or one for each object of the list that it stands in."""
        ...


def dressed(cell: Cell, station: Station, *, fed: bool) -> Cell:
    """A cell with all that says how it is shown at a station; ``fed``: whether anything feeds its field."""
    told = cell.mark in ("held", "warned")
    unsent = station == "verify" and cell.upper is None and bool(cell.note)
    below = _below(cell, station, told=told, fed=fed)
    above = "not sent" if unsent else "–" if cell.upper is None and station == "check" and fed else None
    marked: Literal["", "upper", "lower"] = ""
    if station == "check" and cell.mark == "good":
        # A value in which nothing was found has its mark before it, and needs no second line.
        marked = "upper"
    elif told or cell.mark == "changed" or (cell.mark == "good" and station in ("rehearse", "verify")):
        marked = "lower"
    tone: Tone = ""
    if told:
        tone = "brick" if cell.mark == "held" else "marigold"
    elif cell.mark == "same" or below == "–":
        tone = "slate"
    sentence = told and station != "verify"
    how = {"above": above, "below": below, "marked": marked, "tone": tone, "sentence": sentence,
           "alone": station == "check" and not below, "quiet": station != "check" or cell.upper is None}  # fmt: skip
    return cell.model_copy(update=how)


def _below(cell: Cell, station: Station, *, told: bool, fed: bool) -> str | None:
    """The words that stand in the place of what the lower line has, where any do."""
    if cell.none:
        return "–"
    if told and station != "verify":
        return cell.note.removeprefix("is ")
    if not fed:
        return ""
    if station == "check":
        return "accepted" if cell.mark == "same" and cell.note else ""
    if station == "map" and cell.mark == "same" and cell.note and cell.lower is None:
        return "accepted"
    if cell.lower is not None:
        return "" if station == "verify" and cell.upper is None and not cell.note else None
    return cell.note if station == "verify" else "–"


def hint(field: SiteField) -> str:
    """A field's type and constraints in a few words."""
    if field.enum:
        return f"one of {len(field.enum)}"
    words = {"email": "e-mail", "uri": "web address"}.get(field.format or "", str(field.type.value))
    if field.unique:
        words += ", unique"
    if field.max_length and field.type is FieldType.TEXT and not field.format:
        words += f", {field.max_length:,} at most"
    elif field.minimum is not None and field.maximum is None:
        words += f", {field.minimum:,.12g} or more"
    return words
