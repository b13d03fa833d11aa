"""The even motion that explains best what a frame lost: how far and along which direction it was shaken."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from verispect.optics.types import Floats
from verispect.prove.shake.swing import told_by
from verispect.prove.shake.tile_powers import MIDDLES, SECTORS

# What was shaken lost up to so much whatever the direction: a length is sought in more rings than a swing, nepers.
_MOST_LOST = 2.5
# A misfit counts up to here.
_MOST_MISFIT = 0.8
# Left of what is no power at all.
_FLOOR = 0.03


@dataclass(frozen=True)
class Shaken:
    """How far a frame was shaken, pixels of the picture looked at, and in which direction, degrees clockwise."""

    length_px: float
    direction_deg: float


def even_motion(losses: Sequence[Floats]) -> tuple[float, Shaken]:
    """Length and direction of the motion, and before them what it leaves unexplained.

    Parameters
    ----------
    losses : sequence of ndarray, shape (tiles, rings, directions)
        Log powers of the frame less those of each that is held against it, NaN where there is nothing to see. What
        was lost in all directions of a ring is defocus as well as motion, and left aside.
    """
    groups = []
    for lost in losses:
        seen, telling = told_by(lost, _MOST_LOST)
        groups.append((np.where(seen, lost, 0.0)[telling], seen[telling].astype(float), np.nonzero(telling)[1]))

    def misfit(length: float, direction: float) -> float:
        model = _left_by(length, direction)
        total = 0.0
        for lost, weight, ring in groups:
            left = lost - model[ring]
            left = left - (weight * left).sum(axis=1, keepdims=True) / weight.sum(axis=1, keepdims=True)
            total += float((weight * np.minimum(np.abs(left), _MOST_MISFIT)).sum() / max(weight.sum(), 1.0))
        return total

    _, length, direction = min(
        (misfit(length, direction), length, direction)
        for length in np.geomspace(1.0, 16.0, 15)
        for direction in np.arange(0.0, 180.0, 9.0)
    )
    unexplained, length, direction = min(
        (misfit(length * times, direction + aside), length * times, direction + aside)
        for times in (0.88, 0.94, 1.0, 1.06, 1.12)
        for aside in np.arange(-8.0, 9.0, 2.0)
    )
    return unexplained, Shaken(float(length), float(direction % 180.0))


def _left_by(length: float, direction: float) -> Floats:
    """Log of what an even motion leaves, shape (rings, directions), each direction by thirds of its sector."""
    theta = (np.arange(3 * SECTORS) + 0.5) * 180.0 / (3 * SECTORS)
    along = MIDDLES[:, None] * length * np.cos(np.radians(theta - direction))
    left = (np.sinc(along) ** 2).reshape(len(MIDDLES), SECTORS, 3).mean(axis=2)
    found: Floats = np.log(np.maximum(left, _FLOOR))
    return found
