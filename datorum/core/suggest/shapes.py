"""How a sheet's rows become records: every shape that it has is tried, and the one whose columns feed most is taken."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from collections.abc import Mapping as AnyMapping
from typing import NamedTuple

import polars as pl

from datorum.core.model import FieldMapping, FieldType, LinkRule, Mapping, RecordType
from datorum.core.model.link_rule import COLUMN
from datorum.core.patterns import UnusablePattern, pattern
from datorum.core.profile import ColumnProfile, profile
from datorum.core.shape.grains import RECORD, Grains, grains_of, own_columns
from datorum.core.shape.kinds.column_sets import ColumnSets, column_sets, named_sets
from datorum.core.shape.kinds.in_languages import in_languages
from datorum.core.shape.kinds.languages import Originals, Spread, further_rows, originals, spreads, variants
from datorum.core.shape.kinds.packed_cell import packed_cells
from datorum.core.shape.kinds.rows_together import Named, RowsTogether, rows_together
from datorum.core.shape.kinds.second_sheet import second_sheet
from datorum.core.shape.kinds.tree import Tree, trees
from datorum.core.shape.shape import Found, values_of
from datorum.core.shape.whole import applied
from datorum.core.steps.landing import land
from datorum.core.suggest.by_values import Held
from datorum.core.suggest.chosen import Chosen
from datorum.core.suggest.languages import fed_alike, one_in_languages, says_language
from datorum.core.suggest.link_keys import LinkKey, keyed_fields
from datorum.core.suggest.link_paths import PathKey, links_by_path
from datorum.core.suggest.names import tokens
from datorum.core.suggest.suggest import likeliest_keys, suggest
from datorum.core.table import FLAG

_LIKELY, _FEW = 0.6, 0.05
_NO_NAMES = Named()
_ROWS = 10_000
"""As many rows of a list tell which of its columns feeds what."""


class Suggested(NamedTuple):
    """A mapping with its shape, and what speaks for each shape in it, in words."""

    mapping: Mapping
    reasons: tuple[tuple[str, ...], ...]


class _Tried(NamedTuple):
    """A shape with what its columns feed."""

    found: Found
    grains: Grains
    fields: dict[str, FieldMapping]
    links: dict[str, str]

    @property
    def worth(self) -> float:
        return self.found.weight * sum(fed.score or 0.0 for fed in self.fields.values())


def suggest_records(
    record_type: RecordType,
    frame: pl.DataFrame,
    sheets: AnyMapping[str, pl.DataFrame] | None = None,
    links: tuple[LinkKey, ...] = (),
    chosen: Chosen | None = None,
    held: Held | None = None,
    profiles: AnyMapping[str, ColumnProfile] | None = None,
) -> Suggested:
    """Shape, links and mapping of a sheet together. ``sheets``: others that belong to it, by name; ``links``: keys by
    which linked records can be looked for; ``chosen``, ``held``: what was decided before, and what the site's own
    records have; ``profiles``: of the columns of the whole sheet, where ``frame`` has the first rows alone."""
    asked = (record_type, frame, sheets, links, chosen, held, profiles)
    shaped = _suggested(*asked, shaped=True)
    if not shaped.mapping.shape:
        return shaped
    # A shape that takes more away than it gives is none.
    plain = _suggested(*asked, shaped=False)
    return plain if _feeds_more(record_type, plain.mapping, shaped.mapping) else shaped


def _feeds_more(record_type: RecordType, one: Mapping, other: Mapping) -> bool:
    """Whether a mapping feeds more than another by at least a field, those first that a site requires."""
    required = {field.path for field in record_type.writable if field.required and not field.in_list}
    lacking = len(required & other.fields.keys()) - len(required & one.fields.keys())
    worth = [sum(1.0 if fed.score is None else fed.score for fed in each.fields.values()) for each in (one, other)]
    return lacking < 0 or (lacking == 0 and worth[0] - worth[1] >= _A_FIELD)


_A_FIELD = 0.6


def _suggested(
    record_type: RecordType,
    frame: pl.DataFrame,
    sheets: AnyMapping[str, pl.DataFrame] | None,
    links: tuple[LinkKey, ...],
    chosen: Chosen | None,
    held: Held | None,
    profiles: AnyMapping[str, ColumnProfile] | None,
    *,
    shaped: bool,
) -> Suggested:
    """Links and mapping of a sheet, with the shapes that it is seen to have, or with none."""
    paths, links = _apart(links)
    grains = grains_of(frame, sheets)
    # Other kinds of record may have sheets alike that are not meant: these are offered, and not taken.
    translated = _field_called(record_type, says_original) is not None
    shapes: list[Found] = [*further_rows(frame, sheets or {})] if translated and shaped else []
    for one in shapes:
        grains = one.shape.apply(grains)
    fields: dict[str, FieldMapping] = {}
    keys: dict[str, str] = {}
    called = _called(record_type, grains, links) if record_type.lists else {}
    for into in sorted(record_type.lists if shaped else ()):
        tried = (_try(record_type, grains, found, into, links) for found in _shapes(grains, into, called[into]))
        telling = [one for one in tried if one.fields and _makes_whole(record_type, into, one, called[into])]
        if telling:
            best = max(telling, key=lambda one: one.worth)
            shapes.append(best.found)
            grains = best.grains
            fields |= best.fields
            keys |= best.links
    own = tuple(field for field in record_type.writable if not field.in_list)
    kind = record_type.model_copy(update={"fields": own})
    gathered = one_in_languages(kind, grains.records) if shaped else None
    if gathered is not None:
        shapes.append(gathered)
        grains = applied(gathered.shape, grains)
    tree = _pointing(kind, grains, links) if shaped and gathered is None else None
    if tree is not None:
        shapes.append(tree.found) if not record_type.lists else shapes.insert(0, tree.found)
        fed, by = tree.fields, tree.links
    else:
        known = profiles if not shapes else None
        fed, by = _fed(kind, grains.records, links, chosen, held, known)
    fields |= fed
    keys |= by
    fields |= fed_alike(record_type, grains.records, fields) if tree is None else {}
    for into in sorted(record_type.lists.difference(grains.lists) if tree is None else ()):
        alone, by = _one_in_each(record_type, grains, into, links, fields)
        fields |= alone
        keys |= by
    keys |= _keys_by_values(record_type, grains if tree is None else tree.grains, fields, links, keys)
    records = grains.records if tree is None else tree.grains.records
    own_keys = likeliest_keys(record_type, fed, lambda names: _differ_together(records, names))
    refused = [name for name in own_columns(records) if chosen and any(chosen.was_refused(key.path, (name,))
                                                                       for key in paths)]  # fmt: skip
    free = [name for name in own_columns(records) if name not in refused]
    by_path = links_by_path(record_type, records, fields, paths, free)
    fields |= by_path.fields
    rules = {path: LinkRule.by_key(one) for path, one in keys.items()} | by_path.rules
    mapping = Mapping.model_validate({
        "fields": {field.path: fields[field.path] for field in record_type.writable if field.path in fields},
        "shape": tuple(one.shape for one in shapes),
        "links": rules,
        "match_key": next(iter(own_keys), None), "key_with": own_keys[1:],
    })  # fmt: skip
    return Suggested(mapping, tuple(one.reasons for one in shapes))


def _called(record_type: RecordType, grains: Grains, links: tuple[LinkKey, ...]) -> dict[str, Named]:
    """By the path of each list the columns that feed what the site keeps unique of a record, where their values do not
    stand once, and those that feed what the list holds, each taken for itself."""
    fed, _ = _fed(record_type, grains.records, links)
    keys = [
        fed[path].columns for path in record_type.key_candidates if path in fed and not record_type.field(path).in_list
    ]
    twice = tuple(one[0] for one in keys if len(one) == 1 and _differ(values_of(grains.records, one[0])) < 1)
    return {into: Named(twice, {name for path, feed in fed.items() if record_type.field(path).in_list == into
                                for name in feed.columns}) for into in record_type.lists}  # fmt: skip


def _makes_whole(record_type: RecordType, into: str, tried: _Tried, named: Named) -> bool:
    """Whether a shape makes whole objects where it is by the name of its key alone; rows that are there twice are no
    list."""
    shape = tried.found.shape
    if not isinstance(shape, RowsTogether) or shape.below or not set(shape.key) & set(named.keys):
        return True
    needed = {field.path for field in record_type.writable if field.in_list == into and field.required}
    return needed <= tried.fields.keys()


def _differ(values: pl.Series) -> float:
    """How many values there are for each row that has one, 0 to 1."""
    there = values.drop_nulls()
    return there.n_unique() / len(there) if len(there) else 0.0


def _differ_together(frame: pl.DataFrame, names: tuple[str, ...]) -> float:
    """How many values some columns have together for each row that has all of them, 0 to 1."""
    there = pl.DataFrame({name: values_of(frame, name) for name in names}).drop_nulls()
    return there.n_unique() / there.height if there.height else 0.0


def suggest_feeds(
    record_type: RecordType, grains: Grains, links: tuple[LinkKey, ...] = (), chosen: Chosen | None = None,
    held: Held | None = None,
) -> Mapping:  # fmt: skip
    """What the columns of records that are made already feed, and by which keys links are looked for."""
    paths, links = _apart(links)
    own = tuple(field for field in record_type.writable if not field.in_list)
    fields, keys = _fed(record_type.model_copy(update={"fields": own}), grains.records, links, chosen, held)
    for into in sorted(grains.lists):
        fed, by = _fed_in_list(record_type, grains, into, links)
        fields |= fed
        keys |= by
    for into in sorted(record_type.lists.difference(grains.lists)):
        alone, by = _one_in_each(record_type, grains, into, links, fields)
        fields |= alone
        keys |= by
    keys |= _keys_by_values(record_type, grains, fields, links, keys)
    by_path = links_by_path(record_type, grains.records, fields, paths, own_columns(grains.records))
    rules = {path: LinkRule.by_key(one) for path, one in keys.items()} | by_path.rules
    return Mapping.model_validate({"fields": fields | by_path.fields, "links": rules})


def _apart(links: tuple[LinkKey, ...]) -> tuple[tuple[PathKey, ...], tuple[LinkKey, ...]]:
    """The keys that are paths from the top of a tree, and the others."""
    paths = tuple(PathKey(link.path, link.by) for link in links if link.on_path)
    return paths, tuple(link for link in links if not link.on_path)


def _keys_by_values(
    record_type: RecordType, grains: Grains, fields: AnyMapping[str, FieldMapping], links: tuple[LinkKey, ...],
    known: AnyMapping[str, str],
) -> dict[str, str]:  # fmt: skip
    """The keys of links whose values cannot be what the site itself takes."""
    found = {}
    for path in dict.fromkeys(link.path for link in links):
        fed = fields.get(path)
        if fed is None or not fed.columns or path in known:
            continue
        field = record_type.field(path)
        own = field.items if field.type is FieldType.LIST and field.items else field
        frame = grains.seen_from(field.in_list, fed.seen_columns()).head(_ROWS)
        values = _each(land(frame, fed).values.drop_nulls().unique())
        if own.type not in (FieldType.INTEGER, FieldType.NUMBER) or not len(values):
            continue
        if float(values.str.contains(r"^\d+$").mean() or 0.0) > _NEVER:  # type: ignore[arg-type]
            continue
        keys = [link for link in links if link.path == path]
        best = max(keys, key=lambda link: _like_key(link, values))
        found[path] = best.by
    return found


_NEVER = 0.1


def _each(values: pl.Series) -> pl.Series:
    """Values, those of lists one by one."""
    if not values.str.starts_with("[").any():
        return values
    lists = values.str.json_decode(pl.List(pl.String), infer_schema_length=None)
    return lists.explode().drop_nulls()


def _like_key(link: LinkKey, values: pl.Series) -> float:
    """How well a key's form fits values, 0 to 1; the plainest form of several last."""
    forms = {"email": r"^\S+@\S+\.\S+$", "slug": r"^[a-z0-9]+(?:[-_][a-z0-9]+)*$"}
    kind = link.field.format if link.field.format in forms else tokens(link.by)[-1:] and tokens(link.by)[-1]
    if link.field.type is not FieldType.TEXT:
        return 0.0
    pattern = forms.get(kind or "")
    if pattern is None:
        return 0.5
    return float(values.str.contains(pattern).mean() or 0.0)  # type: ignore[arg-type]


