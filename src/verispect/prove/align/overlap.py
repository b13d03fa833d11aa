"""Two frames that overlap, cut to what both show."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.align.motion import at_level

Grey = NDArray[np.float32]
# Overlaps at least so wide and high in the pictures looked at tell of shake.
_LEAST_SIDE = 160


@dataclass(frozen=True)
class Overlap:
    """Two frames that overlap, the second laid over the first: a box of the first, and where both show something."""

    top: int
    left: int
    here: Grey
    there: Grey
    shown: NDArray[np.bool_]

    @property
    def inner(self) -> tuple[Grey, Grey]:
        """Both where both show something, without slanted ends."""
        box = np.array([0, self.shown.shape[0], 0, self.shown.shape[1]])
        while not (shown := self.shown[box[0] : box[1], box[2] : box[3]]).all():
            ends = [shown[0].mean(), shown[-1].mean(), shown[:, 0].mean(), shown[:, -1].mean()]
            worst = int(np.argmin(ends))
            box[worst] += 1 - 2 * (worst % 2)
        return self.here[box[0] : box[1], box[2] : box[3]], self.there[box[0] : box[1], box[2] : box[3]]


def overlap_of(here: Grey, there: Grey, onto: Floats, divide: int) -> Overlap | None:
    """Two frames of which a homography of whole pixels lays the second over the first; None with little in common."""
    matrix = at_level(onto, divide)
    size = (here.shape[1], here.shape[0])
    shown = cv2.warpPerspective(np.ones_like(there), matrix, size, flags=cv2.INTER_NEAREST) > 0
    rows, columns = np.flatnonzero(shown.mean(axis=1) > 0.02), np.flatnonzero(shown.mean(axis=0) > 0.02)
    if len(rows) < _LEAST_SIDE or len(columns) < _LEAST_SIDE:
        return None
    top, left = int(rows[0]) + 8, int(columns[0]) + 8
    box = np.s_[top : rows[-1] - 7, left : columns[-1] - 7]
    # A short kernel would take detail along the way it shifts by half pixels, and look like shake.
    moved = cv2.warpPerspective(there, matrix, size, flags=cv2.INTER_LANCZOS4)
    whole = cv2.erode(shown.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    first, second = (np.ascontiguousarray(part[box], np.float32) for part in (here, moved))
    return Overlap(top, left, first, second, np.ascontiguousarray(whole[box]))
