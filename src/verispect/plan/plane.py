"""The best plane of sharp focus for many marks: focus alone, or tilt and swing with it.

docs/derivations/plane.md: the worst weighted blur is, to first order, a linear programme in g; its answer
is polished on the exact blur figure.
"""

from __future__ import annotations

import math

import numpy as np

from verispect.optics.blur import pupil_cones
from verispect.optics.lens import FORWARD, LensState
from verispect.optics.types import Floats, Vector
from verispect.plan.minimax import least_worst, polish
from verispect.plan.problem import Problem


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
    lowest = problem.focal_mm if axis == FORWARD else 0.0
    v = float(np.clip(v, lowest, problem.longest_image_mm * axis[2]))
    return problem.state(f_number=f_number, image_distance_mm=v, axis=axis)


def best_plane(
    problem: Problem, *, f_number: float, weights: Floats, limit_rad: float, start: LensState | None = None
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
    """
    begin = start or _from_linear_programme(problem, weights, limit_rad)
    limit = math.sin(limit_rad)
    points = problem.points_mm

    def state_of(x: Floats) -> LensState:
        axis = _axis(x[0], x[1], limit if problem.lens.tilt_mount == "rotating" else 1.0)
        return problem.state(f_number=f_number, image_distance_mm=float(x[2]) * axis[2], axis=axis)

    def residuals(x: Floats) -> Floats:
        state = state_of(x)
        seen = points + state.pupil_ahead_mm * np.asarray(state.axis)
        cones = pupil_cones(seen, state)
        blur: Floats = weights * cones.long_rate * (state.image_distance_mm - cones.sharp_at_mm)
        return blur

    ax, ay, az = begin.axis
    axial = begin.image_distance_mm / az
    spread = float(np.max(np.abs(residuals(np.array([ax, ay, axial]))))) * f_number / problem.focal_mm
    x, _ = polish(
        residuals,
        np.array([ax, ay, axial]),
        lower=np.array([-limit, -limit, 0.5 * problem.focal_mm]),
        upper=np.array([limit, limit, problem.longest_image_mm]),
        steps=np.array([0.02, 0.02, max(spread, 1e-4) * problem.focal_mm]),
    )
    return state_of(x)


def _axis(ax: float, ay: float, largest_sine: float) -> Vector:
    """Unit axis of these sines, drawn back to the largest whole tilt where they pass it."""
    lean = math.hypot(ax, ay)
    shrink = min(1.0, largest_sine / lean) if lean > 0.0 else 1.0
    ax, ay = float(ax) * shrink, float(ay) * shrink
    return ax, ay, math.sqrt(max(1.0 - ax * ax - ay * ay, 1e-6))


def _from_linear_programme(problem: Problem, weights: Floats, limit_rad: float) -> LensState:
    """The programme's plane; twice where the pupils part the entrance pupil from the lens.

    With g in 1/m and points in metres: weighted blur ∝ |g·P − 1| / (n·P), |f g_x|, |f g_y| ≤ sin(limit).
    """
    f_m = problem.focal_mm / 1000.0
    limit = math.sin(limit_rad)
    lowest = 1.0 / f_m - 1.0 / (0.5 * f_m)
    highest = 1.0 / f_m - 1000.0 / problem.longest_image_mm
    lean = limit / f_m
    state = problem.state(f_number=problem.middle_stop, image_distance_mm=problem.focal_mm)
    for _ in range(1 if state.pupil_ahead_mm == 0.0 else 2):
        points_m = problem.points_from_lens_mm(state) / 1000.0
        share = (weights / points_m[:, 2])[:, None]
        g, _ = least_worst(
            points_m * share,
            -share[:, 0],
            lower=np.array([-lean, -lean, lowest]),
            upper=np.array([lean, lean, highest]),
        )
        axis = _axis(f_m * g[0], f_m * g[1], limit if problem.lens.tilt_mount == "rotating" else 0.999)
        v = min(1000.0 / (axis[2] / f_m - g[2]), problem.longest_image_mm * axis[2])
        state = problem.state(f_number=problem.middle_stop, image_distance_mm=v, axis=axis)
    return state
