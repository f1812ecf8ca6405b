"""The ledger: the site's fields down the side, records across, two lines in every cell."""

from datorum.stations.ledger.assemble import ledger, lines_of
from datorum.stations.ledger.shown import Cell, Ledger, Line, LinesQuestion, LinesTable, Question, RecordHead

__all__ = ["Cell", "Ledger", "Line", "LinesQuestion", "LinesTable", "Question", "RecordHead", "ledger", "lines_of"]
