"""Turned grid: the camera turns on a head about its entrance pupil; each frame has its own focus."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from verispect.optics.lens_state import LensState
from verispect.plan.methods.candidate import Candidate, unfit, worked_out
from verispect.plan.methods.grid_search import with_every_focal
from verispect.plan.methods.lens_search import circle_reason, corner_reserve_mm, focus_notes, with_even_weights
from verispect.plan.scene.scene import Scene
from verispect.plan.solve.focus_plane import focus_for
from verispect.plan.solve.grid_estimate import one_focus_each
from verispect.plan.solve.problem import Problem
from verispect.plan.solve.stop_choice import choose_stop, look_at_stops
from verispect.subject.mark import Need


def turned_grid(scene: Scene) -> Candidate:
    """The best turned grid, with whichever lens does it best."""
    return with_every_focal("turned-grid", scene, _attempt, one_focus_each)


def _attempt(problem: Problem, cells: list[Problem], source: list[int], rows: tuple[int, ...]) -> Candidate:
    def attempt(whole: Problem) -> Candidate:
        return _worked(problem, [replace(cell, even=whole.even) for cell in cells], source, rows)

    return with_even_weights(problem, attempt)


def _worked(problem: Problem, cells: list[Problem], source: list[int], rows: tuple[int, ...]) -> Candidate:
    states = [for_shoulds(cell, state) for cell, state in zip(cells, focused(cells, source), strict=True)]
    reserve = min(corner_reserve_mm(cell, state) for cell, state in zip(cells, states, strict=True))
    if reserve < -1e-6:
        return unfit("turned-grid", problem.scene, circle_reason(problem, reserve))

    def at(stop: float) -> Candidate:
        exposures = [cell.exposure(state.at(stop)) for cell, state in zip(cells, states, strict=True)]
        return worked_out("turned-grid", problem, exposures, notes=focus_notes(problem, *states), grid_cells=rows)

    return _stopped_for_shoulds(problem, at(states[0].f_number), at)


def _stopped_for_shoulds(problem: Problem, found: Candidate, at: Callable[[float], Candidate]) -> Candidate:
    """The grid at the stop that holds every must and leaves fewest shoulds soft (docs/decisions/0011-shoulds.md)."""
    if not found.is_sharp or not found.loose_shoulds:
        return found
    best = found
    for stop in problem.stops:
        tried = at(float(stop))
        fewer = (len(tried.loose_shoulds), tried.worst_should) < (len(best.loose_shoulds), best.worst_should)
        if tried.is_sharp and fewer:
            best = tried
    return best


def for_shoulds(cell: Problem, state: LensState) -> LensState:
    """The state; where nothing on the frame must be sharp but something should, focused on that."""
    if cell.chosen.size:
        return state
    scene = cell.scene
    seen = cell.pose.to_camera_mm(scene.world_m)
    half = 0.5 * np.asarray(scene.plan.sensor_mm) / cell.breathed(state).pupil_scale_mm
    inside = (seen[:, 2] > 1.05 * cell.focal_mm) & np.all(np.abs(seen[:, :2]) <= half * seen[:, 2:], axis=1)
    shoulds = np.flatnonzero(inside & np.array([need == Need.SHOULD for need in scene.needs]))
    if shoulds.size == 0:
        return state
    part = cell.looking(cell.pose, shoulds)
    return focus_for(part, f_number=state.f_number, weights=part.weights)


def focused(cells: list[Problem], source: list[int]) -> list[LensState]:
    """Each cell at its best focus, all at the one stop that makes the worst mark of all best."""
    first = cells[0]
    states = {k: focus_for(cells[k], f_number=first.middle_stop, weights=cells[k].weights) for k in set(source)}
    working = np.array([[state.at(float(n)).working_f_number for state in states.values()] for n in first.stops])
    allowed = first.criterion.allowed_blur_mm(working)
    looks = [
        look_at_stops(cells[k], state, allowed[:, column : column + 1])
        for column, (k, state) in enumerate(states.items())
    ]
    softness = np.concatenate([look[0] for look in looks], axis=1)
    contrast = np.concatenate([look[1] for look in looks], axis=1)
    stop = float(first.stops[choose_stop(first.criterion, softness, contrast)])
    if first.middle_state.bend is not None:
        # The best focus of such a lens is another at every stop.
        states = {k: focus_for(cells[k], f_number=stop, weights=cells[k].weights) for k in states}
    return [states[k].at(stop) for k in source]
