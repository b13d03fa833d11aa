"""A last polish where more than defocus spoils a mark: motion, or the lens's own blur.

Then the least worst blur is not quite the least worst softness, and what the rule in force sees is made best.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from verispect.optics.blur import blur_axes_mm, pupil_cones
from verispect.optics.criterion import Rule
from verispect.optics.lens_state import LensState
from verispect.optics.types import Floats
from verispect.plan.solve.focus_plane import best_plane, focus_for
from verispect.plan.solve.problem import Problem
from verispect.plan.solve.stop_choice import RIPPLE, best_stop, moving_weights, neighbours

_ROUNDS = 3
_HALVINGS = 9
# So many of the worst marks are polished for; whether all of them gain is looked at afterwards.
_BINDING = 24
# Only where the stop taken gains so much are those beside it looked at.
_WORTH_MORE = 0.002


def best_frame(problem: Problem) -> LensState:
    """The best focus and stop of one frame with the lens straight."""
    state = focus_for(problem, f_number=problem.middle_stop, weights=problem.weights)
    state = state.at(best_stop(problem, state))
    for _ in range(2 if state.bend is not None else 0):
        # The best focus of such a lens is another at every stop.
        state = focus_for(problem, f_number=state.f_number, weights=problem.weights)
        state = state.at(best_stop(problem, state))
    if problem.is_plain:
        return state
    state = focus_for(problem, f_number=state.f_number, weights=moving_weights(problem, state))
    return seen_whole(problem, state.at(best_stop(problem, state)), 0.0)


def seen_whole(
    problem: Problem, state: LensState, limit_rad: float, direction: tuple[float, float] | None = None
) -> LensState:
    """The state, or one beside it in which the worst mark is better by everything that spoils it.

    Parameters
    ----------
    limit_rad : float
        Of the tilt; 0 keeps the lens as it is and focuses alone.
    """
    if problem.is_plain or problem.criterion.rule == Rule.DISC or np.ptp(problem.weights) > 0.0:
        return state
    best, least = state, _worst(problem, state)
    if not least < (1.0 - RIPPLE if problem.criterion.rule == Rule.WAVE else np.inf):
        return state
    first = least
    binding = _binding(problem, state)
    for stop in neighbours(problem, state.f_number):
        found = _polished(binding, best.at(stop), limit_rad, direction)
        worst = _worst(problem, found)
        if worst < least:
            best, least = found, worst
        if stop == state.f_number and least > first * (1.0 - _WORTH_MORE):
            break
    return best


def _binding(problem: Problem, state: LensState) -> Problem:
    """The same with the marks alone that are worst, where there are many: the others will not come to decide."""
    if len(problem.chosen) <= _BINDING:
        return problem
    worst = np.argsort(-_badness(problem, state), kind="stable")[:_BINDING]
    return problem.looking(problem.pose, problem.chosen[np.sort(worst)])


def _polished(
    problem: Problem, state: LensState, limit_rad: float, direction: tuple[float, float] | None
) -> LensState:
    if limit_rad == 0.0:
        return _focused(problem, state)
    return best_plane(
        problem,
        f_number=state.f_number,
        weights=problem.weights,
        limit_rad=limit_rad,
        start=state,
        direction=direction,
        badness=lambda tried: _badness(problem, tried),
        rounds=_ROUNDS,
    )


def _focused(problem: Problem, state: LensState) -> LensState:
    """The focus between marks in front and behind: it moves towards whichever is worst, by halves."""
    sharp_at = pupil_cones(problem.points_from_lens_mm(state), state).sharp_at_mm
    # It begins near the best, so a quarter of the range about it is wide enough.
    v, reach = state.image_distance_mm, 0.25 * float(np.ptp(sharp_at))
    low = max(float(sharp_at.min()), problem.shortest_image_mm, v - reach)
    high = min(float(sharp_at.max()), problem.longest_image_mm, v + reach)
    best, least = state, _worst(problem, state)
    tried = state
    for _ in range(_HALVINGS):
        badness = _badness(problem, tried)
        if badness.max() < least:
            best, least = tried, float(badness.max())
        v = tried.image_distance_mm
        if sharp_at[int(badness.argmax())] > v:
            low = max(low, v)
        else:
            high = min(high, v)
        if high <= low:
            break
        tried = replace(tried, image_distance_mm=0.5 * (low + high))
    return best


def _worst(problem: Problem, state: LensState) -> float:
    return float(_badness(problem, state).max())


def _badness(problem: Problem, state: LensState) -> Floats:
    """Contrast that is missing, or softness, of each chosen mark, shape (K,)."""
    points = problem.points_from_lens_mm(state)
    smears, residuals = problem.spoilers_mm(state, points)
    blur, working, criterion = blur_axes_mm(points, state)[0], state.working_f_number, problem.criterion
    if criterion.rule == Rule.WAVE:
        missing: Floats = 1.0 - criterion.contrast(blur, working, smears, residuals)
        return missing
    return criterion.softness(blur, working, smears, residual_mm=residuals)
