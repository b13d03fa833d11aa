"""Throwing out what is wanted soft: every must stays sharp, and the least soft of the soft marks as soft as can be.

docs/derivations/plane.md. By defocus alone, in circles of confusion. Where the wish is out of reach, sharpness comes
first and nothing is changed.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from itertools import product

import numpy as np

from verispect.optics.blur import blur_axes_mm, pupil_cones
from verispect.optics.lens_state import LensState
from verispect.optics.types import Floats
from verispect.plan.solve.focus_plane import best_plane, state_of_plane
from verispect.plan.solve.linear_programme import least_cost
from verispect.plan.solve.problem import Problem
from verispect.plan.solve.stop_choice import worst_at

Lit = Callable[[LensState], Floats]
# Sides of the plane are tried each for itself for so many soft things; more are kept on one side.
_MOST_SIDES = 4
# The programme is of first order: it keeps so far within what is allowed.
_WITHIN = 0.97
_HALVINGS = 12
# So many of the most promising planes are polished.
_POLISHED = 3
_LOOKED_ABOUT = 2
# Stops looked at about one, in f-numbers to the power of two: a third of a stop to either side.
_BESIDE = 0.2


def thrown_out(problem: Problem, state: LensState, *, limit_rad: float, lit: Lit | None = None) -> LensState:
    """The state, or the one that throws out most what is wanted soft and holds every must.

    Parameters
    ----------
    state : LensState
        The sharpest.
    limit_rad : float
        Of the tilt; 0 keeps the axis and searches focus and stop alone.
    lit : callable, optional
        What must stay ≥ 0 in a state, shape (m,): the corners within the image circle.
    """
    scene = problem.scene
    if not scene.wanted_soft.any() or worst_at(problem, state) > 1.0:
        return state
    soft = problem.looking(problem.pose, np.flatnonzero(scene.wanted_soft & (problem.all_points_mm[:, 2] > 0.0)))
    if soft.chosen.size == 0:
        return state
    found = _by_focus(problem, soft, state, lit, _times(soft, state))
    if limit_rad > 0.0:
        found += _by_plane(problem, soft, state, limit_rad, lit)
    best = max([state, *found], key=lambda tried: _times(soft, tried))
    return best if np.all(_each(soft, best) >= scene.soft_times[soft.chosen]) else state


def _each(soft: Problem, state: LensState) -> Floats:
    """Defocus of the soft marks, in circles of confusion, shape (K,)."""
    found: Floats = blur_axes_mm(soft.points_from_lens_mm(state), state)[0] / soft.criterion.disc_mm
    return found


def _times(soft: Problem, state: LensState) -> float:
    return float(_each(soft, state).min())


def _holds(problem: Problem, state: LensState, lit: Lit | None) -> bool:
    return worst_at(problem, state) <= 1.0 and (lit is None or bool(np.all(lit(state) >= -1e-6)))


def _by_focus(
    problem: Problem,
    soft: Problem,
    state: LensState,
    lit: Lit | None,
    more_than: float,
    stops: Sequence[float] | None = None,
) -> list[LensState]:
    """At every stop both ends of the focus that holds the musts, where they throw out more than so much.

    A mark's blur is least between its two sides, so the ends are where the least of several is greatest.
    """
    found = []
    for stop in problem.stops.tolist() if stops is None else stops:
        at = state.at(float(stop))
        points = problem.points_from_lens_mm(at)
        cones = pupil_cones(points, at)
        if problem.is_plain:
            allowed: Floats | float = problem.criterion.allowed_still_mm(at.working_f_number)
        else:
            smears, residuals = problem.spoilers_mm(at, points)
            allowed = problem.criterion.allowed_blur_mm(at.working_f_number, smears, residuals)
        if np.isnan(allowed).any():
            continue
        reach = allowed / cones.long_rate
        low = max(float((cones.sharp_at_mm - reach).max()), problem.shortest_image_mm * at.axis[2])
        high = min(float((cones.sharp_at_mm + reach).min()), problem.longest_image_mm * at.axis[2])
        if low > high:
            continue
        for end, inward in ((low, 1.0), (high, -1.0)):
            # The allowed blur changes a little with the focus itself: drawn in until the musts hold.
            for drawn in (1e-6, 0.003, 0.01, 0.03):
                v = end + inward * drawn * (high - low)
                tried = problem.state(f_number=float(stop), image_distance_mm=v, axis=at.axis)
                if _times(soft, tried) <= more_than:
                    break
                if _holds(problem, tried, lit):
                    found.append(tried)
                    break
    return found


def _by_plane(
    problem: Problem, soft: Problem, state: LensState, limit_rad: float, lit: Lit | None
) -> list[LensState]:
    """Planes by a linear programme for each stop and each choice of sides, the best of them polished exactly."""
    groups = soft.scene.group[soft.chosen]
    things = np.unique(groups)
    sides = list(product((-1.0, 1.0), repeat=len(things))) if len(things) <= _MOST_SIDES else [
        (side,) * len(things) for side in (-1.0, 1.0)
    ]  # fmt: skip
    promising: list[tuple[float, LensState]] = []
    # Full stops; those between are looked at about the best.
    for stop in problem.stops[::3]:
        for side in sides:
            signs = np.array(side)[np.searchsorted(things, groups)]
            tried = _planned(problem, soft, state.at(float(stop)), limit_rad, signs)
            feasible = None if tried is None else _drawn_towards(problem, tried, state.at(float(stop)), lit)
            if feasible is not None:
                promising.append((_times(soft, feasible), feasible))
    promising.sort(key=lambda pair: -pair[0])
    found = []
    for _, begin in promising[:_POLISHED]:
        plane = _polished(problem, soft, begin, limit_rad, lit)
        # With the axis kept, both ends of the focus at every stop; and from the best of those once more.
        ends = [plane, *_by_focus(problem, soft, plane, lit, _times(soft, plane))]
        found.append(max(ends, key=lambda tried: _times(soft, tried)))
    found.sort(key=lambda tried: -_times(soft, tried))
    return [_about(problem, soft, begin, limit_rad, lit) for begin in found[:_LOOKED_ABOUT]]


def _about(problem: Problem, soft: Problem, begin: LensState, limit_rad: float, lit: Lit | None) -> LensState:
    """The best of the axes about one, in ever smaller steps: where several sides bind at once no slope tells."""
    limit = math.sin(limit_rad)
    best, least, step = begin, _times(soft, begin), limit / 6.0
    turning = problem.lens.tilt_mount == "rotating"
    while step > limit / 400.0:
        moved = False
        for across, up in product((-step, 0.0, step), repeat=2):
            ax, ay = best.axis[0] + across, best.axis[1] + up
            lean = math.hypot(ax, ay) if turning else max(abs(ax), abs(ay))
            if (across == up == 0.0) or lean > limit:
                continue
            axis = (ax, ay, math.sqrt(1.0 - ax * ax - ay * ay))
            tried = problem.state(
                f_number=best.f_number, image_distance_mm=best.image_distance_mm / best.axis[2] * axis[2], axis=axis
            )
            near = [stop for stop in problem.stops.tolist() if abs(math.log2(stop / best.f_number)) < _BESIDE]
            for end in _by_focus(problem, soft, tried, lit, least * (1.0 + 1e-6), near):
                if _times(soft, end) > least:
                    best, least, moved = end, _times(soft, end), True
        if not moved:
            step *= 0.5
    return best


def _planned(problem: Problem, soft: Problem, about: LensState, limit_rad: float, signs: Floats) -> LensState | None:
    """Maximise t with blur_i ≤ allowed for the musts and side_j blur_j ≥ t for the soft, to first order in g."""
    allowed = float(problem.criterion.allowed_still_mm(about.working_f_number)) * _WITHIN
    if not math.isfinite(allowed):
        return None
    f_m, limit = problem.focal_mm / 1000.0, math.sin(limit_rad) / (problem.focal_mm / 1000.0)
    scale = problem.focal_mm * about.image_distance_mm / about.f_number / 1000.0
    rows, offsets = _rates(problem, about, scale)
    soft_rows, soft_offsets = _rates(soft, about, scale)
    count = len(rows)
    upper = np.block(
        [
            [rows, np.zeros((count, 1))],
            [-rows, np.zeros((count, 1))],
            [-signs[:, None] * soft_rows, np.ones((len(soft_rows), 1))],
        ]
    )
    right = np.concatenate([allowed - offsets, allowed + offsets, signs * soft_offsets])
    lowest = 1.0 / f_m - 1000.0 / problem.nearest_tilted_mm
    highest = 1.0 / f_m - 1000.0 / problem.longest_image_mm
    answer = least_cost(
        np.array([0.0, 0.0, 0.0, -1.0]), upper, right,
        lower=np.array([-limit, -limit, lowest, 0.0]), upper=np.array([limit, limit, highest, np.inf]),
    )  # fmt: skip
    if answer is None or answer[-1] <= 0.0:
        return None
    return state_of_plane(problem, answer[:3], math.sin(limit_rad)).at(about.f_number)


def _rates(problem: Problem, state: LensState, scale: float) -> tuple[Floats, Floats]:
    """Rows (K, 3) and offsets (K,): blur to first order is |rows · g + offsets|, mm, with g in 1/m."""
    points_m = problem.points_from_lens_mm(state) / 1000.0
    share = scale / points_m[:, 2]
    return points_m * share[:, None], -share


def _drawn_towards(problem: Problem, tried: LensState, sharp: LensState, lit: Lit | None) -> LensState | None:
    """As far from the sharpest state towards a tried one as every must holds; None where it does at neither."""
    if _holds(problem, tried, lit):
        return tried
    if not _holds(problem, sharp, lit):
        return None

    def at(share: float) -> LensState:
        ax, ay = (a + share * (b - a) for a, b in zip(sharp.axis[:2], tried.axis[:2], strict=True))
        axial = [state.image_distance_mm / state.axis[2] for state in (sharp, tried)]
        az = math.sqrt(max(1.0 - ax * ax - ay * ay, 1e-6))
        v = (axial[0] + share * (axial[1] - axial[0])) * az
        return problem.state(f_number=sharp.f_number, image_distance_mm=v, axis=(ax, ay, az))

    low, high = 0.0, 1.0
    for _ in range(_HALVINGS):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if _holds(problem, at(middle), lit) else (low, middle)
    return at(low)


def _polished(problem: Problem, soft: Problem, begin: LensState, limit_rad: float, lit: Lit | None) -> LensState:
    def room(state: LensState) -> Floats:
        points = problem.points_from_lens_mm(state)
        smears, residuals = problem.spoilers_mm(state, points)
        blur = blur_axes_mm(points, state)[0]
        softness = problem.criterion.softness(blur, state.working_f_number, smears, residual_mm=residuals)
        left = 1.0 - np.minimum(softness, 1e3)
        return left if lit is None else np.concatenate([left, lit(state)])

    found = best_plane(
        problem,
        f_number=begin.f_number,
        weights=problem.weights,
        limit_rad=limit_rad,
        start=begin,
        conditions=room,
        badness=lambda state: 1.0 / np.maximum(_each(soft, state), 1e-6),
    )
    return found if _holds(problem, found, lit) and _times(soft, found) > _times(soft, begin) else begin
