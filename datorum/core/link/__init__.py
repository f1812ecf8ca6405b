"""Which other records a record means: references looked for by their keys, and the order that follows from them."""

from datorum.core.link.fared import LinkFared, References
from datorum.core.link.keys import KeyTable, key_table, parts_of
from datorum.core.link.pending import (
    MEANS_ROW,
    Known,
    addresses_meant,
    as_before,
    as_id,
    read_text,
    row_meant,
    rows_meant,
    said_of_row,
    said_of_text,
    text_parts,
    with_record,
    with_records,
)
from datorum.core.link.resolve import LinkState, LinkTarget, Making, Resolved, resolved

__all__ = [
    "MEANS_ROW",
    "KeyTable",
    "Known",
    "LinkFared",
    "LinkState",
    "LinkTarget",
    "Making",
    "References",
    "Resolved",
    "addresses_meant",
    "as_before",
    "as_id",
    "key_table",
    "parts_of",
    "read_text",
    "resolved",
    "row_meant",
    "rows_meant",
    "said_of_row",
    "said_of_text",
    "text_parts",
    "with_record",
    "with_records",
]
