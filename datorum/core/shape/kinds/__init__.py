"""The shapes that there are: each is a file, and a line here."""

from typing import Annotated

from pydantic import Field

from datorum.core.shape.kinds.column_sets import ColumnSets
from datorum.core.shape.kinds.in_languages import InLanguages
from datorum.core.shape.kinds.languages import FurtherRows, Originals, Spread
from datorum.core.shape.kinds.packed_cell import PackedCell
from datorum.core.shape.kinds.rows_together import RowsTogether
from datorum.core.shape.kinds.second_sheet import SecondSheet
from datorum.core.shape.kinds.tree import Tree

AnyShape = Annotated[
    RowsTogether | ColumnSets | PackedCell | SecondSheet | Tree | Spread | Originals | InLanguages | FurtherRows,
    Field(discriminator="kind"),
]

__all__ = [
    "AnyShape",
    "ColumnSets",
    "FurtherRows",
    "InLanguages",
    "Originals",
    "PackedCell",
    "RowsTogether",
    "SecondSheet",
    "Spread",
    "Tree",
]
