"""Frames of a grid that show what drifts, as clouds do: by it they go on from frame to frame, as no push has them go.

Whether a head or the sky moved nothing else tells of frames that show nothing but sky.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats

# A step from frame to frame is one from so many pixels on. Two in turn are of one drift where the shorter is such a
# part of the longer, and the cosine between their ways so large; clouds go slower towards the horizon.
_STEP_PX, _LENGTHS, _WAYS = 1.5, 0.5, 0.6
# Others stand, two in turn at least, that move by less than such a part of the usual step; what lies farther from
# where they do than so many pixels drifted.
_STANDS, _LEAST_STAND, _AWAY_PX = 0.3, 2, 0.5


def drifted(shifts: Floats) -> NDArray[np.bool_]:
    """Which of frames, in the order they were taken in, lie where something that drifts has them.

    Parameters
    ----------
    shifts : ndarray, shape (N, 2)
        How far from where it was planned each seems to look, pixels.
    """
    found = np.zeros(len(shifts), bool)
    steps = np.diff(shifts, axis=0)
    sizes = np.linalg.norm(steps, axis=1)
    longer, shorter = (pick(sizes[1:], sizes[:-1]) for pick in (np.maximum, np.minimum))
    along = np.sum(steps[1:] * steps[:-1], axis=1)
    of_one = (shorter > _STEP_PX) & (shorter > _LENGTHS * longer) & (along > _WAYS * longer * shorter)
    if not of_one.any():
        return found
    first = np.flatnonzero(of_one)
    usual = float(np.median(longer[first]))
    stands = np.flatnonzero(sizes < _STANDS * usual)
    if len(stands) < _LEAST_STAND:
        # All of them go on: a head that sinks.
        return found
    there = np.median(shifts[np.union1d(stands, stands + 1)], axis=0)
    found[np.unique(np.concatenate([first, first + 1, first + 2]))] = True
    away: NDArray[np.bool_] = np.linalg.norm(shifts - there, axis=1) > _AWAY_PX
    return found & away


def drift_words(files: Sequence[str]) -> tuple[str, ...]:
    """What is said of such frames."""
    if not files:
        return ()
    if len(files) == 1:
        which, where = f"{files[0]} has", "it"
    else:
        which, where = f"{', '.join(files[:-1])} and {files[-1]} have", "they"
    return (
        f"What {which} in common with others moved from frame to frame, as clouds do: where {where} looked cannot be "
        "told",
    )
