"""A million order lines that make a quarter of a million orders, linked to customers and products."""
