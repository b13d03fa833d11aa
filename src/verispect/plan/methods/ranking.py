"""What the user's priority asks to be least, and which of several ways to do one method is best by it.

The rule stands in docs/decisions/0004-advice.md. It chooses between methods, and within one between lenses,
focal lengths and, where a method is several frames of one place, between stops.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from verispect.optics.criterion import Rule
from verispect.plan.document import Aim, Plan
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.method import Method
from verispect.plan.solve.stop_cost import TIE


def burden(candidate: Candidate) -> float:
    """What the user's priority asks to be least.

    Frames; seconds on site; fewer pixels than could be had; seconds from the first frame's beginning to the
    last one's end, in which things can move; pixels that a computer must merge and join.
    """
    priority = candidate.scene.plan.wish.priority
    if priority == Aim.MOVEMENT:
        return candidate.run_s
    if priority == Aim.MERGING:
        width, height = candidate.scene.plan.kit.body.pixels
        return float(candidate.frame_count * width * height) if candidate.frame_count > 1 else 0.0
    if priority == Aim.TIME:
        return candidate.time_on_site_s
    if priority == Aim.DETAIL:
        width, height = candidate.kept_pixels
        return 1.0 / max(width * height, 1)
    return float(candidate.frame_count)


def least_burden(method: Method, plan: Plan) -> float:
    """What a method's burden cannot be less than, before it is worked out."""
    if plan.wish.priority == Aim.TIME:
        return method.set_up_s(plan.kit.times)
    return 1.0 if plan.wish.priority == Aim.FRAMES else 0.0


def ranked(candidates: Sequence[Candidate]) -> list[Candidate]:
    """Ways to do one method, the best first.

    What holds; of those what loses nothing off its frames and throws out what is wanted soft; then the least
    burden, of near-equals the fewest frames, then the fewest shoulds left soft, then the better worst must. What does
    not hold comes by its softness.
    """
    holding = [candidate for candidate in candidates if candidate.is_sharp]
    least: dict[tuple[bool, bool], float] = {}
    for candidate in holding:
        kind = _shortfalls(candidate)
        least[kind] = min(least.get(kind, np.inf), burden(candidate))

    def place(candidate: Candidate) -> tuple[float, ...]:
        if not candidate.is_sharp:
            return (1.0 if candidate.fits else 2.0, 0.0, 0.0, candidate.worst_softness, float(candidate.frame_count))
        kind, own = _shortfalls(candidate), burden(candidate)
        beyond = own if own > least[kind] * (1.0 + TIE) else least[kind]
        loose = float(len(candidate.loose_shoulds))
        return (0.0, float(kind[0]), float(kind[1]), beyond, float(candidate.frame_count), loose, _quality(candidate))

    return sorted(candidates, key=place)


def better(first: Candidate, second: Candidate) -> Candidate:
    """Of two ways to do one method the better; the first where they are equal."""
    return ranked([first, second])[0]


def _shortfalls(candidate: Candidate) -> tuple[bool, bool]:
    # What falls off every frame, though it is in the picture, is no better for being sharp there.
    return candidate.loses, not candidate.soft_enough


def _quality(candidate: Candidate) -> float:
    if candidate.scene.plan.wish.rule == Rule.WAVE and np.isfinite(candidate.worst_softness):
        return -candidate.worst_contrast
    return candidate.worst_softness
