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

Mask = NDArray[np.bool_]
# Pixels of a mask over which another frame's take the place of a frame's own: room that is left about what passed.
_EASED = 3.0


class Cleared:
    """Other frames' pixels for every ghost, and whose.

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
        self._parts: dict[tuple[int, int], Level] = {}
        # Of every giver its ghosts, each with where in its mask.
        self._of: dict[int, dict[int, Mask]] = {}
        self.held_mb = held = 0.0
        for number, ghost in enumerate(self._ghosts):
            top, left, bottom, right = ghost.box
            givers = self._givers(ghost, frames)
            held += 6.0 * (bottom - top) * (right - left) * len(givers)
            if held > most_bytes:
                break
            self.held_mb = held / 1e6
            for giver, where in givers.items():
                self._of.setdefault(giver, {})[number] = where

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
            self._parts[number, frame] = picture[top - first : bottom - first, left:right].copy()

    def clear(self, frame: int, picture: Level, top: int) -> None:
        """Put them in the place of a frame's own, in rows that begin at `top`."""
        for (number, giver), part in self._parts.items():
            ghost = self._ghosts[number]
            above, left, below, right = ghost.box
            first, last = max(above, top), min(below, top + picture.shape[0])
            if not ghost.is_out(frame) or last <= first:
                continue
            share = _share(ghost, self._of[giver][number])[first - above : last - above, :, None]
            own = picture[first - top : last - top, left:right]
            mixed = own + share * (part[first - above : last - above].astype(np.float32) - own)
            picture[first - top : last - top, left:right] = np.round(mixed).astype(picture.dtype)

    def _givers(self, ghost: Ghost, frames: int) -> dict[int, Mask]:
        """The frames next to one that show the place as it comes out, and which parts of it each gives."""
        left = ghost.mask > 0
        if ghost.from_odd:
            return {ghost.odd: left}
        beside = [(other, _over(other, ghost)) for other in self._ghosts if other is not ghost]
        found: dict[int, Mask] = {}
        for k in sorted(set(range(frames)) - {ghost.odd}, key=lambda k: abs(k - ghost.odd)):
            out = [over for other, over in beside if over is not None and other.is_out(k)]
            given = left & ~np.logical_or.reduce([np.zeros_like(left), *out])
            if given.any():
                found[k] = given
                left = left & ~given
            if not left.any():
                break
        return found


def _share(ghost: Ghost, where: Mask) -> NDArray[np.float32]:
    """How much of each pixel of its box another frame gives, 0 to 1: of all of it, and of where that one does."""
    top, left, bottom, right = ghost.box
    inside = cv2.distanceTransform(np.pad((ghost.mask > 0).astype(np.uint8), 1), cv2.DIST_L2, 3)[1:-1, 1:-1]
    share = np.where(where, np.clip(inside / np.float32(_EASED), 0.0, 1.0), 0.0).astype(np.float32)
    return np.asarray(cv2.resize(share, (right - left, bottom - top), interpolation=cv2.INTER_LINEAR), np.float32)


def _over(other: Ghost, ghost: Ghost) -> Mask | None:
    """Where in a ghost's mask another lies; None where they have nothing in common."""
    top, left, bottom, right = ghost.box
    above, before, below, after = other.box
    if bottom <= above or below <= top or right <= before or after <= left:
        return None
    rows, columns = ghost.mask.shape
    down = (np.arange(rows) + 0.5) * (bottom - top) / rows + top
    across = (np.arange(columns) + 0.5) * (right - left) / columns + left
    high, wide = other.mask.shape
    row = np.floor((down - above) * high / (below - above)).astype(int)
    column = np.floor((across - before) * wide / (after - before)).astype(int)
    inside = ((row >= 0) & (row < high))[:, None] & ((column >= 0) & (column < wide))
    found: Mask = inside & (other.mask[np.ix_(row.clip(0, high - 1), column.clip(0, wide - 1))] > 0)
    return found if found.any() else None
