"""Records that a run makes first, since rows mean them and nothing has them: each once, those above it before it."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from typing import NamedTuple

import polars as pl

from datorum.core.check.field_check import CheckedField, FieldCheck
from datorum.core.check.findings import Where, findings_frame
from datorum.core.files import Files
from datorum.core.formula import Scope
from datorum.core.link import LinkTarget, Making, Resolved, parts_of
from datorum.core.link.keys import names_of
from datorum.core.link.paths import above_on
from datorum.core.link.resolve import looked_for
from datorum.core.match_key import key_texts
from datorum.core.model import FieldMapping, FieldType
from datorum.core.model.link_rule import BETWEEN_PARTS, OWN_KEY, OWN_VALUE
from datorum.core.said import said

LINK_MADE = said(
    "link made",
    "names what cannot be made",
    "At Map, feed what such a record needs, or correct the rows.",
    acceptable=False,
)

_KEY = "\0key "
_PLACES = {"key": pl.String, "value": pl.String, "record": pl.Int64, "sheet": pl.String, "row": pl.Int64,
           "line": pl.Int32}  # fmt: skip


class Named(NamedTuple):
    """What some rows name that is to be made. ``places``: every row that names one, with its key. ``first``: of each
    key what its record would have, by path, and ``why`` it cannot be made; ``implied``: it only stands above one that
    a row names; ``above``: the key of the one above it, with what is ``known`` of that on the site."""

    places: pl.DataFrame
    first: pl.DataFrame


class Maker:
    """The records that one link has made where it finds none, of which ``fields`` are fed. ``named`` sees some rows
    and keeps nothing; what it gives is taken in the order of the sheet. The first row that names a record says what
    it has."""

    def __init__(
        self, path: str, target: LinkTarget, making: Making, scope: Scope, today: dt.date, files: Files
    ) -> None:
        self.path, self.target, self.making = path, target, making
        keys = {key.path: FieldMapping(columns=(f"{_KEY}{at}",)) for at, key in enumerate(target.keys)}
        self._feeds = {**making.fields, **keys}
        fields = {field.path: field for field in making.record_type.writable}
        self.fields = {path: fields[path] for path in self._feeds if path in fields}
        self._checks = {
            path: FieldCheck(field, self._feeds[path], scope, today, files) for path, field in self.fields.items()
        }
        unfed = (field for field in fields.values() if field.required and not field.nullable and not field.in_list)
        self._lacks = next((field for field in unfed if field.path not in {*self._feeds, making.above}), None)
        self._named: list[Named] = []

    def seen_columns(self) -> set[str]:
        """The columns that what is made is fed by."""
        return set().union(*(fed.seen_columns() for fed in self.making.fields.values())) - {OWN_KEY, OWN_VALUE}

    def named(self, frame: pl.DataFrame, where: Where, checked: CheckedField, found: Resolved) -> Named | None:
        """What the rows of a frame name that is to be made; ``found`` says how their distinct values fared."""
        # Of several, one may be made while others are awaited.
        states = ["made", "awaited"] if self.target.many else ["made"]
        rows = checked.landed.over_rows(found.state.cast(pl.String).is_in(states)).arg_true()
        if not len(rows):
            return None
        values = checked.landed.over_rows(checked.sound_typed if self.target.many else checked.sound)
        asked = pl.DataFrame({"at": rows, "value": values.gather(rows)})
        if self.target.many:
            asked = asked.explode("value")
            asked = asked.filter(looked_for(self.target, self.target.compared(asked["value"])).state == "made")
        asked = asked.with_columns(self.target.compared(asked["value"]).alias("key"))
        place = where.gather(asked["at"])
        lines = pl.repeat(0, len(place), dtype=pl.Int32, eager=True) if place.lines is None else place.lines
        sheets = pl.repeat(None, len(place), dtype=pl.String, eager=True) if place.sheets is None else place.sheets
        columns = {"key": asked["key"], "value": asked["value"], "record": place.records, "sheet": sheets,
                   "row": place.rows}  # fmt: skip
        # What is called the same may be several files.
        each = ["key", "value"] if self.target.rule.of_files else "key"
        first = asked.unique(each, keep="first", maintain_order=True)
        return Named(pl.DataFrame({**columns, "line": lines}, schema=_PLACES), self._would_have(frame, first))

    def _would_have(self, frame: pl.DataFrame, first: pl.DataFrame) -> pl.DataFrame:
        """What the records of some keys would have; ``at``: the row of ``frame`` that names each."""
        feeds = frame[first["at"]]
        if self.target.rule.parted_by:
            first, feeds = self._with_those_above(first, feeds)
            keys = [first["value"].str.split(self.target.rule.parted_by.strip() or " ").list.last().str.strip_chars()]
        elif self.target.rule.of_files:
            keys = [names_of(first["value"])]
        else:
            keys = parts_of(first["value"], len(self.target.keys))
        feeds = feeds.with_columns(key.alias(f"{_KEY}{at}") for at, key in enumerate(keys))
        feeds = feeds.with_columns(
            pl.concat_str([f"{_KEY}{at}" for at in range(len(keys))], separator=" ").alias(OWN_KEY),
            first["value"].alias(OWN_VALUE),
        )
        places = pl.int_range(feeds.height, dtype=pl.Int64, eager=True)
        checked = {path: one.check_part(feeds, Where(places, places)) for path, one in self._checks.items()}
        whys = [f"{self._lacks.title} is fed by nothing" if self._lacks else None] * feeds.height
        for path, one in checked.items():
            for row, message in one.found.filter("blocks").select("row", "message").iter_rows():
                whys[row] = whys[row] or f"{self.fields[path].title} {message}"
        implied = first["implied"] if "implied" in first.columns else pl.repeat(False, first.height, eager=True)
        above = [above_on(key) or None for key in first["key"]] if self.making.above else [None] * first.height
        known = looked_for(self.target, pl.Series(above, dtype=pl.String))
        awaited = known.state == "awaited"
        whys = [why or (f"the one above is {place}, which is to be run first" if wait else None)
                for why, wait, place in zip(whys, awaited, known.place, strict=True)]  # fmt: skip
        return pl.DataFrame(
            {"key": first["key"], "implied": implied, "above": pl.Series(above, dtype=pl.String),
             "known": known.value, "why": pl.Series(whys, dtype=pl.String)}
        ).with_columns(one.sound_values.alias(f"field {path}") for path, one in checked.items())  # fmt: skip

    def _with_those_above(self, first: pl.DataFrame, feeds: pl.DataFrame) -> tuple[pl.DataFrame, pl.DataFrame]:
        """With those that stand above what rows name and are found nowhere: they have their key, and no columns."""
        between = self.target.rule.parted_by.strip() or " "
        over: dict[str, str] = {}
        for key, value in first.select("key", "value").iter_rows():
            parts = [part for part in value.split(between) if part.strip()]
            for depth in range(1, key.count(BETWEEN_PARTS) + 1):
                over.setdefault(BETWEEN_PARTS.join(key.split(BETWEEN_PARTS)[:depth]), between.join(parts[:depth]))
        keys = pl.Series(list(over), dtype=pl.String)
        lacking = (looked_for(self.target, keys).state == "made") & ~keys.is_in(first["key"].implode())
        implied = pl.DataFrame({"key": keys, "value": pl.Series(list(over.values()), dtype=pl.String)}).filter(lacking)
        both = [first.select("key", "value", implied=False), implied.select("key", "value", implied=True)]
        blank = feeds.clear(implied.height)
        return pl.concat(both), pl.concat([feeds, blank])

    def take(self, named: Named | None) -> None:
        """Take in what some more rows name."""
        if named is not None:
            self._named.append(named)

    def made(self) -> pl.DataFrame:
        """All records that are named, those above first, by ``key``."""
        if not self._named:
            return pl.DataFrame(schema={"key": pl.String, "above": pl.String, "known": pl.String, "why": pl.String})
        told = pl.concat([one.first for one in self._named]).sort("implied", maintain_order=True)
        told = self._one_of_each(told)
        depth = pl.col("key").str.count_matches(BETWEEN_PARTS, literal=True) if self.making.above else pl.lit(0)
        told = told.with_columns(depth.alias("depth")).sort("depth", maintain_order=True)
        return told.with_columns(pl.Series("why", list(self._whys(told)), dtype=pl.String))

    def _one_of_each(self, told: pl.DataFrame) -> pl.DataFrame:
        """The first of each key; where files of one name are not the same file, that none can be told from it."""
        for path, field in self.fields.items():
            if field.type is FieldType.FILE:
                differ = pl.col(f"field {path}").drop_nulls().n_unique().over("key") > 1
                why = pl.when(differ).then(pl.lit("several files are called so"))
                told = told.with_columns(why=pl.coalesce("why", why))
        return told.unique("key", keep="first", maintain_order=True)

    def _whys(self, told: pl.DataFrame) -> Iterator[str | None]:
        """Why each cannot be made, where it cannot: what it has, what its neighbours have, or the one above it."""
        unique = {field.path: key_texts(field, told[f"field {field.path}"]) for field in self.fields.values()
                  if field.unique and field not in self.target.keys}  # fmt: skip
        there = {path: self.making.taken[path].places_of(keys).is_not_null() for path, keys in unique.items()
                 if path in self.making.taken}  # fmt: skip
        lost: dict[str | None, str] = {}
        seen: dict[str, set[str]] = {path: set() for path in unique}
        for at, (key, above, why) in enumerate(told.select("key", "above", "why").iter_rows()):
            if above in lost:
                why = why or f"of the one above it, {lost[above].removeprefix('of the one above it, ')}"
            for path, keys in unique.items():
                if keys[at] is None or why:
                    continue
                title, value = self.fields[path].title, told[f"field {path}"][at]
                if path in there and there[path][at]:
                    why = f"{title} “{value}” is that of another on the site"
                elif keys[at] in seen[path]:
                    why = f"{title} “{value}” would be that of two"
            if why:
                lost[key] = why
            else:
                for path, keys in unique.items():
                    seen[path].add(keys[at])
            yield why

    def findings(self) -> Iterator[pl.DataFrame]:
        """The rows that name what cannot be made."""
        told = self.made()
        amiss = told.filter(pl.col("why").is_not_null()).select("key", "why")
        if amiss.height:
            places = pl.concat([one.places for one in self._named])
            rows = places.join(amiss, on="key", how="inner", maintain_order="left")
            says = [f"names a {self.target.one} that cannot be made: {why}" for why in rows["why"]]
            values = rows["value"].str.replace_all(BETWEEN_PARTS, " · ", literal=True)
            where = Where(rows["row"], rows["record"], rows["line"], rows["sheet"])
            yield findings_frame(where, self.path, LINK_MADE, values, says)
