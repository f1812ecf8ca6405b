"""The old shop: another style of API altogether, grown over the years."""
