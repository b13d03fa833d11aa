"""Tiles that two frames of a grid share, cut from large pictures of one frame after the other.

Shakes are told in as many pixels as those of a series are. No two large pictures need be at hand at once: which tiles
are wanted follows from where the frames look, to a few pixels, which is enough for what a tile's powers tell.
"""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.align.motion import at_level
from verispect.prove.expected import View
from verispect.prove.shake.tile_powers import TILE, Grey, TilePowers, powers_of

# Tiles of a pair lie half over one another unless there are more than so many; so far within both frames, pixels.
_MOST, _MARGIN = 200, 10
_LEAST = 4
# Where a frame lies is told to so many pixels: as more frames arrive the same tiles are wanted again.
_ROUNDED = 4.0


class Cut(NamedTuple):
    """Tiles of one frame: `onto` (nine numbers) takes its pixels to the picture in which they lie at `places`."""

    onto: tuple[float, ...]
    places: tuple[tuple[int, int], ...]

    def powers(self, picture: Grey) -> TilePowers:
        """Of a large picture of the frame."""
        matrix = np.reshape(self.onto, (3, 3))
        if np.array_equal(matrix, np.eye(3)):
            return powers_of(np.stack([picture[top : top + TILE, left : left + TILE] for top, left in self.places]))

        def warped(top: int, left: int) -> Grey:
            move = np.array([[1.0, 0.0, -left], [0.0, 1.0, -top], [0.0, 0.0, 1.0]]) @ matrix
            # A short kernel would take detail along the way it shifts by half pixels, and look like shake.
            return np.asarray(cv2.warpPerspective(picture, move, (TILE, TILE), flags=cv2.INTER_LANCZOS4), np.float32)

        return powers_of(np.stack([warped(top, left) for top, left in self.places]))


def shared_tiles(first: View, second: View, pixels: tuple[int, int], divide: int) -> tuple[Cut, Cut] | None:
    """The same tiles of two frames, whose pictures are `divide` times smaller; None where they share few.

    Parameters
    ----------
    first, second : View
        Where they look, in whole pixels.
    pixels : (int, int)
        Width and height of a whole frame.
    """
    if float(first.rotation[2] @ second.rotation[2]) <= 0.0:
        # A homography knows no behind.
        return None
    size = pixels[0] // divide, pixels[1] // divide
    matrix = _rounded(at_level(second.onto(first), divide), size)
    if matrix is None:
        return None
    for step in (TILE // 2, TILE):
        rows, columns = (np.arange(0, side - TILE + 1, step) for side in (size[1], size[0]))
        tops, lefts = (part.ravel() for part in np.meshgrid(rows, columns, indexing="ij"))
        within = _lies_within(matrix, tops, lefts, size)
        if within.sum() <= _MOST:
            break
    chosen = np.flatnonzero(within)
    if len(chosen) < _LEAST:
        return None
    if len(chosen) > _MOST:
        chosen = chosen[np.linspace(0, len(chosen) - 1, _MOST).astype(int)]
    places = tuple(zip(tops[chosen].tolist(), lefts[chosen].tolist(), strict=True))
    return Cut(tuple(np.eye(3).ravel().tolist()), places), Cut(tuple(matrix.ravel().tolist()), places)


def _rounded(matrix: Floats, size: tuple[int, int]) -> Floats | None:
    """A homography that takes the corners of a frame to whole steps; None where one lies behind the other."""
    corners = np.array([[0, 0], [size[0] - 1, 0], [size[0] - 1, size[1] - 1], [0, size[1] - 1]], np.float32)
    seen = np.column_stack([corners, np.ones(4)]) @ matrix.T
    if np.any(seen[:, 2] <= 1e-6):
        return None
    to = np.round(seen[:, :2] / seen[:, 2:] / _ROUNDED) * _ROUNDED
    found: Floats = np.asarray(cv2.getPerspectiveTransform(corners, np.asarray(to, np.float32)), float)
    return found


def _lies_within(
    matrix: Floats, tops: NDArray[np.intp], lefts: NDArray[np.intp], size: tuple[int, int]
) -> NDArray[np.bool_]:
    """Which tiles of the first picture lie wholly in the second too."""
    back = np.linalg.inv(matrix)
    found = np.ones(len(tops), bool)
    for down, right in ((0, 0), (0, TILE), (TILE, 0), (TILE, TILE)):
        column, row, depth = back @ np.stack([lefts + right, tops + down, np.ones(len(tops))])
        with np.errstate(divide="ignore", invalid="ignore"):
            column, row = column / depth, row / depth
        found &= (depth > 0) & (column >= _MARGIN) & (column <= size[0] - 1 - _MARGIN)
        found &= (row >= _MARGIN) & (row <= size[1] - 1 - _MARGIN)
    return found
