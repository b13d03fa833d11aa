"""Convex polygons cut by straight lines and planes (Sutherland and Hodgman 1974, from memory), and their area."""

from __future__ import annotations

import numpy as np

from verispect.optics.types import Floats


def clipped(outline: Floats, heights: Floats) -> Floats:
    """The part of a convex polygon where a linear function is not negative.

    Parameters
    ----------
    outline : ndarray, shape (N, D)
        Corners in order, in as many dimensions as one likes.
    heights : ndarray, shape (N,)
        The function at the corners.

    Returns
    -------
    ndarray, shape (K, D)
        Empty where nothing is left.

    Examples
    --------
    >>> square = np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]])
    >>> area(clipped(square, square[:, 0] - 0.25))
    0.75
    """
    kept: list[Floats] = []
    count = len(outline)
    for k in range(count):
        here, there = outline[k], outline[(k + 1) % count]
        a, b = float(heights[k]), float(heights[(k + 1) % count])
        if a >= 0.0:
            kept.append(here)
        if (a > 0.0 > b) or (a < 0.0 < b):
            kept.append(here + (there - here) * (a / (a - b)))
    return np.array(kept).reshape(-1, outline.shape[1])


def area(outline: Floats) -> float:
    """Area of a polygon (N, 2), whichever way round it runs; 0 with fewer than three corners."""
    if len(outline) < 3:
        return 0.0
    x, y = outline.T
    return 0.5 * abs(float(x @ np.roll(y, -1) - y @ np.roll(x, -1)))


def shared_area(rotation: Floats, half: Floats) -> float:
    """Share of a frame's area that another frame of the same field sees too.

    Parameters
    ----------
    rotation : ndarray, shape (3, 3)
        Takes a direction (right, up, forward) of the first frame to the other's.
    half : ndarray, shape (2,)
        Half width and height of a frame as tangents.
    """
    hx, hy = float(half[0]), float(half[1])
    outline = np.array([[-hx, -hy, 1.0], [hx, -hy, 1.0], [hx, hy, 1.0], [-hx, hy, 1.0]])
    for face in ([0.0, 0.0, 1.0], [1.0, 0.0, hx], [-1.0, 0.0, hx], [0.0, 1.0, hy], [0.0, -1.0, hy]):
        if len(outline) == 0:
            return 0.0
        outline = clipped(outline, outline @ (rotation.T @ np.array(face)))
    return area(outline[:, :2]) / (4.0 * hx * hy)
