"""Powers of square blocks by frequency, in single precision."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Grey = NDArray[np.float32]


def half_powers(blocks: Grey) -> Grey:
    """Powers (blocks, side, side // 2 + 1) of real blocks (blocks, side, side): half of the plane, as rfft2 lays it.

    By OpenCV's transform of real numbers, which leaves both parts of a place side by side ("CCS-packed", its
    documentation of `dft`), in half of the time of a complex one.
    """
    many, side = len(blocks), blocks.shape[-1]
    packed = np.empty((many, side, side), np.float32)
    for k in range(many):
        cv2.dft(np.ascontiguousarray(blocks[k]), packed[k])
    found = np.empty((many, side, side // 2 + 1), np.float32)
    # An even side ends with a place of its own, as it begins with one.
    pairs = (side - 1) // 2
    found[..., 1 : pairs + 1] = packed[..., 1 : 2 * pairs : 2] ** 2 + packed[..., 2 : 2 * pairs + 1 : 2] ** 2
    for column, at in ((0, 0), (-1, side - 1))[: 2 - side % 2]:
        found[..., column] = _of_column(packed[..., at])
    return found


def _of_column(packed: Grey) -> Grey:
    """Of the first and the last column, in which the parts of a place lie one below the other."""
    side = packed.shape[-1]
    pairs = (side - 1) // 2
    found = packed**2
    between = packed[..., 1 : 2 * pairs : 2] ** 2 + packed[..., 2 : 2 * pairs + 1 : 2] ** 2
    if side % 2 == 0:
        found[..., side // 2] = packed[..., -1] ** 2
    found[..., 1 : pairs + 1], found[..., side - pairs :] = between, between[..., ::-1]
    return found
