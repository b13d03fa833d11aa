"""Trying a grid on a turning head with every lens, and a zoom at many focal lengths."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from verispect.kit.focal_choice import grid_focals_mm
from verispect.kit.lens import Lens
from verispect.kit.mounted_lens import focal_range
from verispect.optics.lens_state import focus_image_distance_mm
from verispect.optics.types import Floats
from verispect.plan.document import Aim, Covers
from verispect.plan.methods.candidate import Candidate, unfit
from verispect.plan.methods.lens_search import best_of, hindered_by_its_shift, nearer_than_focal
from verispect.plan.scene.scene import Scene
from verispect.plan.solve.grid_assignment import DEEPEST, SUM, owners
from verispect.plan.solve.grid_estimate import Prospect
from verispect.plan.solve.grid_layout import (
    MOST_CELLS,
    TurnedGrid,
    all_round_poses,
    fewest_all_round,
    fewest_cells,
    passes_overhead,
    too_steep,
    turned_grid_poses,
)
from verispect.plan.solve.problem import Problem, problem_for
from verispect.plan.solve.stop_cost import TIE
from verispect.sentence import Sentence
from verispect.subject.camera import Around

GridAttempt = Callable[[Problem, list[Problem], list[int], tuple[int, ...]], Candidate]
Estimate = Callable[[Problem, list[Problem], Covers], Prospect]
# So many grids are worked out in full while none of them holds.
_MOST_TRIED = 6
# Of the allowed blur: a grid within it is sharp enough not to look for a sharper one of as many frames.
_COMFORTABLE = 0.75
# Layouts until the frames meet; each is made for frames a little narrower than those of the last one were found.
_MOST_LAYOUTS = 6
_TIGHTER = 1.0 - 1e-4
# A field so little narrower costs no frame.
_AS_GOOD_AS = 0.998


@dataclass(frozen=True)
class _Grid:
    """A layout that may be worked out: the whole, the problems of its cells, and whose focus each cell takes."""

    problem: Problem
    cells: list[Problem]
    source: list[int]
    rows: tuple[int, ...]
    half_frame: Floats
    prospect: Prospect


def with_every_focal(key: str, scene: Scene, attempt: GridAttempt, estimate: Estimate) -> Candidate:
    """A method on a turning head, tried with every lens at focal lengths longer than the framing.

    `attempt` is given the problem of the whole, those of the cells, whose focus each cell takes, and how
    many cells each row has.
    """
    head = scene.plan.kit.head
    if head is None or not head.turns:
        return unfit(key, scene, Sentence("The kit has no head that turns about the entrance pupil"))
    refused: list[Candidate] = []
    tried: list[Problem] = []
    grids = sorted(_grids(key, scene, estimate, refused, tried), key=_promise)
    attempts: list[Candidate] = []
    for grid in grids:
        held = [found for found in attempts if found.is_sharp and not found.loses]
        if len(attempts) >= _MOST_TRIED or (held and not _worth_a_look(grid, held)):
            break
        attempts.append(_without_gaps(key, grid, attempt))
    return best_of(key, scene, [*attempts, *refused], tried)


def _promise(grid: _Grid) -> tuple[float, ...]:
    """Sorts grids: for detail the longest lens that will hold; else the fewest frames, sharp enough with a margin,
    and then the longest lens, which leaves least overlap and gives most detail.
    """
    prospect = grid.prospect
    if grid.problem.scene.plan.wish.priority == Aim.DETAIL:
        return (float(math.isinf(prospect.frames)), -grid.problem.focal_mm, prospect.softness)
    return (prospect.frames, max(prospect.softness, _COMFORTABLE), -grid.problem.focal_mm)


def _worth_a_look(grid: _Grid, held: list[Candidate]) -> bool:
    """Whether a grid may be less of a burden than those that hold."""
    wish, times = held[0].scene.plan.wish, held[0].scene.plan.kit.times
    if math.isinf(grid.prospect.frames):
        return False
    if wish.priority == Aim.DETAIL:
        return grid.problem.focal_mm > max(found.focal_mm for found in held)
    fewest = min(found.frame_count for found in held)
    if wish.priority in (Aim.TIME, Aim.MOVEMENT):
        quickest = min(held, key=lambda found: found.run_s)
        if quickest.open_s > TIE * quickest.run_s:
            # In the dark as many frames, or more, may be done sooner with another lens.
            return (grid.prospect.frames - 1.0) * times.frame_s < quickest.run_s
    return grid.prospect.frames < fewest


def _problem(scene: Scene, lens: Lens, focal_mm: float) -> Problem:
    return problem_for(scene, lens, focal_mm, is_of_turned_grid=True)


def _grids(
    key: str, scene: Scene, estimate: Estimate, refused: list[Candidate], tried: list[Problem]
) -> Iterator[_Grid]:
    """Every layout that may be worth it; what was looked at goes to `tried`, reasons against it to `refused`."""
    covers = scene.plan.wish.series_covers
    # No lens takes in what goes all round.
    framing = scene.plan.whole_focal_mm if scene.plan.camera.around == Around.PICTURE else 0.0
    choices: list[tuple[Floats, Lens, float]] = []
    for lens in scene.plan.kit.lenses:
        focals = grid_focals_mm(lens, framing)
        if not focals and hindered_by_its_shift(scene, lens):
            # A head can be turned there, and no shift is needed.
            focals = [min(framing, focal_range(lens)[1])]
        if not focals:
            reason = Sentence("{lens} shows the whole picture in one frame", {"lens": lens.name})
            refused.append(unfit(key, scene, reason))
        choices.extend((_half_frame(_problem(scene, lens, focal)), lens, focal) for focal in focals)
    fewest = math.inf
    # Large frames, and few of them, first.
    for half_frame, lens, focal in sorted(choices, key=lambda choice: choice[2]):
        problem = _problem(scene, lens, focal)
        too_near = nearer_than_focal(problem)
        if too_near:
            refused.append(unfit(key, scene, too_near))
            continue
        tried.append(problem)
        if _in_vain(scene, half_frame, fewest):
            continue
        grid = _laid(key, problem, half_frame, estimate, covers)
        if grid is None:
            refused.append(unfit(key, scene, _cannot_be_laid(problem, half_frame)))
            continue
        fewest = min(fewest, grid.prospect.frames)
        yield grid


def _laid(key: str, problem: Problem, half_frame: Floats, estimate: Estimate, covers: Covers) -> _Grid | None:
    """A layout whose frames still meet when each is focused on what is nearest in it; None where there is none."""
    for _ in range(_MOST_LAYOUTS):
        layout = _layout(problem.scene, half_frame)
        if layout is None:
            return None
        cells, source = cells_of(problem, layout, half_frame, DEEPEST if key == "turned-grid" else SUM)
        nearest = min(float(cell.points_mm[:, 2].min()) for cell in cells if cell.chosen.size)
        seen = problem.half_field(nearest)
        if np.all(seen >= half_frame * (1.0 - 1e-9)):
            return _Grid(problem, cells, source, layout.rows, half_frame, estimate(problem, cells, covers))
        half_frame = seen * _TIGHTER
    return None


def _without_gaps(key: str, grid: _Grid, attempt: GridAttempt) -> Candidate:
    """The grid worked out, and laid out closer where a frame sees less than was reckoned with.

    What should be sharp, and is nearer than all that must be, can draw a frame's focus nearer than `_laid` knew.
    """
    found = attempt(grid.problem, grid.cells, grid.source, grid.rows)
    half_frame = grid.half_frame
    for _ in range(_MOST_LAYOUTS):
        seen = _narrowest(found)
        if seen is None or np.all(seen >= half_frame * (1.0 - 1e-9)):
            break
        half_frame = seen * _TIGHTER
        layout = _layout(grid.problem.scene, half_frame)
        if layout is None:
            return unfit(key, grid.problem.scene, _cannot_be_laid(grid.problem, half_frame))
        power = DEEPEST if key == "turned-grid" else SUM
        found = attempt(grid.problem, *cells_of(grid.problem, layout, half_frame, power), layout.rows)
    return found


def _narrowest(found: Candidate) -> Floats | None:
    """Half of what the frame sees that sees least, as tangents from the entrance pupil."""
    if not found.exposures:
        return None
    half: Floats = 0.5 * np.asarray(found.scene.plan.sensor_mm)
    return half / max(exposure.state.pupil_scale_mm for exposure in found.exposures)


def _cannot_be_laid(problem: Problem, half_frame: Floats) -> Sentence:
    """Why a grid cannot be laid out: it would pass overhead, or takes so many frames."""
    scene, named = problem.scene, {"lens": problem.lens.name, "focal": problem.focal_mm}
    if _passes_overhead(scene):
        return Sentence("A grid with {lens} at {focal:.0f} mm would pass straight overhead or underfoot", named)
    head, cells = scene.plan.kit.head, _fewest(scene, half_frame)
    if head is not None and head.step_deg > 0.0 and cells <= MOST_CELLS:
        return Sentence(
            "The head turns in steps of {step:g}°: with none do frames of {lens} at {focal:.0f} mm overlap enough",
            {**named, "step": head.step_deg},
        )
    return Sentence(
        "A grid with {lens} at {focal:.0f} mm would need {cells:.0f} frames; {most} are the most",
        {**named, "cells": cells, "most": MOST_CELLS},
    )


def _passes_overhead(scene: Scene) -> bool:
    if scene.plan.camera.around == Around.PICTURE:
        return passes_overhead(pose=scene.pose, half_picture=scene.half_picture(), centre=scene.picture_centre())
    # Over a sphere a frame of its own stands at each pole.
    return scene.plan.camera.around == Around.CIRCLE and too_steep(scene.plan.elevations_rad)


def _in_vain(scene: Scene, half_frame: Floats, fewest: float) -> bool:
    """Whether a grid surely has more cells than another needs frames, where frames are what counts."""
    if math.isinf(fewest) or scene.plan.wish.priority not in (Aim.FRAMES, Aim.MERGING):
        return False
    cells = _fewest(scene, half_frame)
    return cells > fewest


def _fewest(scene: Scene, half_frame: Floats) -> float:
    if scene.plan.camera.around != Around.PICTURE:
        return fewest_all_round(
            elevations_rad=scene.plan.elevations_rad, half_frame=half_frame, overlap=scene.plan.wish.overlap
        )
    return fewest_cells(
        pose=scene.pose,
        half_picture=scene.half_picture(),
        half_frame=half_frame,
        overlap=scene.plan.wish.overlap,
        centre=scene.picture_centre(),
    )


def _layout(scene: Scene, half_frame: Floats) -> TurnedGrid | None:
    head, overlap = scene.plan.kit.head, scene.plan.wish.overlap
    step = math.radians(head.step_deg) if head is not None else 0.0
    if scene.plan.camera.around != Around.PICTURE:
        return all_round_poses(
            pose=scene.pose,
            elevations_rad=scene.plan.elevations_rad,
            half_frame=half_frame,
            overlap=overlap,
            step_rad=step,
        )
    return turned_grid_poses(
        pose=scene.pose,
        half_picture=scene.half_picture(),
        half_frame=half_frame,
        overlap=overlap,
        centre=scene.picture_centre(),
        step_rad=step,
    )


def _half_frame(problem: Problem) -> Floats:
    """Half a frame as tangents from the entrance pupil, focused on the nearest of the musts, where it sees least.

    A frame turned towards something has it as deep as it is far away, one that has it in its corner less so;
    where that makes no difference the corner counts, and nothing need be laid out twice.
    """
    distance = float(np.linalg.norm(problem.points_mm, axis=1).min())
    turned_to = problem.half_field(distance)
    in_corner = problem.half_field(distance / math.hypot(1.0, *turned_to))
    return in_corner if np.all(in_corner >= turned_to * _AS_GOOD_AS) else turned_to


def cells_of(
    problem: Problem, layout: TurnedGrid, half_frame: Floats, power: float
) -> tuple[list[Problem], list[int]]:
    """A problem for each frame, with the marks that are taken from it, and whose focus it takes.

    A frame on which nothing must be sharp takes the focus of the nearest frame that has something, so
    that their focus agrees where they overlap.
    """
    away = problem.scene.world_m[problem.chosen] - problem.pose.pupil_m
    distance = np.linalg.norm(away, axis=1, keepdims=True)
    exit_mm = problem.focal_mm * (1.0 - problem.lens.pupil_magnification)
    # As a frame turned to it has it, where some lie beside and behind the view of the whole.
    seen = problem.points_mm
    if problem.scene.plan.camera.around != Around.PICTURE:
        seen = np.concatenate([np.zeros((len(distance), 2)), 1000.0 * distance], axis=1)
    sharp_at = focus_image_distance_mm(seen, focal_mm=problem.focal_mm)
    owner = owners(
        away / distance,
        layout,
        half_frame,
        depth=np.log(np.maximum(sharp_at - exit_mm, 1e-6)),
        power=power,
        overlap=problem.scene.plan.wish.overlap,
    )
    forward = np.stack([pose.forward for pose in layout.poses])
    cells = [problem.looking(pose, problem.chosen[owner == k]) for k, pose in enumerate(layout.poses)]
    filled = [k for k, cell in enumerate(cells) if cell.chosen.size]
    source = [
        k if cells[k].chosen.size else max(filled, key=lambda j: float(forward[j] @ forward[k]))
        for k in range(len(cells))
    ]
    return cells, source
