"""The functions, one module a group. Importing this module registers them all."""

from datorum.core.formula.functions import angle, date, information, logical, notation, number, text, website

__all__ = ["angle", "date", "information", "logical", "notation", "number", "text", "website"]
