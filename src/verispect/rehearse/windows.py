"""Windows of textures that begin anew beyond their borders, cut out into memory that is used again and again."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.uint16]


class Windows:
    """Room for windows: fresh memory for each would take longer than all the copying."""

    def __init__(self) -> None:
        self._rooms: dict[int, Picture] = {}

    def cut(self, texture: Picture, low: NDArray[np.int64], high: NDArray[np.int64], room: int) -> Picture:
        """Texels from `low` up to `high`, (column, row); good until the same room is asked for again.

        What lies within the texture is a view of it.
        """
        rows, columns = texture.shape[:2]
        if low[0] >= 0 and low[1] >= 0 and high[0] <= columns and high[1] <= rows:
            return texture[low[1] : high[1], low[0] : high[0]]
        shape = (int(high[1] - low[1]), int(high[0] - low[0]), texture.shape[2])
        window = self._room(room, shape[0] * shape[1] * shape[2]).reshape(shape)
        for top, down in _runs_of(int(low[1]), int(high[1]), rows):
            for left, across in _runs_of(int(low[0]), int(high[0]), columns):
                part = texture[down, across]
                window[top : top + part.shape[0], left : left + part.shape[1]] = part
        return window

    def _room(self, number: int, size: int) -> Picture:
        kept = self._rooms.get(number)
        if kept is None or kept.size < size:
            kept = self._rooms[number] = np.empty(size + size // 4, np.uint16)
        return kept[:size]


def _runs_of(low: int, high: int, side: int) -> Iterator[tuple[int, slice]]:
    """Where each run of a side that begins anew lies in a window, and what it is of the side."""
    at = low
    while at < high:
        first = at % side
        last = min(side, first + high - at)
        yield at - low, slice(first, last)
        at += last - first
