"""Turned grid: the camera turns on a head about its entrance pupil; each frame has its own focus."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from verispect.optics.lens import LensState, focus_image_distance_mm
from verispect.optics.types import Floats
from verispect.plan.candidate import Candidate, unfit, worked_out
from verispect.plan.framing import grid_focals_mm
from verispect.plan.grid_layout import MOST_CELLS, TurnedGrid, turned_grid_poses
from verispect.plan.methods.lens_choice import (
    best_of,
    circle_reason,
    corner_reserve_mm,
    focus_notes,
    nearer_than_focal,
)
from verispect.plan.plane import focus_for
from verispect.plan.problem import Problem, problem_for
from verispect.plan.scene import Scene
from verispect.plan.stopping import choose_stop, look_at_stops
from verispect.sentence import Sentence

GridAttempt = Callable[[Problem, list[Problem], list[int], tuple[int, ...]], Candidate]


def turned_grid(scene: Scene) -> Candidate:
    """The best turned grid, with whichever lens does it best."""
    return with_every_focal("turned-grid", scene, _attempt)


def with_every_focal(key: str, scene: Scene, attempt: GridAttempt) -> Candidate:
    """A method on a turning head, tried with every lens and focal length longer than the framing.

    `attempt` is given the problem of the whole, those of the cells, whose focus each cell takes, and how
    many cells each row has.
    """
    head = scene.plan.kit.head
    if head is None or not head.turns:
        return unfit(key, scene, Sentence("The kit has no head that turns about the entrance pupil"))
    attempts: list[Candidate] = []
    framing = scene.plan.camera.framing_mm
    choices = [(focal, lens) for lens in scene.plan.kit.lenses for focal in grid_focals_mm(lens, framing)]
    detail = scene.plan.wish.priority == "most detail"
    # Few large frames first, or for detail the longest lens: what cannot be less of a burden needs no look.
    for focal, lens in sorted(choices, key=lambda choice: choice[0], reverse=detail):
        held = [found for found in attempts if found.holds and not found.loses]
        if detail and held and focal < held[0].focal_mm:
            break
        tried = _laid_out(key, problem_for(scene, lens, focal), attempt, _most_cells(held))
        if tried is not None:
            attempts.append(tried)
    for lens in scene.plan.kit.lenses:
        if not grid_focals_mm(lens, framing):
            reason = Sentence(
                "{lens} is no longer than the framing, {framing:g} mm: one frame shows it all",
                {"lens": lens.name, "framing": framing},
            )
            attempts.append(unfit(key, scene, reason))
    return best_of(key, scene, attempts)


def _most_cells(held: list[Candidate]) -> int:
    """With more cells than this a grid surely is more of a burden than what holds already."""
    if not held:
        return MOST_CELLS
    wish, times = held[0].scene.plan.wish, held[0].scene.plan.kit.times
    if wish.priority == "most detail":
        return MOST_CELLS
    if wish.priority in ("least frames", "least computer work"):
        return min(found.frame_count for found in held)
    between = times.settle_s + times.write_s + times.turn_s
    quickest = min(found.run_s for found in held)
    return MOST_CELLS if quickest >= between * MOST_CELLS else 1 + int(quickest / between)


def _laid_out(key: str, problem: Problem, attempt: GridAttempt, most: int) -> Candidate | None:
    """An attempt at one focal length; None where it has more cells than are worth a look."""
    scene = problem.scene
    too_near = nearer_than_focal(problem)
    if too_near:
        return unfit(key, scene, too_near)
    layout = _layout(problem)
    if layout is None:
        reason = Sentence(
            "A grid with {lens} at {focal:.0f} mm would pass straight overhead or need too many frames",
            {"lens": problem.lens.name, "focal": problem.focal_mm},
        )
        return unfit(key, scene, reason)
    if len(layout.poses) > most:
        return None
    cells, source = cells_of(problem, layout)
    return attempt(problem, cells, source, layout.rows)


def _attempt(problem: Problem, cells: list[Problem], source: list[int], rows: tuple[int, ...]) -> Candidate:
    states = focused(cells, source)
    reserve = min(corner_reserve_mm(cell, state) for cell, state in zip(cells, states, strict=True))
    if reserve < -1e-6:
        return unfit("turned-grid", problem.scene, circle_reason(problem, reserve))
    exposures = [cell.exposure(state) for cell, state in zip(cells, states, strict=True)]
    return worked_out(
        "turned-grid",
        problem,
        exposures,
        notes=focus_notes(problem, *states),
        grid_cells=rows,
    )


def _layout(problem: Problem) -> TurnedGrid | None:
    """Cells reckoned at the longest image distance in use, where each frame sees least."""
    scene = problem.scene
    sharp_at = focus_image_distance_mm(problem.points_mm, focal_mm=problem.focal_mm)
    usable = sharp_at[(sharp_at > 0.0) & np.isfinite(sharp_at)]
    nearest = float(usable.max()) if usable.size else problem.focal_mm
    longest = min(max(nearest, problem.focal_mm), problem.longest_image_mm)
    return turned_grid_poses(
        pose=scene.pose,
        half_picture=scene.half_picture(),
        centre=scene.picture_centre(),
        half_frame=np.asarray(scene.plan.sensor_mm) / (2.0 * longest),
        overlap=scene.plan.wish.overlap,
    )


def cells_of(problem: Problem, layout: TurnedGrid) -> tuple[list[Problem], list[int]]:
    """A problem for each frame, with the marks that lie nearest its middle, and whose focus it takes.

    A frame on which nothing must be sharp takes the focus of the nearest frame that has something, so
    that their focus agrees where they overlap.
    """
    unit = problem.scene.world_m[problem.chosen] - problem.pose.pupil_m
    unit = unit / np.linalg.norm(unit, axis=1, keepdims=True)
    forward = np.stack([pose.forward for pose in layout.poses])
    owner = np.argmax(_centrality(unit, layout), axis=1)
    cells = [problem.looking(pose, problem.chosen[owner == k]) for k, pose in enumerate(layout.poses)]
    filled = [k for k, cell in enumerate(cells) if cell.chosen.size]
    source = [
        k if cells[k].chosen.size else max(filled, key=lambda j: float(forward[j] @ forward[k]))
        for k in range(len(cells))
    ]
    return cells, source


def _centrality(unit: Floats, layout: TurnedGrid) -> Floats:
    """How near its frame's middle each mark lies in each frame, (K, frames); higher is nearer."""
    rows = []
    for pose in layout.poses:
        local = unit @ pose.matrix.T
        depth = np.where(local[:, 2] > 0.05, local[:, 2], np.nan)
        rows.append(-np.nan_to_num(np.max(np.abs(local[:, :2]), axis=1) / depth, nan=1e9))
    return np.stack(rows, axis=1)


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
    return [states[k].at(stop) for k in source]
