"""Frames without what is left out of them: pixels of another in its place.

To give a place no weight is not enough: what stood there reaches beyond it on the coarser levels, and tells of detail
that is in no picture.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.prove.merge.ghosts import Ghost
from verispect.prove.merge.pyramid import Level

Box = tuple[int, int, int, int]
# Pixels of a mask over which another frame's take the place of a frame's own: room that is left about what passed.
_EASED = 3.0


class Cleared:
    """Another frame's pixels for every ghost, and whose.

    Parameters
    ----------
    ghosts : sequence of Ghost
        What passed, the largest first.
    frames : int
        How many frames there are.
    most_bytes : float
        More of them is not held; what is the smallest is done without.
    """

    def __init__(self, ghosts: Sequence[Ghost], frames: int, most_bytes: float) -> None:
        self._ghosts = list(ghosts)
        self._parts: dict[int, Level] = {}
        self._of: dict[int, list[int]] = {}
        self.held_mb = held = 0.0
        for number, ghost in enumerate(self._ghosts):
            top, left, bottom, right = ghost.box
            held += 6.0 * (bottom - top) * (right - left)
            giver = self._giver(ghost, frames)
            if giver is not None and held <= most_bytes:
                self._of.setdefault(giver, []).append(number)
                self.held_mb = held / 1e6

    @property
    def givers(self) -> list[int]:
        """Frames whose pixels take the place of others'."""
        return sorted(self._of)

    def rows_of(self, frame: int) -> tuple[int, int]:
        """The rows of the reference among which lies what a frame gives."""
        boxes = [self._ghosts[number].box for number in self._of[frame]]
        return min(box[0] for box in boxes), max(box[2] for box in boxes)

    def take(self, frame: int, picture: Level, first: int) -> None:
        """Keep what a frame gives, of its rows laid over the reference from the `first` on."""
        for number in self._of[frame]:
            top, left, bottom, right = self._ghosts[number].box
            self._parts[number] = picture[top - first : bottom - first, left:right].copy()

    def clear(self, frame: int, picture: Level, top: int) -> None:
        """Put them in the place of a frame's own, in rows that begin at `top`."""
        for number, part in self._parts.items():
            ghost = self._ghosts[number]
            above, left, below, right = ghost.box
            first, last = max(above, top), min(below, top + picture.shape[0])
            if not ghost.is_out(frame) or last <= first:
                continue
            share = _share(ghost)[first - above : last - above, :, None]
            own = picture[first - top : last - top, left:right]
            mixed = own + share * (part[first - above : last - above].astype(np.float32) - own)
            picture[first - top : last - top, left:right] = np.round(mixed).astype(picture.dtype)

    def _giver(self, ghost: Ghost, frames: int) -> int | None:
        """The frame next to one that shows the place as it comes out."""
        if ghost.from_odd:
            return ghost.odd
        beside = [other for other in self._ghosts if other is not ghost and _meet(ghost, other)]
        able = [k for k in range(frames) if k != ghost.odd and not any(other.is_out(k) for other in beside)]
        return min(able, key=lambda k: abs(k - ghost.odd), default=None)


def _share(ghost: Ghost) -> NDArray[np.float32]:
    """How much of each pixel of its box another frame gives, 0 to 1."""
    top, left, bottom, right = ghost.box
    inside = cv2.distanceTransform(np.pad(ghost.mask, 1), cv2.DIST_L2, 3)[1:-1, 1:-1]
    share = np.clip(inside / np.float32(_EASED), 0.0, 1.0).astype(np.float32)
    return np.asarray(cv2.resize(share, (right - left, bottom - top), interpolation=cv2.INTER_LINEAR), np.float32)


def _meet(first: Ghost, second: Ghost) -> bool:
    """Whether two have something in common."""
    ends = [
        (max(one, other), min(one_end, other_end))
        for one, other, one_end, other_end in zip(
            first.box[:2], second.box[:2], first.box[2:], second.box[2:], strict=True
        )
    ]
    if any(end <= begin for begin, end in ends):
        return False
    (top, bottom), (left, right) = ends
    parts = []
    for ghost in (first, second):
        high, wide = ghost.box[2] - ghost.box[0], ghost.box[3] - ghost.box[1]
        rows, columns = ghost.mask.shape
        down = ((np.arange(top, bottom) - ghost.box[0]) * rows // high).clip(0, rows - 1)
        across = ((np.arange(left, right) - ghost.box[1]) * columns // wide).clip(0, columns - 1)
        parts.append(ghost.mask[np.ix_(down, across)] > 0)
    return bool((parts[0] & parts[1]).any())
