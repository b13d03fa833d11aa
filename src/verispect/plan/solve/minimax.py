"""Making the worst of many residuals least: linear programmes, and their polish on curved residuals."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from verispect.optics.types import Bools, Floats
from verispect.plan.solve.linear_programme import least_cost

# Above so many rows a linear programme is given only the rows that can bind.
_MANY = 60
# Of what a step gains, so much is given for less of a step.
_AS_GOOD = 0.002
# Rows that tell a thousandth as much of one direction as of another leave it open.
_LOOSE = 1e-3
# Sides cut off the figure of equal lengths, and how round it then is.
_CUTS, _ROUND = 10, 3e-6
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


def least_lean(
    matrix: Floats, offsets: Floats, *, lower: Floats, upper: Floats, worst: float, leans: int
) -> Floats | None:
    """Of all x that keep |matrix · x + offsets| within a worst, the one whose first `leans` parts are least.

    Parameters
    ----------
    matrix, offsets, lower, upper : ndarray
        As for `least_worst`.
    worst : float

    Returns
    -------
    x : ndarray, shape (n,), or None
        None where the rows leave no choice, or nothing keeps within.

    Notes
    -----
    Linear programmes whose figure of equal lengths is rounded off where the last answer lay.
    """
    if leans < 1 or not _is_loose(matrix):
        return None
    size = matrix.shape[1]
    scale = np.maximum(np.max(np.abs(matrix), axis=0), 1e-300)
    # The parts that lean are scaled alike: it is their own length that counts, also of one that changes nothing.
    scale[:leans] = float(np.max(scale[:leans]))
    height = max(float(np.max(np.abs(offsets))), 1e-300)
    rows = matrix / scale / height
    cost = np.append(np.zeros(size), 1.0)
    lowest, highest = np.append(lower * scale, 0.0), np.append(upper * scale, np.inf)
    within = np.hstack([np.vstack([rows, -rows]), np.zeros((2 * len(rows), 1))])
    within_right = np.concatenate([(worst - offsets) / height, (worst + offsets) / height])
    sides, found = np.eye(leans), None
    for _ in range(_CUTS):
        both = np.vstack([sides, -sides])
        bound = np.hstack([both, np.zeros((len(both), size - leans)), -np.ones((len(both), 1))])
        answer = least_cost(
            cost,
            np.vstack([within, bound]),
            np.append(within_right, np.zeros(len(both))),
            lower=lowest,
            upper=highest,
        )
        if answer is None:
            break
        found = answer[:-1] / scale
        length = float(np.linalg.norm(answer[:leans]))
        if length <= answer[-1] * (1.0 + _ROUND):
            break
        # Too long for the sides so far: one more, straight across it (cutting planes), and its mirror image.
        across = answer[None, :leans] / length
        sides = np.vstack([sides, across, across * np.where(np.arange(leans) == 0, -1.0, 1.0)])
    return found


def _is_loose(matrix: Floats) -> bool:
    """Whether rows leave a direction, or nearly one, in which nothing changes: few marks, or all in one line."""
    rows, size = matrix.shape
    if rows > _MANY:
        return False
    scale = np.maximum(np.max(np.abs(matrix), axis=0), 1e-300)
    scale[:-1] = float(np.max(scale[:-1]))
    sizes = np.linalg.svd(matrix / scale, compute_uv=False)
    return bool(rows <= size or sizes[-1] < _LOOSE * sizes[0])


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
    leans: int = 0,
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
    leans : int
        Of the first so many parts no more is changed than it takes: where several steps do as well.
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
    if not free.any():
        return x, worst
    slopes, kept = np.zeros((0, 0)), (np.zeros((0, 0)), np.zeros(0))
    came = True
    for _ in range(rounds if conditions is None else 3 * rounds):
        if came:
            # Only there is anything new to be asked.
            slopes = _slopes(residuals, x, steps, free)
            if conditions is not None:
                kept = _slopes(conditions, x, steps, free), np.maximum(conditions(x), 0.0)
        came = False
        moved, promised = least_worst(
            slopes,
            values,
            lower=np.maximum(lower - x, -reach)[free],
            upper=np.minimum(upper - x, reach)[free],
            kept=None if conditions is None else (kept[0], kept[1] - np.minimum(margin, kept[1])),
        )
        if conditions is None and leans:
            nearer = least_lean(
                slopes, values, worst=promised + _AS_GOOD * max(worst - promised, 0.0), leans=leans,
                lower=np.maximum(lower - x, -reach)[free], upper=np.minimum(upper - x, reach)[free],
            )  # fmt: skip
            moved = moved if nearer is None else nearer
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
            x, values, worst, margin, came = x + step, trial, reached, 0.0, True
            if gain < 1e-5 * worst:
                break
        elif worst - promised < 1e-6 * worst:
            break
        else:
            reach = reach * 0.25
    return x, worst


def _slopes(of: Callable[[Floats], Floats], x: Floats, steps: Floats, free: Bools) -> Floats:
    """How values (m,) change with each free part of x, shape (m, free)."""
    columns = []
    for k in np.flatnonzero(free):
        nudge = np.zeros(len(x))
        nudge[k] = steps[k] * 1e-4
        columns.append((of(x + nudge) - of(x - nudge)) / (2.0 * nudge[k]))
    return np.stack(columns, axis=1)
