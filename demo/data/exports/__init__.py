"""The files that people export from the old shop: every kind of record, in the layouts that such files come in, each
with planted faults that are counted."""

from __future__ import annotations

from collections.abc import Iterator

from demo.data.exports import catalogue, files, orders, people, writing
from demo.data.exports.sheet import Export
from demo.data.world import World

__all__ = ["Export", "generate_exports"]


def generate_exports(world: World) -> Iterator[Export]:
    """The same bytes for the same world."""
    yield from people.users(world.users)
    yield from people.entries(world.entries)
    yield from catalogue.terms(world.terms)
    yield from catalogue.media([*world.pictures, *world.files])
    yield from catalogue.products(world.products)
    yield from orders.offers(world.offers)
    yield from orders.orders(world.orders)
    yield from writing.articles(world.articles, world.pictures)
    yield from writing.comments(world.comments)
    yield files.archive([*world.pictures, *world.files])
