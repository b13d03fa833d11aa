"""What the user's priority asks to be least, and which of several ways to do one method is best by it.

The rule stands in docs/decisions/0004-advice.md. It chooses between methods, and within one between lenses,
focal lengths and, where a method is several frames of one place, between stops.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from verispect.optics.types import Bools, Floats
from verispect.plan.candidate import Candidate
from verispect.plan.costs import kept_pixels
from verispect.plan.problem import Problem

# Two burdens within this share of one another count as equal.
TIE = 0.02
_TIMED = ("least time", "least risk from movement")


def burden(candidate: Candidate) -> float:
    """What the user's priority asks to be least.

    Frames; seconds on site; fewer pixels than could be had; seconds from the first frame's beginning to the
    last one's end, in which things can move; pixels that a computer must merge and join.
    """
    priority = candidate.scene.plan.wish.priority
    if priority == "least risk from movement":
        return candidate.run_s
    if priority == "least computer work":
        width, height = candidate.scene.plan.kit.body.pixels
        return float(candidate.frame_count * width * height) if candidate.frame_count > 1 else 0.0
    if priority == "least time":
        return candidate.time_on_site_s
    if priority == "most detail":
        width, height = kept_pixels(candidate)
        return 1.0 / max(width * height, 1)
    return float(candidate.frame_count)


def ranked(candidates: Sequence[Candidate]) -> list[Candidate]:
    """Ways to do one method, the best first.

    What holds; of those what loses nothing off its frames and throws out what is wanted soft; then the least
    burden, of near-equals the fewest frames, then the better worst must. What does not hold comes by its softness.
    """
    holding = [candidate for candidate in candidates if candidate.holds]
    least: dict[tuple[bool, bool], float] = {}
    for candidate in holding:
        kind = _shortfalls(candidate)
        least[kind] = min(least.get(kind, np.inf), burden(candidate))

    def place(candidate: Candidate) -> tuple[float, ...]:
        if not candidate.holds:
            return (1.0 if candidate.fits else 2.0, 0.0, 0.0, candidate.worst_softness, float(candidate.frame_count))
        kind, own = _shortfalls(candidate), burden(candidate)
        beyond = own if own > least[kind] * (1.0 + TIE) else least[kind]
        return (0.0, float(kind[0]), float(kind[1]), beyond, float(candidate.frame_count), _quality(candidate))

    return sorted(candidates, key=place)


def better(first: Candidate, second: Candidate) -> Candidate:
    """Of two ways to do one method the better; the first where they are equal."""
    return ranked([first, second])[0]


def cheapest(problem: Problem, counts: Floats, stops: Floats, change_s: float) -> Bools:
    """Of stops that need these many frames those that are the least burden, shape (S,).

    Parameters
    ----------
    counts, stops : ndarray, shape (S,)
        Infinite where a stop does not serve.
    change_s : float
        What is moved between two frames.
    """
    priority, times = problem.scene.plan.wish.priority, problem.scene.plan.kit.times
    if priority not in _TIMED or not np.isfinite(counts).any():
        found: Bools = counts == counts.min()
        return found
    shutters = np.array(
        [problem.shutter_s(problem.state(f_number=float(stop), image_distance_mm=problem.focal_mm)) for stop in stops]
    )
    each = shutters + times.settle_s + times.write_s + change_s
    # Set-up is the same for all; the last frame is followed by no change, nor by anything that can still move.
    spared = change_s if priority == "least time" else each - shutters
    seconds = counts * each - spared
    cheap: Bools = seconds <= seconds.min() * (1.0 + TIE)
    return cheap


def _shortfalls(candidate: Candidate) -> tuple[bool, bool]:
    # What falls off every frame, though it is in the picture, is no better for being sharp there.
    return candidate.loses, not candidate.soft_enough


def _quality(candidate: Candidate) -> float:
    if candidate.scene.plan.wish.rule == "wave" and np.isfinite(candidate.worst_softness):
        return -candidate.worst_contrast
    return candidate.worst_softness
