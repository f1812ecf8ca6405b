"""The demo data: written by a seeded generator, uneven as real exports are, with planted faults that are counted."""

from demo.data.customers import CustomersDemo, Manifest, generate_customers

__all__ = ["CustomersDemo", "Manifest", "generate_customers"]