def shapes_of(
    record_type: RecordType, frame: pl.DataFrame, sheets: AnyMapping[str, pl.DataFrame] | None = None
) -> list[Found]:
    """Every shape that a sheet can be seen to have for a kind of record, those with most weight first."""
    grains = grains_of(frame, sheets)
    called = _called(record_type, grains, ()) if record_type.lists else {}
    found = [one for into in sorted(record_type.lists) for one in _shapes(grains, into, called[into])]
    if _field_called(record_type, _says_above) is not None:
        found += trees(grains.records, _says_above)
    if _field_called(record_type, says_original) is not None:
        found += _translations(grains.records)
    if any(field.language for field in record_type.fields):
        found += in_languages(grains.records, says_language(grains.records))
    if not record_type.lists:
        found += variants(grains.records)
    found += further_rows(frame, sheets or {})
    return sorted(found, key=lambda one: -one.weight)


def likeliest_shape(frame: pl.DataFrame, into: str = "lines") -> Found | None:
    """How a sheet's rows make records, by the sheet alone: nothing where each is one, or nothing tells."""
    found = [one for one in _shapes(grains_of(frame), into) if one.weight >= _LIKELY]
    return max(found, key=lambda one: one.weight, default=None)


def _shapes(grains: Grains, into: str, named: Named = _NO_NAMES) -> Iterator[Found]:
    frame = grains.records
    for name, other in grains.sheets.items():
        yield from second_sheet(frame, name, other, into)
    yield from packed_cells(frame, into)
    yield from column_sets(frame, into)
    yield from named_sets(frame, into)
    yield from rows_together(frame, into, named)


