"""References joined to the records that they mean, each distinct one once."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

import polars as pl

from datorum.core.link.keys import KeyTable, compared, names_of, parts_of
from datorum.core.link.paths import path_keys
from datorum.core.model import Field, FieldMapping, RecordType
from datorum.core.model.link_rule import LinkRule

LinkState = Literal["blank", "found", "awaited", "fixed", "left blank", "made", "missing", "several", "unread"]
"""``awaited``: found among what another import brings that has not been run; ``made``: found nowhere, and to be made;
``unread``: not found, while the site's records are not known."""
_WORST = ("missing", "unread", "several", "awaited", "left blank", "made", "fixed", "found", "blank")
_STATE = pl.Enum(_WORST)


@dataclass(frozen=True)
class Making:
    """How a record is made that a link finds nowhere: its type, and what feeds its fields beside its key. ``above``:
    its field that says which is the one above it, where it is looked for by its path."""

    record_type: RecordType
    fields: Mapping[str, FieldMapping]
    above: str = ""
    shown: str = ""
    """The field that the link takes of it, where that is not the id that the site gives."""
    taken: Mapping[str, KeyTable] = field(default_factory=dict)
    """The records of the site by what it keeps unique besides the key, by path."""


@dataclass(frozen=True)
class LinkTarget:
    """Whom a field means: records of the type ``to``, of which ``one`` is said in words, looked for by ``keys`` in some
    tables, in order. ``many`` of them, where the field takes a list; ``unread``: the site's records are not known;
    ``making``: where none is found, one is made."""

    rule: LinkRule
    to: str
    one: str
    keys: tuple[Field, ...]
    tables: tuple[KeyTable, ...]
    many: bool = False
    unread: bool = False
    making: Making | None = None

    def judged(self, field: Field) -> Field:
        """The field as what is supplied for it is held to: by the form of a key where it is looked for by one."""
        if self.rule.parted_by or self.rule.of_files or len(self.keys) > 1:
            # A path, an address of a file, or a key of several parts, is longer than any key in it.
            text = Field(path=field.path, title=field.title, required=field.required, nullable=field.nullable,
                         in_list=field.in_list, list_optional=field.list_optional)  # fmt: skip
            return field.model_copy(update={"items": text}) if self.many else text
        if len(self.keys) != 1 or not self.rule.keyed:
            return field
        key = self.keys[0].model_copy(update={"path": field.path, "title": field.title, "unique": False,
                                              "required": False, "read_only": False, "in_list": None})  # fmt: skip
        own = {"required": field.required, "nullable": field.nullable, "in_list": field.in_list,
               "list_optional": field.list_optional}  # fmt: skip
        if not self.many:
            return key.model_copy(update=own)
        return field.model_copy(update={"items": key})

    def compared(self, values: pl.Series) -> pl.Series:
        """What landed keys are compared by; null where there is none."""
        if self.rule.parted_by:
            return path_keys(self.keys[0], values, self.rule.parted_by)
        if self.rule.of_files:
            return compared(self.keys, [names_of(values)])
        return compared(self.keys, parts_of(values, len(self.keys)))


class Resolved(NamedTuple):
    """Some references, four series of equal length: how each fared (``LinkState``), the ``value`` that stands for its
    record (an id, or ``row`` and a number; of references that are lists the list of these), how many have its key,
    and the place where it was found."""

    state: pl.Series
    value: pl.Series
    records: pl.Series
    place: pl.Series

    def gather(self, places: pl.Series) -> Resolved:
        return Resolved(*(series.gather(places) for series in self))


def resolved(target: LinkTarget, values: pl.Series) -> Resolved:
    """Look for the records that some landed keys mean: texts, or lists of them where each means several."""
    if not target.many:
        return looked_for(target, target.compared(values), values)
    flat = pl.DataFrame({"value": values}).with_row_index("at").explode("value", empty_as_null=False, keep_nulls=False)
    found = looked_for(target, target.compared(flat["value"]), flat["value"])
    each = flat.select("at").with_columns(
        state=found.state.cast(pl.String), value=found.value, records=found.records, place=found.place
    )
    together = each.group_by("at").agg(
        pl.col("state"), pl.col("value").drop_nulls(), pl.col("records").max(), pl.col("place").drop_nulls().first()
    )
    whole = (
        pl.DataFrame({"at": pl.int_range(len(values), dtype=pl.UInt32, eager=True)})
        .join(together, on="at", how="left")
        .sort("at")
    )
    states = [min(one, key=_WORST.index) if one else "blank" for one in whole["state"].to_list()]
    meant = whole["value"].set(whole["value"].list.len().fill_null(0) == 0, None)
    return Resolved(pl.Series(states, dtype=_STATE), meant, whole["records"].fill_null(0), whole["place"])


def looked_for(target: LinkTarget, keys: pl.Series, given: pl.Series | None = None) -> Resolved:
    """Look for the records that some keys mean, as they are compared. ``given``: what they are keys of, where that may
    stand without being whole: of a key of several parts one may be blank."""
    rule = target.rule
    asked = pl.DataFrame({"key": keys}).with_columns(
        value=pl.lit(None, dtype=pl.String), records=pl.lit(0, dtype=pl.UInt32), place=pl.lit(None, dtype=pl.String),
        awaited=pl.lit(False), later=pl.lit(False),
    )  # fmt: skip
    chosen = {"oldest": "oldest", "active": "active"}.get(rule.several, "value")
    for table in target.tables:
        places = table.places_of(keys)
        # Where it was found before, it is not looked for again.
        fresh = pl.lit(places.is_not_null()) & (pl.col("records") == 0)
        asked = asked.with_columns(
            value=pl.when(fresh & pl.lit(not table.later))
            .then(pl.lit(_standing(table, chosen).gather(places)))
            .otherwise("value"),
            records=pl.when(fresh).then(pl.lit(table.frame["records"].gather(places))).otherwise("records"),
            place=pl.when(fresh).then(pl.lit(table.place)).otherwise("place"),
            awaited=pl.when(fresh).then(pl.lit(table.open)).otherwise("awaited"),
            later=pl.when(fresh).then(pl.lit(table.later)).otherwise("later"),
        )
    several = (pl.col("records") > 1) & (
        pl.lit(rule.several == "hold") | (pl.col("value").is_null() & ~pl.col("later"))
    )
    nowhere = {"hold": "missing", "blank": "left blank", "fixed": "fixed", "make": "made"}
    missing = "unread" if target.unread else nowhere[rule.missing]
    state = (
        pl.when(pl.lit(keys if given is None else given).is_null()).then(pl.lit("blank"))
        .when(pl.col("key").is_null()).then(pl.lit("missing" if rule.missing == "make" else missing))
        .when(pl.col("records") == 0).then(pl.lit(missing))
        .when(several).then(pl.lit("several"))
        .when("awaited").then(pl.lit("awaited"))
        .otherwise(pl.lit("found"))
    )  # fmt: skip
    told = asked.with_columns(state=state.cast(_STATE))
    value = (
        pl.when(pl.col("state") == "fixed").then(pl.lit(rule.fixed))
        .when(pl.col("state").is_in(["found", "awaited"])).then("value")
    )  # fmt: skip
    told = told.with_columns(value=value)
    return Resolved(told["state"], told["value"], told["records"], told["place"])


def _standing(table: KeyTable, chosen: str) -> pl.Series:
    """What stands for the records of each key: of one alone itself, of several the one that is chosen."""
    if chosen != "active":
        return table.frame[chosen]
    return table.frame.select(pl.when(pl.col("records") > 1).then("active").otherwise("value")).to_series()
