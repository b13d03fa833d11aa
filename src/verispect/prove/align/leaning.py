"""How much of where two frames were found to lie hangs on some one part of the picture."""

from __future__ import annotations

import itertools
import math

import numpy as np

from verispect.optics.types import Floats
from verispect.prove.align.motion import BLOCK, Bands, at_middle, finest_of, part_motion, parts_left

# Parts of a picture, down and across, of which each is left out once.
_DOWN, _ACROSS = 3, 4
# A picture of which so much tells hangs on no part of it.
_FULL = 0.2


def leaning_px(frame: Bands, other: Bands, motion: Floats, focal_px: float, centre_px: tuple[float, float]) -> float:
    """How far without one part of the picture the middle would lie elsewhere, or the corners for a turn; the most.

    Parameters
    ----------
    motion : ndarray, shape (3, 3)
        How `frame` was laid over `other`.
    focal_px : float
        Pixels for a tangent of 1.
    centre_px : (float, float)
        Column and row of the picture's middle.
    """
    rows, columns = other.at(finest_of(other)).shape
    _, _, tells = parts_left(frame, other, motion)
    if tells.mean() > _FULL:
        return 0.0
    reach = 0.5 * math.hypot(*frame.picture.shape)
    most = 0.0
    for down, across in itertools.product(range(_DOWN), range(_ACROSS)):
        part = tuple(
            slice(side * number // count, side * (number + 1) // count)
            for side, number, count in ((rows, down, _DOWN), (columns, across, _ACROSS))
        )
        blocks = tuple(slice(one.start // BLOCK, -(-one.stop // BLOCK)) for one in part)
        if not tells[blocks].any():
            continue
        only = np.ones((rows, columns), np.uint8)
        only[part] = 0
        without = part_motion(frame, other, motion, only, focal_px, centre_px).matrix
        shift_down, right, turn, _ = at_middle(without @ np.linalg.inv(motion), centre_px)
        most = max(most, math.hypot(shift_down, right), abs(math.radians(turn)) * reach)
    return most