def _pointing(kind: RecordType, grains: Grains, links: tuple[LinkKey, ...]) -> _Tried | None:
    """The tree or the translations that a sheet is, where records of its kind have one above or an original: each with
    what feeds its fields, and the one it points to by a key that the sheet has of it."""
    if _field_called(kind, _says_above) is not None:
        tried = _pointed(kind, grains, links, trees(grains.records, _says_above), _says_above)
        if tried is not None:
            return tried
    if _field_called(kind, says_original) is not None:
        return _pointed(kind, grains, links, _translations(grains.records), says_original)
    return None


def _translations(frame: pl.DataFrame) -> Iterator[Found]:
    """The ways in which a sheet has texts in several languages."""
    yield from spreads(frame)
    yield from originals(frame, says_language(frame))


def _field_called(kind: RecordType, says: Callable[[str], bool]) -> str | None:
    return next((field.path for field in kind.fields if says(field.path)), None)


def _pointed(
    kind: RecordType, grains: Grains, links: tuple[LinkKey, ...], all_found: Iterator[Found],
    says: Callable[[str], bool],
) -> _Tried | None:  # fmt: skip
    pointing = _field_called(kind, says)
    assert pointing is not None
    others = kind.model_copy(update={"fields": tuple(field for field in kind.fields if field.path != pointing)})
    for found in sorted(all_found, key=lambda one: -one.weight):
        shape = found.shape
        assert isinstance(shape, Tree | Spread | Originals)
        shaped = applied(shape, grains)
        fed, by = _fed(others, shaped.records.drop(shape.above), links)
        # By what the site tells records apart by, where the sheet has it of every one; else by its name.
        keys = [key.by for key in links if key.path == pointing and key.by in fed and len(fed[key.by].columns) == 1]
        given = fed[keys[0]].columns[0] if keys else ""
        if given and shaped.records[given].null_count() <= _FEW * shaped.records.height:
            shape, by = shape.model_copy(update={"given": given}), by | {pointing: keys[0]}
        elif isinstance(shape, Tree):
            named = (path for path, feed in fed.items() if feed.columns == (shape.name,))
            # What names the one above may be what the sheet alone has of it.
            usual = f"{COLUMN}{shape.key}" if shape.way == "parent" else "name"
            by = by | {pointing: next(named, usual)}
        else:
            continue
        why = "it is the one above in the tree" if isinstance(shape, Tree) else "it is the original of the translation"
        above = FieldMapping(columns=(shape.above,), score=found.weight, reasons=(why,))
        told = found.model_copy(update={"shape": shape})
        return _Tried(told, applied(shape, grains), {**fed, pointing: above}, by)
    return None


