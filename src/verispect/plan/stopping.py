"""Which stop: the one at which the worst must is best, as the rule in force sees it."""

from __future__ import annotations

import numpy as np

from verispect.optics.blur import blur_axes_mm
from verispect.optics.lens import FORWARD, LensState
from verispect.optics.sharpness import Criterion
from verispect.optics.types import Floats
from verispect.plan.problem import Problem


def choose_stop(criterion: Criterion, softness: Floats, contrast: Floats) -> int:
    """Index of the best stop.

    Parameters
    ----------
    softness, contrast : ndarray, shape (S, K)
        Of the deciding marks at each stop, widest first.

    Notes
    -----
    wave: most contrast of the worst mark. root-sum: least sum. disc, which knows no diffraction: the widest
    that holds every mark, or the smallest stop where none does.
    """
    worst = softness.max(axis=1)
    if criterion.rule == "wave":
        return int(np.argmax(contrast.min(axis=1)))
    if criterion.rule == "disc":
        holding = np.flatnonzero(worst <= 1.0)
        return int(holding[0]) if holding.size else int(np.argmin(worst))
    return int(np.argmin(worst))


def look_at_stops(problem: Problem, state: LensState, allowed_mm: Floats | None = None) -> tuple[Floats, Floats]:
    """Softness and contrast (S, K) of the chosen marks at every stop, focus and tilt kept.

    `allowed_mm` (S, 1), the allowed blur of still marks, may be given where it is known already.
    """
    points = problem.points_from_lens_mm(state)
    blur = _blur_at_stops(problem, state, points)
    working = (problem.stops * (state.working_f_number / state.f_number))[:, None]
    smears: Floats | float = 0.0
    if np.any(problem.speeds_mm_s):
        states = [state.at(float(n)) for n in problem.stops]
        smears = np.stack([problem.smears_mm(each, points, problem.speeds_mm_s) for each in states])
    criterion = problem.criterion
    # Without motion one allowed blur serves every mark of a stop, and is quick to find.
    allowed = allowed_mm
    if np.any(smears):
        allowed = criterion.allowed_blur_mm(working, smears)
    elif allowed is None:
        allowed = criterion.allowed_blur_mm(working)
    return criterion.softness(blur, working, smears, allowed), criterion.contrast(blur, working, smears)


def _blur_at_stops(problem: Problem, state: LensState, points_mm: Floats) -> Floats:
    """Long axes (S, K) at every stop; an untilted lens's blur is one over the f-number."""
    if state.axis == FORWARD:
        found: Floats = blur_axes_mm(points_mm, state)[0] * (state.f_number / problem.stops)[:, None]
        return found
    return np.stack([blur_axes_mm(points_mm, state.at(float(n)))[0] for n in problem.stops])


def best_stop(problem: Problem, state: LensState) -> float:
    """The best stop for a lens that stays focused and tilted as it is."""
    softness, contrast = look_at_stops(problem, state)
    return float(problem.stops[choose_stop(problem.criterion, softness, contrast)])


def moving_weights(problem: Problem, state: LensState) -> Floats:
    """Weights of the chosen marks, raised for moving ones, whose motion leaves less room for blur."""
    if not np.any(problem.speeds_mm_s):
        return problem.weights
    points = problem.points_from_lens_mm(state)
    smears = problem.smears_mm(state, points, problem.speeds_mm_s)
    allowed = problem.criterion.allowed_blur_mm(state.working_f_number, smears)
    still = problem.criterion.allowed_blur_mm(state.working_f_number)
    with np.errstate(divide="ignore", invalid="ignore"):
        raised = np.where(np.isnan(allowed) | (allowed <= 0.0), 20.0, still / allowed)
    return np.asarray(problem.weights * np.nan_to_num(np.clip(raised, 1.0, 20.0), nan=1.0))
