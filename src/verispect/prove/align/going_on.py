"""What goes on evenly from frame to frame, as a sky that drifts does, by how frames lie against one another."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from verispect.optics.types import Floats

# Frames that go on: so many at the least, and so much of how far they lie apart is by when they were taken.
_FEWEST, _SHARE = 5, 0.7


class GoingOn(NamedTuple):
    """By how much each frame lies farther than the one taken before it, and what share of all that tells (0 to 1).

    `by_a_push` is the share that one push tells which all frames from some one on have.
    """

    rate: Floats
    share: float
    by_a_push: float
    frames: int

    @property
    def is_so(self) -> bool:
        """Whether they do."""
        return self.frames >= _FEWEST and self.share > max(_SHARE, self.by_a_push)


def going_on(ends: Sequence[tuple[int, int]], apart: Floats, counts: Floats) -> GoingOn:
    """How frames go on in the order they were taken, by what pairs of them tell.

    Parameters
    ----------
    ends : sequence of (int, int)
        The frames of each of N pairs, numbered as taken.
    apart : ndarray, shape (N, n)
        How far the first lies beyond the second, in any unit.
    counts : ndarray, shape (N,)
        How much each pair counts.
    """
    frames = sorted({k for pair in ends for k in pair})
    rows = np.zeros((len(ends), len(frames)))
    for row, (a, b) in zip(rows, ends, strict=True):
        row[frames.index(a)], row[frames.index(b)] = 1.0, -1.0
    root = np.sqrt(counts)[:, None]
    later = np.array([[a - b] for a, b in ends], float)
    # The shortest solution: where frames lie about the middle of all that pairs join them to.
    told = np.linalg.lstsq(root * rows, root * np.hstack([apart, later]), rcond=None)[0]
    place, when = told[:, :-1], told[:, -1:]
    rate = np.sum(when * place, axis=0) / np.sum(when**2)
    all_of_it = max(float(np.sum(place**2)), 1e-12)
    share = 1.0 - float(np.sum((place - when * rate) ** 2)) / all_of_it
    pushes = [
        len(part) * np.sum((part.mean(axis=0) - place.mean(axis=0)) ** 2) * len(place) / (len(place) - len(part))
        for part in (place[:k] for k in range(1, len(place)))
    ]
    return GoingOn(rate, share, float(max(pushes)) / all_of_it, len(frames))