def says_original(name: str) -> bool:
    """Whether what a field is called says that it means the original of a translation."""
    return "translation" in tokens(name) or "original" in name.lower()


def _says_above(name: str) -> bool:
    return "parent" in tokens(name)


def _try(record_type: RecordType, grains: Grains, found: Found, into: str, links: tuple[LinkKey, ...]) -> _Tried:
    shaped = applied(found.shape, grains)
    fed, by = _fed_in_list(record_type, shaped, into, links)
    if isinstance(found.shape, ColumnSets) and found.shape.names:
        fed |= _called_by_name(record_type, into, found, fed)
    fed |= _left_for_each_other(record_type, shaped.lists[into], into, fed)
    shape = found.shape.knowing(own_columns(shaped.lists[into]))
    return _Tried(found.model_copy(update={"shape": shape}), shaped, fed, by)


def _called_by_name(
    record_type: RecordType, into: str, found: Found, fed: AnyMapping[str, FieldMapping]
) -> dict[str, FieldMapping]:
    """What the name of a set of columns feeds: what an object of the list is called."""
    shape = found.shape
    assert isinstance(shape, ColumnSets)
    if any(shape.called in feed.columns for feed in fed.values()):
        return {}
    free = [field for field in record_type.writable if field.in_list == into and field.path not in fed
            and field.type is FieldType.TEXT and tokens(field.path.rpartition(".")[2])[-1:] in _CALLED]  # fmt: skip
    why = "it is what the columns are called behind what they hold"
    return {field.path: FieldMapping(columns=(shape.called,), score=found.weight, reasons=(why,))
            for field in sorted(free, key=lambda one: not one.required)[:1]}  # fmt: skip


