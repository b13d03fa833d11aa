"""Making the worst of many residuals least: linear programmes, and their polish on curved residuals."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from verispect.optics.types import Bools, Floats
from verispect.plan.solve.linear_programme import least_cost

# Above so many rows a linear programme is given only the rows that can bind.
_MANY = 60
# Conditions are taken to hold within this.
_SLACK = 1e-6


def least_worst(
    matrix: Floats,
    offsets: Floats,
    *,
    lower: Floats,
    upper: Floats,
    kept: tuple[Floats, Floats] | None = None,
) -> tuple[Floats, float]:
    """Minimise max |matrix · x + offsets| over lower ≤ x ≤ upper.

    Parameters
    ----------
    matrix : ndarray, shape (K, n)
    offsets : ndarray, shape (K,)
    lower, upper : ndarray, shape (n,)
    kept : (ndarray, ndarray), optional
        Slopes (m, n) and values (m,) of conditions slopes · x + values ≥ 0.

    Returns
    -------
    x : ndarray, shape (n,)
    worst : float

    Notes
    -----
    A linear programme in x and one bound t, by HiGHS. Of many rows only a working set is kept: rows
    violated by the last answer are added until there are none, which ends at the true optimum.
    """
    size = matrix.shape[1]
    scale = np.maximum(np.max(np.abs(matrix), axis=0), 1e-300)
    height = max(float(np.max(np.abs(offsets))), 1e-300)
    rows = matrix / scale / height
    constants = offsets / height
    lowest, highest = np.append(lower * scale, 0.0), np.append(upper * scale, np.inf)
    cost = np.zeros(size + 1)
    cost[-1] = 1.0
    working = _first_rows(rows, constants)
    while True:
        ones = np.ones((int(working.sum()), 1))
        stacked = np.vstack([np.hstack([rows[working], -ones]), np.hstack([-rows[working], -ones])])
        right = np.concatenate([-constants[working], constants[working]])
        if kept is not None:
            stacked = np.vstack([stacked, np.hstack([-kept[0] / scale, np.zeros((len(kept[1]), 1))])])
            right = np.concatenate([right, kept[1]])
        answer = least_cost(cost, stacked, right, lower=lowest, upper=highest)
        if answer is None:
            # The bounds are never empty, so this is numerical trouble: stay where we are.
            return np.clip(np.zeros(size), lower, upper), float(np.max(np.abs(offsets)))
        x = answer[:-1]
        residuals = np.abs(rows @ x + constants)
        violated = (residuals > answer[-1] + 1e-9 * (1.0 + answer[-1])) & ~working
        if not violated.any():
            return x / scale, float(residuals.max() * height)
        worst = np.argsort(np.where(violated, residuals, -1.0))[-_MANY:]
        working[worst[violated[worst]]] = True


def _first_rows(rows: Floats, constants: Floats) -> Bools:
    count = len(constants)
    if count <= _MANY:
        return np.ones(count, dtype=bool)
    working = np.zeros(count, dtype=bool)
    for column in [*rows.T, constants, rows.sum(axis=1)]:
        working[np.argmin(column)] = working[np.argmax(column)] = True
    return working


def polish(
    residuals: Callable[[Floats], Floats],
    start: Floats,
    *,
    lower: Floats,
    upper: Floats,
    steps: Floats,
    rounds: int = 8,
    conditions: Callable[[Floats], Floats] | None = None,
) -> tuple[Floats, float]:
    """Minimise max |residuals(x)| from a good start, by linear programmes in a shrinking neighbourhood.

    Parameters
    ----------
    residuals : callable
        x (n,) to signed residuals (K,).
    start, lower, upper : ndarray, shape (n,)
    steps : ndarray, shape (n,)
        Size of a first step in each direction; 0 keeps that direction fixed.
    conditions : callable, optional
        x (n,) to values (m,) that must stay ≥ 0; they must hold at the start.

    Returns
    -------
    x : ndarray, shape (n,)
    worst : float
        Never worse than at the start (clipped to the bounds).
    """
    x = np.clip(start, lower, upper)
    values = residuals(x)
    worst = float(np.max(np.abs(values)))
    reach = np.asarray(steps, dtype=float).copy()
    free = reach > 0.0
    margin: Floats | float = 0.0
    for _ in range(rounds if conditions is None else 3 * rounds):
        slopes = np.zeros((len(values), len(x)))
        for k in np.flatnonzero(free):
            nudge = np.zeros(len(x))
            nudge[k] = steps[k] * 1e-4
            slopes[:, k] = (residuals(x + nudge) - residuals(x - nudge)) / (2.0 * nudge[k])
        moved, promised = least_worst(
            slopes[:, free],
            values,
            lower=np.maximum(lower - x, -reach)[free],
            upper=np.minimum(upper - x, reach)[free],
            kept=None if conditions is None else _linearised(conditions, x, steps, free, margin),
        )
        step = np.zeros(len(x))
        step[free] = moved
        trial = residuals(x + step)
        reached = float(np.max(np.abs(trial)))
        short = np.zeros(1) if conditions is None else np.minimum(conditions(x + step), 0.0)
        if short.min() < -_SLACK:
            # The conditions are curved: the same step again, so much farther inside.
            margin = margin - 1.05 * short
            reach = reach * 0.7
        elif reached < worst:
            gain = worst - reached
            x, values, worst, margin = x + step, trial, reached, 0.0
            if gain < 1e-5 * worst:
                break
        elif worst - promised < 1e-6 * worst:
            break
        else:
            reach = reach * 0.25
    return x, worst


def _linearised(
    conditions: Callable[[Floats], Floats], x: Floats, steps: Floats, free: Bools, margin: Floats | float
) -> tuple[Floats, Floats]:
    """Slopes (m, free) and values (m,) of conditions about x, to be kept by a margin where there is room."""
    values = np.maximum(conditions(x), 0.0)
    values = values - np.minimum(margin, values)
    columns = []
    for k in np.flatnonzero(free):
        nudge = np.zeros(len(x))
        nudge[k] = steps[k] * 1e-4
        columns.append((conditions(x + nudge) - conditions(x - nudge)) / (2.0 * nudge[k]))
    return np.stack(columns, axis=1), values
