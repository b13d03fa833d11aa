"""Turned grid of series: the camera turns on a head, and every frame of the grid has its own focus series."""

from __future__ import annotations

import numpy as np

from verispect.optics.lens_state import LensState
from verispect.optics.types import Floats
from verispect.plan.document import Covers
from verispect.plan.methods.candidate import Candidate, unfit, worked_out
from verispect.plan.methods.grid_search import with_every_focal
from verispect.plan.methods.lens_search import circle_reason, corner_reserve_mm, focus_notes
from verispect.plan.methods.series import no_stop
from verispect.plan.methods.turned_grid import focused, for_shoulds
from verispect.plan.scene.scene import Scene
from verispect.plan.solve.focus_ladder import fewest_frames, frames_at_stops
from verispect.plan.solve.focus_plane import focus_for
from verispect.plan.solve.grid_estimate import series_each
from verispect.plan.solve.problem import Problem
from verispect.plan.solve.stop_cost import cheapest


def turned_grid_series(scene: Scene) -> Candidate:
    """The grid of series of fewest frames, with whichever lens needs fewest."""
    return with_every_focal("turned-grid-series", scene, _attempt, series_each)


def _attempt(problem: Problem, cells: list[Problem], source: list[int], rows: tuple[int, ...]) -> Candidate:
    scene, covers = problem.scene, problem.scene.plan.wish.series_covers
    filled = sorted(set(source))
    counts = np.stack([frames_at_stops(cells[k], covers=covers) for k in filled])
    # A frame with nothing that must be sharp is taken once, focused as a neighbour's middle frame.
    total: Floats = counts.sum(axis=0) + (len(cells) - len(filled))
    if not np.isfinite(total).any():
        return unfit("turned-grid-series", scene, no_stop(problem))
    cheap = cheapest(problem, total, problem.stops, scene.plan.kit.times.refocus_s)
    if total[cheap].max() == len(cells) and problem.is_plain:
        # One frame a cell does: then the stop is the one at which the worst of all is best.
        states = [for_shoulds(cell, state) for cell, state in zip(cells, focused(cells, source), strict=True)]
        taken = list(zip(cells, states, strict=True))
        return _taken(problem, taken, rows)
    # Of the stops that are as little burden the one that serves the frame best that needs most.
    hardest = cells[filled[int(np.argmax(counts[:, int(np.flatnonzero(cheap)[0])]))]]
    stop = fewest_frames(hardest, covers=covers, stops=problem.stops[cheap]).f_number
    at_stop = counts[:, int(np.argmin(np.abs(problem.stops - stop)))]
    ladders = {k: _states(cells[k], stop, covers, once=bool(n == 1)) for k, n in zip(filled, at_stop, strict=True)}
    taken = [
        (cell, state)
        for k, cell in enumerate(cells)
        for state in (ladders[k] if k in ladders else [for_shoulds(cell, _middle(ladders[source[k]]))])
    ]
    return _taken(problem, taken, rows)


def _taken(problem: Problem, taken: list[tuple[Problem, LensState]], rows: tuple[int, ...]) -> Candidate:
    reserve = min(corner_reserve_mm(cell, state) for cell, state in taken)
    if reserve < -1e-6:
        return unfit("turned-grid-series", problem.scene, circle_reason(problem, reserve))
    exposures = [cell.exposure(state) for cell, state in taken]
    notes = focus_notes(problem, *(state for _, state in taken))
    return worked_out("turned-grid-series", problem, exposures, notes=notes, grid_cells=rows)


def _states(cell: Problem, stop: float, covers: Covers, *, once: bool) -> list[LensState]:
    """The frames of a cell at a stop; `once` where one is known to do."""
    if once and cell.is_plain:
        return [focus_for(cell, f_number=stop, weights=np.ones(len(cell.chosen)))]
    ladder = fewest_frames(cell, covers=covers, stops=np.array([stop]))
    return [cell.state(f_number=stop, image_distance_mm=float(v)) for v in ladder.image_distances_mm]


def _middle(states: list[LensState]) -> LensState:
    return states[len(states) // 2]
