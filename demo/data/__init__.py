"""The demo data: written by a seeded generator, uneven as real exports are, with planted faults that are counted."""

from demo.data.customers import CustomersDemo, Manifest, generate_customers
from demo.data.world import World, generate_world, starter

__all__ = ["CustomersDemo", "Manifest", "World", "generate_customers", "generate_world", "starter"]
