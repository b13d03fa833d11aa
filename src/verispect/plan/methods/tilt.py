"""Tilt: one frame, the plane of sharp focus laid through the marks by tilt and swing."""

from __future__ import annotations

import math

from verispect.optics.lens_state import LensState
from verispect.optics.movements import detent_directions
from verispect.plan.methods.candidate import Candidate, unfit, worked_out
from verispect.plan.methods.lens_search import (
    circle_reason,
    corner_reserve_mm,
    corner_reserves_mm,
    focus_notes,
    with_every_lens,
)
from verispect.plan.methods.refine.back_in_place import leaning_back
from verispect.plan.methods.refine.snap_to_scales import as_set
from verispect.plan.scene.scene import Scene
from verispect.plan.solve.focus_plane import best_plane, focus_for
from verispect.plan.solve.problem import Problem
from verispect.plan.solve.selective_focus import thrown_out
from verispect.plan.solve.softness_polish import seen_whole
from verispect.plan.solve.stop_choice import best_stop, judged, moving_weights, worst_at
from verispect.sentence import Sentence

_HALVINGS = 12


def tilt(scene: Scene) -> Candidate:
    """The best tilted frame, with whichever lens does it best."""
    return with_every_lens("tilt", scene, lambda problem: leaning_back(problem, _attempt))


def no_tilt(problem: Problem) -> Sentence:
    """Why a lens without movements is out."""
    return Sentence("{lens} does not tilt", {"lens": problem.lens.name})


def _attempt(problem: Problem) -> Candidate:
    if problem.lens.tilt_deg <= 0.0:
        return unfit("tilt", problem.scene, no_tilt(problem))
    limit = math.radians(problem.lens.tilt_deg)
    state = solve(problem, limit)
    reserve = corner_reserve_mm(problem, state)
    notes: tuple[Sentence, ...] = ()
    if reserve < 0.0:
        lit = _within_circle(problem, limit)
        if lit is None:
            return unfit("tilt", problem.scene, circle_reason(problem, reserve))
        state = lit
        within = max(abs(math.asin(state.axis[0])), abs(math.asin(state.axis[1])))
        notes = (
            Sentence(
                "The image circle of {lens} holds the tilt to {limit:.1f}°; more would darken a corner",
                {"lens": problem.lens.name, "limit": math.degrees(within)},
            ),
        )
    if problem.scene.wanted_soft.any() and problem.lens.lens.detents_deg is None:
        state = thrown_out(problem, state, limit_rad=limit, lit=lambda tried: corner_reserves_mm(problem, tried))
    state, set_notes = as_set(problem, state)
    notes += set_notes
    lean = max(abs(math.asin(state.axis[0])), abs(math.asin(state.axis[1])))
    if not set_notes and not notes and lean >= limit * (1.0 - 1e-6):
        notes = (
            Sentence(
                "{lens} is at the end of its tilt, {limit:g}°; a little more would be better still",
                {"lens": problem.lens.name, "limit": problem.lens.tilt_deg},
            ),
        )
    notes += focus_notes(problem, state)
    return worked_out("tilt", problem, [problem.exposure(state)], notes=notes)


def solve(problem: Problem, limit_rad: float) -> LensState:
    """Best tilt, swing, focus and stop within a limit on the tilt, towards a detent where the mount has them."""
    if problem.lens.tilt_mount == "rotating" and problem.lens.lens.detents_deg is not None:
        states = [
            _solve(problem, limit_rad, direction) for direction in detent_directions(problem.lens.lens.detents_deg)
        ]
        return min(states, key=lambda state: worst_at(problem, state))
    return _solve(problem, limit_rad, None)


def _solve(problem: Problem, limit_rad: float, direction: tuple[float, float] | None) -> LensState:
    state = best_plane(
        problem, f_number=problem.middle_stop, weights=problem.weights, limit_rad=limit_rad, direction=direction
    )
    stop = best_stop(problem, state)
    weights = moving_weights(problem, state.at(stop))
    state = best_plane(problem, f_number=stop, weights=weights, limit_rad=limit_rad, start=state, direction=direction)
    state = state.at(best_stop(problem, state))
    polished = seen_whole(problem, state, limit_rad, direction)
    # The last polish knows nothing of the image circle: it may not darken a corner that was lit.
    lit = corner_reserve_mm(problem, polished) >= min(0.0, corner_reserve_mm(problem, state))
    return polished if lit else state


def _within_circle(problem: Problem, limit_rad: float) -> LensState | None:
    """The best frame whose corners stay lit; None where not even the straight lens lights them.

    The tilts that a corner allows lie within a curve whose ends at the two movements alone reach farther than
    between them, so there may be several best places on it: each is looked for from a start of its own.
    """
    mount = problem.lens.lens
    held = problem.lens.tilt_mount == "rotating" and mount.detents_deg is not None
    ways = detent_directions(mount.detents_deg or 0.0) if held else [None, (0.0, 1.0), (1.0, 0.0)]
    found = [_lit_from(problem, limit_rad, way, held=held) for way in ways]
    lit = [state for state in found if state is not None]
    return min(lit, key=lambda state: judged(problem, state)) if lit else None


def _lit_from(problem: Problem, limit_rad: float, way: tuple[float, float] | None, *, held: bool) -> LensState | None:
    """The best lit frame near the best one of a direction, drawn back into the circle."""
    stop, weights = problem.middle_stop, problem.weights
    state = best_plane(problem, f_number=stop, weights=weights, limit_rad=limit_rad, direction=way)
    for _ in range(1 if problem.is_plain else 2):
        begin = _drawn_back(problem, state)
        if begin is None:
            return None
        state = best_plane(
            problem,
            f_number=stop,
            weights=weights,
            limit_rad=limit_rad,
            start=begin,
            direction=way if held else None,
            conditions=lambda tried: corner_reserves_mm(problem, tried),
        )
        stop = best_stop(problem, state)
        weights = moving_weights(problem, state.at(stop))
    return state.at(stop)


def _drawn_back(problem: Problem, state: LensState) -> LensState | None:
    """The state with as much of its lean as keeps the corners lit, focused anew."""

    def leaning(share: float) -> LensState:
        ax, ay = share * state.axis[0], share * state.axis[1]
        axis = (ax, ay, math.sqrt(1.0 - ax * ax - ay * ay))
        return focus_for(problem, f_number=state.f_number, axis=axis, weights=problem.weights)

    if corner_reserve_mm(problem, state) >= 0.0:
        return state
    found, low, high = leaning(0.0), 0.0, 1.0
    if corner_reserve_mm(problem, found) < 0.0:
        return None
    for _ in range(_HALVINGS):
        middle = 0.5 * (low + high)
        tried = leaning(middle)
        if corner_reserve_mm(problem, tried) >= 0.0:
            found, low = tried, middle
        else:
            high = middle
    return found


def limit_within_circle(problem: Problem, limit_rad: float) -> float | None:
    """The largest limit on the tilt whose best plane keeps all used corners lit; None if even 0 does not."""
    low, high = 0.0, limit_rad
    straight = problem.state(f_number=problem.middle_stop, image_distance_mm=problem.focal_mm)
    if corner_reserve_mm(problem, straight) < -1e-6:
        return None
    for _ in range(7):
        middle = 0.5 * (low + high)
        state = best_plane(problem, f_number=problem.middle_stop, weights=problem.weights, limit_rad=middle)
        if corner_reserve_mm(problem, state) >= 0.0:
            low = middle
        else:
            high = middle
    return low
