"""What would be lost with each frame: a frame that was knocked, or never taken."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from verispect.plan.methods.candidate import Candidate
from verispect.plan.setting.orders import softness_by_frame

# With more frames than this one frame more or less is not told.
_MOST = 200


@dataclass(frozen=True)
class Without:
    """What the musts come to without one frame.

    Attributes
    ----------
    exposure : int
    worst_softness : float
        Infinite where a must is then on no frame.
    fails : tuple of str
        Musts that then do not hold, each once.
    """

    exposure: int
    worst_softness: float
    fails: tuple[str, ...]


def without_each(candidate: Candidate) -> list[Without]:
    """For every frame what is left without it."""
    count = candidate.frame_count
    if not 0 < count <= _MOST:
        return []
    softness = softness_by_frame(candidate, list(range(count)))
    names = [name for name, decides in zip(candidate.scene.names, candidate.scene.deciding, strict=True) if decides]
    found = []
    for k in range(count):
        rest = np.delete(softness, k, axis=0)
        best = rest.min(axis=0) if count > 1 else np.full(softness.shape[1], np.inf)
        lost = np.flatnonzero(best > 1.0)
        found.append(Without(k, float(best.max()), tuple(dict.fromkeys(names[i] for i in lost))))
    return found
