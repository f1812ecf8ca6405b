"""In which order the items of a plan go: what is meant before what means it, and what means each other put right at the
end."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import replace
from typing import NamedTuple

from datorum.core.link import rows_meant
from datorum.core.model import Action, PlanRow, RecordType
from datorum.core.plan.waves import waves


class Ordered(NamedTuple):
    """``wave``: of the items that wait for others the number of their wave; ``held``: those that are held besides, with
    the reason; ``fewer``: items of circles, as they go at first; ``put_right``: how they are changed once more, when
    all that they mean is there, each with its wave."""

    wave: dict[int, int]
    held: dict[int, str]
    fewer: list[PlanRow]
    put_right: list[tuple[PlanRow, int]]


def in_order(
    waiting: Mapping[int, set[int]],
    going: Collection[int],
    on_site: Collection[int],
    rows: Callable[[Collection[int]], Mapping[int, PlanRow]],
    kinds: Mapping[str, RecordType],
    next_item: int,
) -> Ordered:
    """Have items wait for the records that they mean (``waiting``). Where these mean each other, each is sent without
    what its circle has, and given it afterwards, by items that count down from ``next_item``. What means an item that
    is not ``going``, and is not ``on_site``, is held with it, and so is what means itself in a field that the site
    requires. ``rows`` gives items of the plan; ``kinds``: the record types of the plan, by the names that its items
    have for them."""
    there = set(going) | set(on_site)
    # What has a record already need not be waited for.
    waits = {item: meant - set(on_site) for item, meant in waiting.items()}
    held: dict[int, str] = {}
    while True:
        found = waves(waits, there)
        circling = rows(found.later.keys()) if found.later else {}
        later = {item: _later(one, found.later[item]) for item, one in circling.items()}
        stuck = [
            item for item, paths in later.items() if any(_is_needed(kinds, circling[item], path) for path in paths)
        ]
        if not stuck:
            break
        there -= set(stuck)
        held |= dict.fromkeys(stuck, "it means itself, by way of others")
    for item, lacking in found.lacking.items():
        held.setdefault(item, f"it means row {lacking:,}, which does not go")
    fewer, put_right = [], []
    for at, (item, one) in enumerate(circling.items()):
        rest = {path: one.changes[path] for path in later[item]}
        fewer.append(replace(one, changes={path: change for path, change in one.changes.items() if path not in rest}))
        wave = found.after(item, rows_meant(rest) & found.wave.keys())
        again = replace(one, item=next_item - at, action=Action.UPDATE, changes=rest, of_item=item)
        put_right.append((again, wave))
    return Ordered(found.wave, held, fewer, put_right)


def _later(row: PlanRow, circle: set[int]) -> list[str]:
    """The fields in which an item means what shares a circle with it."""
    return [path for path, change in row.changes.items() if rows_meant({path: change}) & circle]


def _is_needed(kinds: Mapping[str, RecordType], row: PlanRow, path: str) -> bool:
    """Whether the site takes no record without a field, or the field is one of a list that goes as a whole."""
    field = kinds[row.record_type].field(path)
    return field.required or bool(field.objects)
