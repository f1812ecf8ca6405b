"""The demo data: written by a seeded generator, uneven as real exports are, with planted faults that are counted."""

from demo.data.customers import CustomersDemo, Manifest, generate_customers
from demo.data.exports import Export, generate_exports
from demo.data.world import World, generate_world, starter

__all__ = [
    "CustomersDemo",
    "Export",
    "Manifest",
    "World",
    "generate_customers",
    "generate_exports",
    "generate_world",
    "starter",
]
