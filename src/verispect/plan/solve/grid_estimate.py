"""Which focal lengths are worth working a turned grid out for: a quick estimate of frames and sharpness.

Only the order in which grids are tried, and which are left out, comes from here; every figure that is shown
comes from the grid as it is then worked out. Motion and the lens's own blur are left out of the estimate.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from verispect.optics.blur import pupil_cones
from verispect.optics.types import Floats
from verispect.plan.document import Covers
from verispect.plan.solve.focus_ladder import middle_of, stab
from verispect.plan.solve.focus_plane import best_focus
from verispect.plan.solve.problem import Problem
from verispect.plan.solve.stop_choice import choose_stop


@dataclass(frozen=True)
class Prospect:
    """What may be expected of a grid.

    Attributes
    ----------
    frames : float
        Infinite where it will not hold.
    softness : float
        Of the worst point at the best stop, of grids with one focus a frame; 0 for others.
    """

    frames: float
    softness: float


@dataclass(frozen=True)
class _Cell:
    """Marks of one frame: where each is sharp, and its blur for a mm of defocus at f/1."""

    sharp_at_mm: Floats
    rates: Floats


def one_focus_each(problem: Problem, cells: list[Problem], covers: Covers) -> Prospect:
    """A grid whose frames have one focus each and one stop for all."""
    del covers
    found = [_cell(cell) for cell in cells if cell.chosen.size]
    blur = 0.0
    for cell in found:
        v = best_focus(cell.sharp_at_mm, cell.rates)
        blur = max(blur, float(np.max(cell.rates * np.abs(v - cell.sharp_at_mm))))
    working = _working(problem, found)
    blurs = blur / problem.stops
    criterion = problem.criterion
    softness = criterion.softness(blurs, working, 0.0, criterion.allowed_blur_mm(working))
    best = choose_stop(criterion, softness[:, None], criterion.contrast(blurs, working)[:, None])
    worst = float(softness[best])
    return Prospect(float(len(cells)) if worst <= 1.0 else math.inf, worst)


def series_each(problem: Problem, cells: list[Problem], covers: Covers) -> Prospect:
    """A grid whose frames have a focus series each, at the stop that needs the fewest frames in all."""
    found = [_cell(cell) for cell in cells if cell.chosen.size]
    allowed = problem.criterion.allowed_blur_mm(_working(problem, found)) * problem.scene.blur_share
    exit_mm = problem.focal_mm * (1.0 - problem.lens.pupil_magnification)
    totals = np.full(len(problem.stops), float(len(cells) - len(found)))
    with np.errstate(divide="ignore", invalid="ignore"):
        for cell in found:
            totals += _counts(cell, np.nan_to_num(allowed) * problem.stops, exit_mm, covers)
    usable = np.where(np.nan_to_num(allowed) > 0.0, totals, np.inf)
    return Prospect(float(usable.min()), 0.0)


def _counts(cell: _Cell, allowed_at_one: Floats, exit_mm: float, covers: Covers) -> Floats:
    """Frames (S,) of one series, `allowed_at_one` being the allowed blur times the f-number."""
    if covers == Covers.MARKS:
        reach = allowed_at_one[:, None] / cell.rates
        return np.array([len(stab(cell.sharp_at_mm - row, cell.sharp_at_mm + row)) or np.inf for row in reach])
    from_exit = cell.sharp_at_mm - exit_mm
    kappa = np.minimum(allowed_at_one / float(np.max(cell.rates * from_exit)), 0.999)
    ratio = math.log(float(from_exit.max() / from_exit.min()))
    counts: Floats = np.ceil(ratio / np.log((1.0 + kappa) / (1.0 - kappa)) - 1e-9)
    return np.maximum(counts, 1.0)


def _cell(cell: Problem) -> _Cell:
    state = cell.state(f_number=1.0, image_distance_mm=cell.focal_mm)
    cones = pupil_cones(cell.points_from_lens_mm(state), state)
    return _Cell(np.minimum(cones.sharp_at_mm, cell.longest_image_mm), cones.long_rate)


def _working(problem: Problem, cells: list[_Cell]) -> Floats:
    """Working f-numbers (S,) with the focus in the middle of everything."""
    middle = middle_of(np.concatenate([cell.sharp_at_mm for cell in cells]))
    magnification = max(middle / problem.focal_mm - 1.0, 0.0)
    found: Floats = problem.stops * (1.0 + magnification / problem.lens.pupil_magnification)
    return found
