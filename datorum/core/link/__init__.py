"""Which other records a record means: references looked for by their keys, and the order that follows from them."""

from datorum.core.link.fared import LinkFared, References
from datorum.core.link.keys import KeyTable, key_table, parts_of
from datorum.core.link.pending import MEANS_ROW, as_id, row_meant, rows_meant, said_of_row, with_record, with_records
from datorum.core.link.resolve import LinkState, LinkTarget, Making, Resolved, resolved

__all__ = [
    "MEANS_ROW",
    "KeyTable",
    "LinkFared",
    "LinkState",
    "LinkTarget",
    "Making",
    "References",
    "Resolved",
    "as_id",
    "key_table",
    "parts_of",
    "resolved",
    "row_meant",
    "rows_meant",
    "said_of_row",
    "with_record",
    "with_records",
]
