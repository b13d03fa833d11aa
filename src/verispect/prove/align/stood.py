"""What stood still while much of the picture moved: drifting clouds, or water, are no motion of the camera.

Gauss-Newton follows what most of a picture does. A camera on a tripod that nobody touched leaves what stands where it
was planned, however much of the picture drifts; one that was touched moves all of it.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.align.motion import BLOCK, Bands, Motion, finest_of, motion_between, part_motion, parts_left

# A motion that moves some corner less than this from where it was planned needs no second look, pixels.
_NEAR_PX = 0.4
# Parts stand still that lie so near where they were planned, pixels; so many must, and such a share of all that tell.
_STILL_PX, _LEAST, _SHARE = 0.35, 8, 0.15
# What lies farther off than this tells no growth; and parts nearer to the middle than such a share of the picture.
_GROWTH_PX, _FROM_MIDDLE, _MOST_GROWTH = 3.0, 0.15, 0.01
_ROUNDS = 2


def motion_of_camera(
    frame: Bands, other: Bands, *, planned: Floats, focal_px: float, centre_px: tuple[float, float]
) -> Motion:
    """The motion that lays `frame` over `other`, as `motion_between` has it; by what stood still where much drifted.

    Parameters
    ----------
    planned : ndarray, shape (3, 3)
        Where the search begins, and where what stands still is looked for.
    focal_px : float
        Pixels for a tangent of 1.
    centre_px : (float, float)
        Column and row of the picture's middle.
    """
    found = motion_between(frame, other, planned=planned, focal_px=focal_px, centre_px=centre_px)
    if most_apart_px(found.matrix, planned, frame.picture.shape) < _NEAR_PX:
        return found
    begin, still = planned, None
    for _ in range(_ROUNDS):
        seen = _still(frame, other, begin, centre_px)
        if seen is None:
            return found
        begin, still = seen
        begin = part_motion(frame, other, begin, still, focal_px, centre_px).matrix
    assert still is not None
    stood = part_motion(frame, other, begin, still, focal_px, centre_px)
    return stood if stood.trusted else found


def most_apart_px(one: Floats, other: Floats, shape: tuple[int, ...]) -> float:
    """How far apart two motions take some corner of a picture, of rows and columns, pixels."""
    rows, columns = shape[:2]
    corners = np.array([[0, columns - 1.0, columns - 1.0, 0], [0, 0, rows - 1.0, rows - 1.0], [1.0] * 4])
    a, b = one @ corners, other @ corners
    return float(np.hypot(*(a[:2] / a[2] - b[:2] / b[2])).max())


def _still(
    frame: Bands, other: Bands, begin: Floats, centre_px: tuple[float, float]
) -> tuple[Floats, NDArray[np.uint8]] | None:
    """The motion with the growth that parts tell, and where they stand still by it; None where too few do."""
    shifts, fit, tells = parts_left(frame, other, begin)
    divide = finest_of(frame)
    rows, columns = np.nonzero(fit)
    places = (np.stack([columns, rows], axis=1) + 0.5) * float(BLOCK * divide) - np.array(centre_px)
    moved = shifts[fit]
    far = np.hypot(*places.T) > _FROM_MIDDLE * max(frame.picture.shape)
    near = far & (np.hypot(*moved.T) < _GROWTH_PX)
    if near.sum() < _LEAST:
        return None
    growth = float(np.median((moved * places)[near].sum(axis=1) / (places**2)[near].sum(axis=1)))
    growth = float(np.clip(growth, -_MOST_GROWTH, _MOST_GROWTH))
    is_still = np.hypot(*(moved - growth * places).T) < _STILL_PX
    if is_still.sum() < max(_LEAST, _SHARE * tells.sum()):
        return None
    still = np.zeros(fit.shape, np.uint8)
    still[rows[is_still], columns[is_still]] = 1
    grown = np.array(
        [[1.0 + growth, 0, -growth * centre_px[0]], [0, 1.0 + growth, -growth * centre_px[1]], [0, 0, 1]]
    )
    large = cv2.resize(still, None, fx=BLOCK, fy=BLOCK, interpolation=cv2.INTER_NEAREST)
    return grown @ begin, np.asarray(large, np.uint8)
