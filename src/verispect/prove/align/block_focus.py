"""What two pictures differ by though they lie right: how each block of them is blurred, and how strong it is.

A thing that goes out of focus seems to grow, and a few such things before an empty wall seem to make the picture
grow, or turn. Let one picture be the other, a little more blurred: their difference is the Laplacian times a number
that nobody knows (the heat equation's first step). It, and one for the contrast, are taken out block by block.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Grey = NDArray[np.float32]
# Side of a block in pixels of the picture; what the Laplacian is eased by.
_SIDE, _EASED = 40, 1.0
# Of its own power so much is added, and so much at least: a block that shows nothing tells nothing.
_HELD, _LEAST = 1e-3, 1e-6


def curved(picture: Grey) -> Grey:
    """How a picture changes at each place when it is blurred a little (rows, columns)."""
    return np.asarray(cv2.Laplacian(cv2.GaussianBlur(picture, (0, 0), _EASED), cv2.CV_32F, ksize=1), np.float32)


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
            self._bb = self._total(blurs * self._curved) * (1.0 + _HELD) + _LEAST
            self._ss = self._total(shows * self._picture) * (1.0 + _HELD) + _LEAST
            self._bs = self._total(blurs * self._picture)
        be, se = self._total(self._blurs * error), self._total(self._shows * error)
        power = self._bb * self._ss - self._bs * self._bs
        blur = (self._ss * be - self._bs * se) / power
        gain = (self._bb * se - self._bs * be) / power
        left: Grey = error.copy()
        rows, columns = self._down * self._side, self._across * self._side
        part = left[:rows, :columns]
        part -= self._spread(blur) * self._curved[:rows, :columns]
        part -= self._spread(gain) * self._picture[:rows, :columns]
        return left

    def _total(self, values: Grey) -> Grey:
        """Of every block, shape (down, across)."""
        rows, columns = self._down * self._side, self._across * self._side
        whole = values[:rows, :columns].reshape(self._down, self._side, columns)
        # Down first, whole rows at a time: both ways at once NumPy is several times as slow.
        down = whole.sum(axis=1)
        return np.asarray(down.reshape(self._down, self._across, self._side).sum(axis=2), np.float32)

    def _spread(self, blocks: Grey) -> Grey:
        """Each block's number at all of its pixels."""
        size = (self._across * self._side, self._down * self._side)
        return np.asarray(cv2.resize(blocks, size, interpolation=cv2.INTER_NEAREST), np.float32)