def _left_for_each_other(
    record_type: RecordType, frame: pl.DataFrame, into: str, fed: AnyMapping[str, FieldMapping]
) -> dict[str, FieldMapping]:
    """The one field that each object of a list needs and nothing feeds, fed by the one column that is left, where all
    of its values are of the form that the field wants: whatever the column is called."""
    used = {column for one in fed.values() for column in one.columns}
    lacking = [field for field in record_type.writable if field.in_list == into and field.required
               and field.path not in fed]  # fmt: skip
    left = [name for name in own_columns(frame) if name not in used]
    if len(fed) < _FEWEST_OF_ONE or len(lacking) != 1 or len(left) != 1 or lacking[0].pattern is None:
        return {}
    values = values_of(frame, left[0]).drop_nulls()
    try:
        fits = len(values) >= _FEWEST_OF_ONE and pattern(lacking[0].pattern).found_in(values).all()
    except UnusablePattern:
        return {}
    why = "the only one left, and all of its values are of the form that the site wants"
    return {lacking[0].path: FieldMapping(columns=(left[0],), score=_ONLY_ONE, reasons=(why,))} if fits else {}


_ONLY_ONE = 0.7
_CALLED = {("name",), ("title",), ("label",), ("variant",), ("option",), ("size",)}


def _one_in_each(
    record_type: RecordType, grains: Grains, into: str, links: tuple[LinkKey, ...],
    fields: AnyMapping[str, FieldMapping],
) -> tuple[dict[str, FieldMapping], dict[str, str]]:  # fmt: skip
    """What the columns that are left feed in a list of which each row has one object; nothing where they do not make a
    whole one."""
    used = {column for fed in fields.values() for column in fed.columns}
    rest = grains.records.drop([name for name in used if name in grains.records.columns])
    fed, by = _fed_in_list(record_type, grains._replace(lists={into: rest}), into, links)
    needed = {field.path for field in record_type.writable if field.in_list == into and field.required}
    whole = len(fed) >= _FEWEST_OF_ONE and needed <= fed.keys()
    return (fed, by) if whole else ({}, {})


_FEWEST_OF_ONE = 2


def _fed_in_list(
    record_type: RecordType, grains: Grains, into: str, links: tuple[LinkKey, ...]
) -> tuple[dict[str, FieldMapping], dict[str, str]]:
    """What the columns of a list feed, by the paths that its fields have in the record."""
    of_list = tuple(
        field.model_copy(update={"path": field.path.removeprefix(f"{into}."), "in_list": None})
        for field in record_type.writable
        if field.in_list == into
    )
    inner = tuple(
        key._replace(path=key.path.removeprefix(f"{into}.")) for key in links if key.path.startswith(f"{into}.")
    )
    kind = RecordType(name=into, title=into, fields=of_list)
    fed, by = _fed(kind, grains.lists[into], inner)
    return {f"{into}.{path}": one for path, one in fed.items()}, {f"{into}.{path}": key for path, key in by.items()}


def _fed(
    kind: RecordType, frame: pl.DataFrame, links: tuple[LinkKey, ...], chosen: Chosen | None = None,
    held: Held | None = None, profiles: AnyMapping[str, ColumnProfile] | None = None,
) -> tuple[dict[str, FieldMapping], dict[str, str]]:  # fmt: skip
    """What the columns of a grain feed, and by which keys links are looked for."""
    if profiles is None:
        frame = frame.head(_ROWS)
    some = frame.drop(RECORD, FLAG, strict=False).with_columns(pl.lit(None, dtype=pl.String).alias(FLAG))
    if not own_columns(some) or not kind.fields:
        return {}, {}
    there = {field.path for field in kind.fields}
    keyed = keyed_fields(key for key in links if key.path in there)
    also = tuple(key.field.model_copy(update={"path": path, "unique": False}) for path, key in keyed.items())
    wide = kind.model_copy(update={"fields": (*kind.fields, *also), "relations": ()})
    mapping = suggest(wide, some, profile(some) if profiles is None else profiles, chosen, held)
    fed, by = dict(mapping.fields), dict[str, str]()
    for path, key in keyed.items():
        feed = fed.pop(path, None)
        now = fed.get(key.path)
        if feed is not None and (now is None or (now.score or 1.0) < (feed.score or 0.0)):
            fed[key.path], by[key.path] = feed, key.by
    return fed, by
