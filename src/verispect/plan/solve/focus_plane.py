"""The best plane of sharp focus for many marks: focus alone, or tilt and swing with it.

docs/derivations/plane.md: the worst weighted blur is, to first order, a linear programme in g; its answer
is polished on the exact blur figure.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from verispect.optics.blur import pupil_cones
from verispect.optics.lens_state import FORWARD, LensState
from verispect.optics.types import Floats, Vector
from verispect.plan.solve.minimax import least_lean, least_worst, polish
from verispect.plan.solve.problem import Problem

# Of what tilting saves, so much is given for less of a tilt.
_AS_GOOD = 0.002


def best_focus(sharp_at_mm: Floats, rates: Floats) -> float:
    """Image distance that makes max rate_i |v − v_i| least, by exchange of the two binding marks.

    Parameters
    ----------
    sharp_at_mm, rates : ndarray, shape (K,)

    Examples
    --------
    >>> round(best_focus(np.array([50.0, 51.0]), np.array([1.0, 3.0])), 9)
    50.75
    """
    low, high = int(np.argmin(sharp_at_mm)), int(np.argmax(sharp_at_mm))
    v = _meet(sharp_at_mm, rates, low, high)
    for _ in range(len(sharp_at_mm)):
        above = rates * (v - sharp_at_mm)  # grows with v: marks sharp at a smaller image distance
        worst_low, worst_high = int(np.argmax(above)), int(np.argmin(above))
        bound = rates[low] * (v - sharp_at_mm[low])
        if max(above[worst_low], -above[worst_high]) <= bound * (1.0 + 1e-12):
            break
        if above[worst_low] > -above[worst_high]:
            low = worst_low
        else:
            high = worst_high
        v = _meet(sharp_at_mm, rates, low, high)
    return v


def _meet(sharp_at_mm: Floats, rates: Floats, low: int, high: int) -> float:
    total = rates[low] + rates[high]
    return float((rates[low] * sharp_at_mm[low] + rates[high] * sharp_at_mm[high]) / total)


def focus_for(problem: Problem, *, f_number: float, axis: Vector = FORWARD, weights: Floats) -> LensState:
    """The lens focused for the least worst weighted blur with its axis kept; within closest focus."""
    state = problem.state(f_number=f_number, image_distance_mm=problem.focal_mm, axis=axis)
    cones = pupil_cones(problem.points_from_lens_mm(state), state)
    v = best_focus(cones.sharp_at_mm, weights * cones.long_rate)
    lowest = problem.shortest_image_mm if axis == FORWARD else problem.nearest_tilted_mm
    v = float(np.clip(v, lowest, problem.longest_image_mm * axis[2]))
    return problem.state(f_number=f_number, image_distance_mm=v, axis=axis)


def best_plane(
    problem: Problem,
    *,
    f_number: float,
    weights: Floats,
    limit_rad: float,
    start: LensState | None = None,
    direction: tuple[float, float] | None = None,
    conditions: Callable[[LensState], Floats] | None = None,
    badness: Callable[[LensState], Floats] | None = None,
    rounds: int = 8,
) -> LensState:
    """Tilt, swing and focus together for the least worst weighted blur.

    Parameters
    ----------
    problem : Problem
    f_number : float
    weights : ndarray, shape (K,)
    limit_rad : float
        Largest tilt; how it limits both movements depends on the lens's mount.
    start : LensState, optional
        Where to begin the polish; without it the linear programme finds the start.
    direction : (float, float), optional
        Unit vector (right, up) to which the axis may lean, either way; without it to any side.
    conditions : callable, optional
        What must stay ≥ 0 in a state, shape (m,); needs a `start` for which it does.
    badness : callable, optional
        What is made least at its worst in place of the weighted blur, shape (K,) of a state.
    rounds : int
        Of the polish, at most.
    """
    ways = np.eye(2) if direction is None else np.array([direction])
    begin = start or _from_linear_programme(problem, weights, limit_rad, ways)
    limit = math.sin(limit_rad)
    points = problem.points_mm

    def state_of(x: Floats) -> LensState:
        ax, ay = x[:-1] @ ways
        axis = _axis(ax, ay, limit if problem.lens.tilt_mount == "rotating" else 1.0)
        return problem.state(f_number=f_number, image_distance_mm=float(x[-1]) * axis[2], axis=axis)

    def residuals(x: Floats) -> Floats:
        state = state_of(x)
        if badness is not None:
            return badness(state)
        seen = points + state.pupil_ahead_mm * np.asarray(state.axis)
        cones = pupil_cones(seen, state)
        blur: Floats = weights * cones.long_rate * (state.image_distance_mm - cones.sharp_at_mm)
        return blur

    first = np.array([*(ways @ np.array(begin.axis[:2])), begin.image_distance_mm / begin.axis[2]])
    spread = 1e-3 if badness is not None else float(np.max(np.abs(residuals(first)))) * f_number / problem.focal_mm
    free = len(ways)
    x, _ = polish(
        residuals,
        first,
        lower=np.array([*[-limit] * free, problem.nearest_tilted_mm]),
        upper=np.array([*[limit] * free, problem.longest_image_mm]),
        steps=np.array([*[0.02] * free, max(spread, 1e-4) * problem.focal_mm]),
        rounds=rounds,
        leans=free,
        conditions=None if conditions is None else lambda x: conditions(state_of(x)),
    )
    return state_of(x)


def _axis(ax: float, ay: float, largest_sine: float) -> Vector:
    """Unit axis of these sines, drawn back to the largest whole tilt where they pass it."""
    lean = math.hypot(ax, ay)
    shrink = min(1.0, largest_sine / lean) if lean > 0.0 else 1.0
    ax, ay = float(ax) * shrink, float(ay) * shrink
    return ax, ay, math.sqrt(max(1.0 - ax * ax - ay * ay, 1e-6))


def _from_linear_programme(problem: Problem, weights: Floats, limit_rad: float, ways: Floats) -> LensState:
    """The programme's plane; twice where the pupils part the entrance pupil from the lens.

    With g in 1/m and points in metres: weighted blur ∝ |g·P − 1| / (n·P), |f g_x|, |f g_y| ≤ sin(limit).
    """
    f_m = problem.focal_mm / 1000.0
    limit = math.sin(limit_rad)
    lowest = 1.0 / f_m - 1000.0 / problem.nearest_tilted_mm
    highest = 1.0 / f_m - 1000.0 / problem.longest_image_mm
    lean = limit / f_m
    state = problem.state(f_number=problem.middle_stop, image_distance_mm=problem.focal_mm)
    for _ in range(1 if state.pupil_ahead_mm == 0.0 else 2):
        points_m = problem.points_from_lens_mm(state) / 1000.0
        share = (weights / points_m[:, 2])[:, None]
        rows = np.column_stack([points_m[:, :2] @ ways.T, points_m[:, 2]]) * share
        lower, upper = np.array([*[-lean] * len(ways), lowest]), np.array([*[lean] * len(ways), highest])
        g, worst = least_worst(rows, -share[:, 0], lower=lower, upper=upper)
        g = _leaning_least(rows, -share[:, 0], g, worst, lower, upper)
        state = state_of_plane(problem, np.array([*(g[:-1] @ ways), g[-1]]), limit)
    return state


def _leaning_least(rows: Floats, offsets: Floats, g: Floats, worst: float, lower: Floats, upper: Floats) -> Floats:
    """Of planes as good as the best the one that needs least tilt: few marks lie in many planes alike."""
    leans = rows.shape[1] - 1
    _, untilted = least_worst(rows[:, leans:], offsets, lower=lower[leans:], upper=upper[leans:])
    within = worst + _AS_GOOD * max(untilted - worst, 0.0)
    found = least_lean(rows, offsets, lower=lower, upper=upper, worst=within, leans=leans)
    return g if found is None else found


def state_of_plane(problem: Problem, g: Floats, largest_sine: float) -> LensState:
    """The lens, at a middle stop, that is focused on the plane g·P = 1 with g (3,) in 1/m; within closest focus."""
    f_m = problem.focal_mm / 1000.0
    axis = _axis(f_m * g[0], f_m * g[1], largest_sine if problem.lens.tilt_mount == "rotating" else 0.999)
    v = min(1000.0 / (axis[2] / f_m - float(g[2])), problem.longest_image_mm * axis[2])
    return problem.state(f_number=problem.middle_stop, image_distance_mm=v, axis=axis)
