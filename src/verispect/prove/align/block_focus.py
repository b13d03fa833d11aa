"""What two pictures differ by though they lie right: how each block of them is blurred, and how strong it is.

A thing that goes out of focus seems to grow, and a few such things before an empty wall seem to make the picture
grow, or turn. Let one picture be the other, a little more blurred: their difference is the Laplacian times a number
that nobody knows (the heat equation's first step). It, and one for the contrast, are taken out block by block.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats

Grey = NDArray[np.float32]
# Side of a block in pixels of the picture; what the Laplacian is eased by.
_SIDE, _EASED = 40, 1.0
# Of its own power so much is added, and so much at least: a block that shows nothing tells nothing.
_HELD, _LEAST = 1e-3, 1e-6


def curved(picture: Grey) -> Grey:
    """How a picture changes at each place when it is blurred a little (rows, columns)."""
    return np.asarray(cv2.Laplacian(cv2.GaussianBlur(picture, (0, 0), _EASED), cv2.CV_32F, ksize=1), np.float32)


def block_totals(values: Grey, side: int) -> Floats:
    """Of every whole block of a picture (rows, columns), so many pixels wide and high; shape (down, across)."""
    rows, columns = (length // side for length in values.shape)
    whole = values[: rows * side, : columns * side].reshape(rows, side, columns * side)
    # Down first, whole rows at a time: both ways at once NumPy is several times as slow.
    down = whole.sum(axis=1, dtype=float)
    return np.asarray(down.reshape(rows, columns, side).sum(axis=2), float)


class BlockFocus:
    """A picture (rows, columns), every so many-th pixel of it, and what it would be by another focus."""

    def __init__(self, picture: Grey, curved: Grey, apart: int) -> None:
        self._side = max(_SIDE // apart, 4)
        self._down, self._across = (length // self._side for length in picture.shape)
        self._picture, self._curved = picture, curved
        self._inner: Grey | None = None

    def without(self, error: Grey, inner: Grey) -> Grey:
        """Of a difference (rows, columns) what no blur or strength of each block explains; `inner` tells what counts.

        A strip of less than a block at the right and the bottom stays as it is.
        """
        if self._down == 0 or self._across == 0:
            return error
        if self._inner is None or not np.array_equal(inner, self._inner):
            self._inner = inner
            blurs, shows = self._curved * inner, self._picture * inner
            self._blurs, self._shows = blurs, shows
            self._bb = block_totals(blurs * self._curved, self._side) * (1.0 + _HELD) + _LEAST
            self._ss = block_totals(shows * self._picture, self._side) * (1.0 + _HELD) + _LEAST
            self._bs = block_totals(blurs * self._picture, self._side)
        be, se = (block_totals(part * error, self._side) for part in (self._blurs, self._shows))
        power = self._bb * self._ss - self._bs * self._bs
        blur = (self._ss * be - self._bs * se) / power
        gain = (self._bb * se - self._bs * be) / power
        left: Grey = error.copy()
        rows, columns = self._down * self._side, self._across * self._side
        part = left[:rows, :columns]
        part -= self._spread(blur) * self._curved[:rows, :columns]
        part -= self._spread(gain) * self._picture[:rows, :columns]
        return left

    def _spread(self, blocks: Floats) -> Grey:
        """Each block's number at all of its pixels."""
        size = (self._across * self._side, self._down * self._side)
        return np.asarray(cv2.resize(blocks, size, interpolation=cv2.INTER_NEAREST), np.float32)
