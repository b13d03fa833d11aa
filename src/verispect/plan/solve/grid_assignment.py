"""Which frame of a grid a mark is taken from, where neighbours overlap and several show it.

First the frame in whose middle it lies most; then marks at the ends of a frame's depth go to a neighbour that
shows them too, where that leaves less depth to hold.
"""

from __future__ import annotations

import numpy as np

from verispect.optics.types import Bools, Floats, Indices
from verispect.plan.solve.grid_layout import TurnedGrid

# Of half a frame: what lies farther out is not taken from a frame by choice.
_WITHIN = 0.98
_MOST_MOVES = 500
# Depths to this power are added up: 1 where every bit of depth costs frames, more where the deepest frame decides.
DEEPEST, SUM = 8.0, 1.0


def owners(
    unit: Floats, layout: TurnedGrid, half_frame: Floats, *, depth: Floats, power: float, overlap: float
) -> Indices:
    """The frame (K,) that each mark is taken from.

    Parameters
    ----------
    unit : ndarray, shape (K, 3)
        Directions in the world.
    depth : ndarray, shape (K,)
        Of any measure in which a focus series takes even steps.
    power : float
        DEEPEST or SUM.
    overlap : float
        That is asked of the grid. Where frames overlap more than that, what lies in the middle of one is left
        to it all the same: a seam through it could not be drawn.
    """
    off = np.max(_offsets(unit, layout) / half_frame, axis=2)
    owner: Indices = np.argmin(off, axis=1)
    mine = np.arange(len(owner)), owner
    shown = (off <= _WITHIN) & (off[mine] >= 1.0 - 2.0 * overlap)[:, None]
    shown[mine] = True
    return regrouped(owner, shown, depth, power)


def _offsets(unit: Floats, layout: TurnedGrid) -> Floats:
    """How far off each frame's middle each mark lies, as tangents, (K, frames, 2); huge behind it."""
    local = np.stack([unit @ pose.matrix.T for pose in layout.poses], axis=1)
    ahead = np.where(local[:, :, 2] > 0.05, local[:, :, 2], np.nan)
    found: Floats = np.nan_to_num(np.abs(local[:, :, :2]) / ahead[:, :, None], nan=1e9)
    return found


def regrouped(owner: Indices, shown: Bools, depth: Floats, power: float) -> Indices:
    """Owners after moving marks at the ends of a frame's depth to other frames, as long as that saves depth.

    Examples
    --------
    >>> shown = np.array([[True, True], [True, False], [True, True]])
    >>> regrouped(np.array([0, 0, 1]), shown, np.array([5.0, 1.0, 5.5]), SUM)
    array([1, 0, 1])
    """
    members: list[list[tuple[float, int]]] = [[] for _ in range(shown.shape[1])]
    # Shares of the whole depth, so that what counts as a saving is the same for all scenes.
    shares = (depth - depth.min()) / max(float(np.ptp(depth)), 1e-12)
    for k, frame in enumerate(owner.tolist()):
        members[frame].append((float(shares[k]), k))
    for mine in members:
        mine.sort()
    found = owner.copy()
    for _ in range(_MOST_MOVES):
        move = _best_move(members, shown, power)
        if move is None:
            break
        end, here, there = move
        taken = members[here].pop(end)
        members[there].append(taken)
        members[there].sort()
        found[taken[1]] = there
    return found


def _best_move(members: list[list[tuple[float, int]]], shown: Bools, power: float) -> tuple[int, int, int] | None:
    """Which end of which frame's depth goes to which other, for the greatest saving; None where nothing saves."""
    best, saving = None, 1e-12
    for here, mine in enumerate(members):
        if len(mine) < 2:
            continue
        whole = (mine[-1][0] - mine[0][0]) ** power
        for end, left in ((0, mine[-1][0] - mine[1][0]), (-1, mine[-2][0] - mine[0][0])):
            value, k = mine[end]
            for there in np.flatnonzero(shown[k]).tolist():
                if there == here:
                    continue
                other = members[there]
                low, high = (other[0][0], other[-1][0]) if other else (value, value)
                before = whole + (high - low) ** power
                after = left**power + (max(high, value) - min(low, value)) ** power
                if before - after > saving:
                    best, saving = (end, here, there), before - after
    return best
