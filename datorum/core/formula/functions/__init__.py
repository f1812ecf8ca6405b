"""The functions, one module a group. Importing this module registers them all."""

from datorum.core.formula.functions import date, information, logical, number, text, website

__all__ = ["date", "information", "logical", "number", "text", "website"]
