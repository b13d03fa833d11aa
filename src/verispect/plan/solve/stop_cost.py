"""Of stops that need different numbers of frames those that are the least burden."""

from __future__ import annotations

import numpy as np

from verispect.optics.types import Bools, Floats
from verispect.plan.document import Aim
from verispect.plan.solve.problem import Problem

# Two burdens within this share of one another count as equal.
TIE = 0.02


def cheapest(problem: Problem, counts: Floats, stops: Floats, change_s: float) -> Bools:
    """Of stops that need these many frames those that are the least burden, shape (S,).

    Parameters
    ----------
    counts, stops : ndarray, shape (S,)
        Infinite where a stop does not serve.
    change_s : float
        What is moved between two frames.
    """
    aim, times = problem.scene.plan.wish.priority, problem.scene.plan.kit.times
    if aim not in (Aim.TIME, Aim.MOVEMENT) or not np.isfinite(counts).any():
        found: Bools = counts == counts.min()
        return found
    shutters = np.array(
        [problem.shutter_s(problem.state(f_number=float(stop), image_distance_mm=problem.focal_mm)) for stop in stops]
    )
    each = shutters + times.frame_s + change_s
    # Set-up is the same for all; the last frame is followed by no change, nor by anything that can still move.
    spared = change_s if aim is Aim.TIME else each - shutters
    seconds = counts * each - spared
    cheap: Bools = seconds <= seconds.min() * (1.0 + TIE)
    return cheap
