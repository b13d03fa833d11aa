"""The lens's distortion taken out of a photograph, by the usual one figure: percent at the corner.

A point whose image should lie at r from the axis lies at r (1 + k r²/R²), R being half the picture's diagonal and k
the distortion; negative k is barrel distortion (common practice).
"""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from verispect.optics.types import Floats
from verispect.subject.photograph import Photograph

Pixels = npt.NDArray[np.uint8]
# Rows straightened at a time, to spare memory.
_ROWS = 256


def straightened(content: Pixels, photo: Photograph) -> Pixels:
    """The picture as a lens without distortion would draw it.

    Parameters
    ----------
    content : ndarray of uint8, shape (rows, columns, 3)
        The photograph, or a reduced copy of it.
    """
    if photo.distortion_percent == 0.0:
        return content
    rows, columns = content.shape[:2]
    scale = columns / photo.pixels[0]
    found = np.empty_like(content)
    for start in range(0, rows, _ROWS):
        row, column = np.mgrid[start : min(start + _ROWS, rows), 0:columns].astype(float)
        # Middles of pixels: those of the reduced copy lie between those of the photograph.
        straight = (np.stack([row, column], axis=-1) + 0.5) / scale - 0.5
        bent = (distorted(straight, photo) + 0.5) * scale - 0.5
        found[start : start + len(row)] = _between(content, bent)
    return found


def distorted(pixels: Floats, photo: Photograph) -> Floats:
    """Where on the photograph as taken (..., 2), rows first, what belongs at these pixels is found."""
    off = np.asarray(pixels, dtype=float) - photo.axis_px
    half_diagonal = 0.5 * math.hypot(*photo.pixels)
    share = 1.0 + photo.distortion_percent / 100.0 * np.sum(off**2, axis=-1, keepdims=True) / half_diagonal**2
    found: Floats = photo.axis_px + off * share
    return found


def _between(content: Pixels, places: Floats) -> Pixels:
    """Colours at places (..., 2), between four pixels; black outside."""
    rows, columns = content.shape[:2]
    inside = np.all((places >= -0.5) & (places <= np.array([rows, columns]) - 0.5), axis=-1)
    row = np.clip(places[..., 0], 0.0, rows - 1.0)
    column = np.clip(places[..., 1], 0.0, columns - 1.0)
    top, left = np.minimum(row.astype(int), rows - 2), np.minimum(column.astype(int), columns - 2)
    down, right = (row - top)[..., None], (column - left)[..., None]
    upper = content[top, left] * (1.0 - right) + content[top, left + 1] * right
    lower = content[top + 1, left] * (1.0 - right) + content[top + 1, left + 1] * right
    mixed = upper * (1.0 - down) + lower * down
    colours: Pixels = np.where(inside[..., None], np.round(mixed), 0.0).astype(np.uint8)
    return colours
