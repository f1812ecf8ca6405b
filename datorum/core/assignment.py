"""Pairs of rows and columns that are worth most together."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Places = npt.NDArray[np.intp]


def best_pairs(worth: npt.NDArray[np.float64]) -> tuple[Places, Places]:
    """The rows and the columns of a table of worths that are paired, each at most once (the assignment problem; J.
    Munkres, 1957)."""
    # Loaded when it is first needed: it takes half a second, and most commands suggest nothing.
    from scipy.optimize import linear_sum_assignment

    rows, columns = linear_sum_assignment(worth, maximize=True)
    return rows, columns
