"""In which order the items of a plan go: what is meant before what means it, and what means each other put right at the
end."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import replace
from typing import Any, NamedTuple

from datorum.core.link import addresses_meant, as_before, rows_meant
from datorum.core.model import Action, Change, PlanRow, RecordType
from datorum.core.plan.waves import waves


class Ordered(NamedTuple):
    """``wave``: of the items that wait for others the number of their wave; ``held``: those that are held besides, with
    the reason; ``fewer``: items of circles, as they go at first; ``put_right``: how they are changed once more, when
    all that they mean is there, each with its wave."""

    wave: dict[int, int]
    held: dict[int, str]
    fewer: list[PlanRow]
    put_right: list[tuple[PlanRow, int]]


def order(
    waiting: Mapping[int, set[int]],
    going: Collection[int],
    on_site: Collection[int],
    rows: Callable[[Collection[int]], Mapping[int, PlanRow]],
    kinds: Mapping[str, RecordType],
    next_item: int,
) -> Ordered:
    """Have items wait for the records that they mean (``waiting``). Where these mean each other, each is sent without
    what its circle has, and given it afterwards, by items that count down from ``next_item``; a text with addresses of
    its circle goes with what stood there before. What means an item that is not ``going``, and is not ``on_site``, is
    held with it, and so is what means itself in a field that the site requires. ``rows`` gives items of the plan;
    ``kinds``: the record types of the plan, by the names that its items have for them."""
    there = set(going) | set(on_site)
    # What has a record already need not be waited for.
    waits = {item: meant - set(on_site) for item, meant in waiting.items()}
    held: dict[int, str] = {}
    while True:
        found = waves(waits, there)
        circling = rows(found.later.keys()) if found.later else {}
        later = {item: _later(one, found.later[item]) for item, one in circling.items()}
        stuck = [
            item
            for item, paths in later.items()
            if any(_is_needed(kinds, circling[item], path, found.later[item]) for path in paths)
        ]
        if not stuck:
            break
        there -= set(stuck)
        held |= dict.fromkeys(stuck, "it means itself, by way of others")
    for item, lacking in found.lacking.items():
        held.setdefault(item, f"it means row {lacking:,}, which does not go")
    fewer, put_right = [], []
    for at, (item, one) in enumerate(circling.items()):
        at_first = {path: _at_first(one.changes[path], found.later[item]) for path in later[item]}
        rest = {path: Change(before, one.changes[path].after) for path, before in at_first.items()}
        fewer.append(replace(one, changes={
            path: Change(change.before, at_first[path]) if path in rest else change
            for path, change in one.changes.items() if path not in at_first or at_first[path] is not None
        }))  # fmt: skip
        wave = found.after(item, _all_meant(rest) & found.wave.keys())
        again = replace(one, item=next_item - at, action=Action.UPDATE, changes=rest, of_item=item)
        put_right.append((again, wave))
    return Ordered(found.wave, held, fewer, put_right)


def _later(row: PlanRow, circle: set[int]) -> list[str]:
    """The fields in which an item means what shares a circle with it."""
    return [path for path, change in row.changes.items() if _all_meant({path: change}) & circle]


def _all_meant(changes: Mapping[str, Change]) -> set[int]:
    return rows_meant(changes) | addresses_meant(changes)


def _at_first(change: Change, circle: set[int]) -> Any:
    """What a field is sent as while what shares its circle is not there; None where it is not sent."""
    return None if rows_meant({"": change}) & circle else as_before(change.after, circle)


def _is_needed(kinds: Mapping[str, RecordType], row: PlanRow, path: str, circle: set[int]) -> bool:
    """Whether the site takes no record without a field that means what shares its circle, or the field is one of a list
    that goes as a whole."""
    if not rows_meant({path: row.changes[path]}) & circle:
        return False
    field = kinds[row.record_type].field(path)
    return field.required or bool(field.objects)
