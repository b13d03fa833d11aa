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

    Row by row: the rectangle as high as the column of true cells above a cell, and as wide as the narrowest of the
    runs of true cells that it crosses, for all cells of a row at once. One of them is the largest, as every largest
    rectangle has a column that ends it at its top.
    """
    columns = np.arange(mask.shape[1])
    height = np.zeros(mask.shape[1], int)
    left, right = np.zeros_like(height), np.full_like(height, mask.shape[1])
    best, found = 0, (0, 0, 0, 0)
    for row, line in enumerate(mask):
        begin = np.maximum.accumulate(np.where(line, 0, columns + 1))
        end = np.minimum.accumulate(np.where(line, mask.shape[1], columns)[::-1])[::-1]
        height = np.where(line, height + 1, 0)
        # Where no cell is true nothing above it counts for those below.
        left = np.where(line, np.maximum(left, begin), 0)
        right = np.where(line, np.minimum(right, end), mask.shape[1])
        area = height * (right - left)
        largest = int(area.argmax())
        if area[largest] > best:
            best = int(area[largest])
            found = (row + 1 - int(height[largest]), int(left[largest]), row + 1, int(right[largest]))
    return found
