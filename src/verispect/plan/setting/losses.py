"""What would be lost with each frame, that was knocked or never taken; and which one would have to serve alone."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from verispect.optics.types import Floats
from verispect.plan.frames.exposure import Exposure
from verispect.plan.frames.rendering import softness_on_each
from verispect.plan.methods.candidate import Candidate

# With more frames than this one frame more or less is not told.
_MOST = 200
# So many frames and stops are looked at for the one that serves alone; of more frames every other stop, or fewer.
_MOST_LOOKS = 120


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


@dataclass(frozen=True)
class Alone:
    """The frame of a series that serves best if merging fails, stopped as it then should be.

    Attributes
    ----------
    exposure : int
    f_number, shutter_s, worst_softness : float
    fails : tuple of str
        Musts that do not hold on it, each once.
    """

    exposure: int
    f_number: float
    shutter_s: float
    worst_softness: float
    fails: tuple[str, ...]


def best_alone(candidate: Candidate) -> Alone | None:
    """Of a focus series from one place; None for other methods, and for more frames than can be looked at."""
    problem, count = candidate.problem, candidate.frame_count
    if problem is None or candidate.criterion is None or not candidate.method.merges or not 1 < count <= _MOST:
        return None
    if candidate.method.is_grid or candidate.method.on_rail:
        return None
    tried = [
        (k, problem.exposure(exposure.state.at(float(stop))))
        for k, exposure in enumerate(candidate.exposures)
        for stop in problem.stops[:: -(-count * len(problem.stops) // _MOST_LOOKS)]
    ]
    softness = _of_what_decides(candidate, [exposure for _, exposure in tried])
    # As many musts as can be, then the least worst.
    held = (softness <= 1.0).sum(axis=1)
    best = min(range(len(tried)), key=lambda n: (-int(held[n]), float(softness[n].max())))
    k, exposure = tried[best]
    names = _names(candidate)
    soft = dict.fromkeys(names[i] for i in np.flatnonzero(softness[best] > 1.0))
    return Alone(k, exposure.state.f_number, exposure.shutter_s, float(softness[best].max()), tuple(soft))


def _of_what_decides(candidate: Candidate, exposures: Sequence[Exposure]) -> Floats:
    """Softness (N, K) on each of the exposures by itself."""
    assert candidate.criterion is not None
    return softness_on_each(candidate.scene, exposures, candidate.criterion)[:, candidate.scene.deciding]


def _names(candidate: Candidate) -> list[str]:
    """Of what decides."""
    scene = candidate.scene
    return [name for name, decides in zip(scene.names, scene.deciding, strict=True) if decides]


def without_each(candidate: Candidate) -> list[Without]:
    """For every frame what is left without it."""
    count = candidate.frame_count
    if not 0 < count <= _MOST:
        return []
    softness = _of_what_decides(candidate, candidate.exposures)
    names = _names(candidate)
    found = []
    for k in range(count):
        rest = np.delete(softness, k, axis=0)
        best = rest.min(axis=0) if count > 1 else np.full(softness.shape[1], np.inf)
        lost = np.flatnonzero(best > 1.0)
        found.append(Without(k, float(best.max()), tuple(dict.fromkeys(names[i] for i in lost))))
    return found


def lost_with(candidate: Candidate, taken: Mapping[int, Exposure]) -> dict[str, float]:
    """What the plan would have held and the frames that were taken do not: names with softness, the worst first.

    Infinite where it is on none of them.

    Parameters
    ----------
    taken : mapping of int to Exposure
        Those that can be used, by their exposures, as they were taken.
    """
    if candidate.criterion is None or not taken:
        return {}
    planned = _of_what_decides(candidate, candidate.exposures).min(axis=0)
    left = _of_what_decides(candidate, list(taken.values())).min(axis=0)
    found: dict[str, float] = {}
    for name, before, now in zip(_names(candidate), planned.tolist(), left.tolist(), strict=True):
        if before <= 1.0 < now:
            found[name] = max(found.get(name, 0.0), now)
    return dict(sorted(found.items(), key=lambda pair: -pair[1]))
