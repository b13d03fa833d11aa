"""The largest upright rectangle of a joined picture that frames cover throughout."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

Mask = NDArray[np.bool_]
# More rows or columns than this are looked at in blocks.
_MOST = 1000


def crop_of(covered: Mask) -> tuple[int, int, int, int]:
    """Top, left, bottom, right in pixels; empty where nothing is covered."""
    block = max(1, math.ceil(max(covered.shape) / _MOST))
    rows, columns = (side // block for side in covered.shape)
    if rows == 0 or columns == 0:
        return 0, 0, 0, 0
    blocks = covered[: rows * block, : columns * block].reshape(rows, block, columns, block)
    top, left, bottom, right = largest_rectangle(np.asarray(blocks.all(axis=(1, 3)), bool))
    return top * block, left * block, bottom * block, right * block


def largest_rectangle(mask: Mask) -> tuple[int, int, int, int]:
    """Top, left, bottom, right of the largest rectangle of true cells.

    Row by row over the heights of the columns of true cells above, with a stack of rising heights.
    """
    best, found = 0, (0, 0, 0, 0)
    heights = np.zeros(mask.shape[1] + 1, int)
    for row, line in enumerate(mask):
        heights[:-1] = np.where(line, heights[:-1] + 1, 0)
        rising: list[int] = []
        for column, height in enumerate(heights.tolist()):
            while rising and heights[rising[-1]] >= height:
                high = int(heights[rising.pop()])
                left = rising[-1] + 1 if rising else 0
                if high * (column - left) > best:
                    best, found = high * (column - left), (row + 1 - high, left, row + 1, column)
            rising.append(column)
    return found
