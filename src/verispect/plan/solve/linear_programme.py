"""Small dense linear programmes, by HiGHS through its own door.

SciPy's door to the same solver takes five times as long for programmes of this size, and half a second to
import (docs/performance.md).
"""

from __future__ import annotations

import threading

import highspy
import numpy as np

from verispect.optics.types import Floats

_own = threading.local()


def least_cost(cost: Floats, matrix: Floats, right: Floats, *, lower: Floats, upper: Floats) -> Floats | None:
    """Minimise cost · x with matrix · x ≤ right and lower ≤ x ≤ upper.

    Parameters
    ----------
    cost, lower, upper : ndarray, shape (n,)
        Bounds may be ±inf.
    matrix : ndarray, shape (m, n)
    right : ndarray, shape (m,)

    Returns
    -------
    ndarray, shape (n,), or None
        None where the solver finds no optimum: none exists, or numbers too far apart in size.
    """
    rows, columns = matrix.shape
    programme = highspy.HighsLp()
    programme.num_col_, programme.num_row_ = columns, rows
    programme.col_cost_ = np.asarray(cost, float)
    programme.col_lower_, programme.col_upper_ = np.asarray(lower, float), np.asarray(upper, float)
    programme.row_lower_ = np.full(rows, -np.inf)
    programme.row_upper_ = np.asarray(right, float)
    programme.a_matrix_.format_ = highspy.MatrixFormat.kRowwise
    programme.a_matrix_.start_ = np.arange(rows + 1) * columns
    programme.a_matrix_.index_ = np.tile(np.arange(columns), rows)
    programme.a_matrix_.value_ = np.ascontiguousarray(matrix, float).ravel()
    solver = _solver()
    solver.passModel(programme)
    solver.run()
    if solver.getModelStatus() != highspy.HighsModelStatus.kOptimal:
        return None
    return np.asarray(solver.getSolution().col_value, float)


def _solver() -> highspy.Highs:
    """One to a thread: it keeps nothing between two programmes but its options."""
    if not hasattr(_own, "solver"):
        _own.solver = highspy.Highs()  # type: ignore[no-untyped-call]
        _own.solver.setOptionValue("output_flag", False)
        _own.solver.setOptionValue("threads", 1)
    solver: highspy.Highs = _own.solver
    solver.clearModel()
    return solver
