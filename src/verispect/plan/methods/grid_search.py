"""Trying a grid on a turning head with every lens, and a zoom at many focal lengths."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from verispect.kit.focal_choice import grid_focals_mm
from verispect.kit.lens import Lens
from verispect.optics.lens_state import focus_image_distance_mm
from verispect.optics.types import Floats
from verispect.plan.document import Aim, Covers
from verispect.plan.methods.candidate import Candidate, unfit
from verispect.plan.methods.lens_search import best_of, nearer_than_focal
from verispect.plan.scene.scene import Scene
from verispect.plan.solve.grid_assignment import DEEPEST, SUM, owners
from verispect.plan.solve.grid_estimate import Prospect
from verispect.plan.solve.grid_layout import TurnedGrid, fewest_cells, turned_grid_poses
from verispect.plan.solve.problem import Problem, problem_for
from verispect.plan.solve.stop_cost import TIE
from verispect.sentence import Sentence

GridAttempt = Callable[[Problem, list[Problem], list[int], tuple[int, ...]], Candidate]
Estimate = Callable[[Problem, list[Problem], Covers], Prospect]
# So many grids are worked out in full while none of them holds.
_MOST_TRIED = 6
# Of the allowed blur: a grid within it is sharp enough not to look for a sharper one of as many frames.
_COMFORTABLE = 0.75


@dataclass(frozen=True)
class _Grid:
    """A layout that may be worked out: the whole, the problems of its cells, and whose focus each cell takes."""

    problem: Problem
    cells: list[Problem]
    source: list[int]
    rows: tuple[int, ...]
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
        held = [found for found in attempts if found.holds and not found.loses]
        if len(attempts) >= _MOST_TRIED or (held and not _worth_a_look(grid, held)):
            break
        attempts.append(attempt(grid.problem, grid.cells, grid.source, grid.rows))
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
        exposed = sum(exposure.shutter_s for exposure in quickest.exposures)
        if exposed > TIE * quickest.run_s:
            # In the dark as many frames, or more, may be done sooner with another lens.
            return (grid.prospect.frames - 1.0) * (times.settle_s + times.write_s) < quickest.run_s
    return grid.prospect.frames < fewest


def _grids(
    key: str, scene: Scene, estimate: Estimate, refused: list[Candidate], tried: list[Problem]
) -> Iterator[_Grid]:
    """Every layout that may be worth it; what was looked at goes to `tried`, reasons against it to `refused`."""
    framing, covers = scene.plan.camera.framing_mm, scene.plan.wish.series_covers
    choices: list[tuple[Floats, Lens, float]] = []
    for lens in scene.plan.kit.lenses:
        focals = grid_focals_mm(lens, framing)
        if not focals:
            reason = Sentence(
                "{lens} is no longer than the framing, {framing:g} mm: one frame shows it all",
                {"lens": lens.name, "framing": framing},
            )
            refused.append(unfit(key, scene, reason))
        choices.extend((_half_frame(problem_for(scene, lens, focal)), lens, focal) for focal in focals)
    fewest = math.inf
    # Large frames, and few of them, first.
    for half_frame, lens, focal in sorted(choices, key=lambda choice: choice[2]):
        problem = problem_for(scene, lens, focal)
        too_near = nearer_than_focal(problem)
        if too_near:
            refused.append(unfit(key, scene, too_near))
            continue
        tried.append(problem)
        if _in_vain(scene, half_frame, fewest):
            continue
        layout = _layout(scene, half_frame)
        if layout is None:
            reason = Sentence(
                "A grid with {lens} at {focal:.0f} mm would pass straight overhead or need too many frames",
                {"lens": problem.lens.name, "focal": problem.focal_mm},
            )
            refused.append(unfit(key, scene, reason))
            continue
        cells, source = cells_of(problem, layout, half_frame, DEEPEST if key == "turned-grid" else SUM)
        prospect = estimate(problem, cells, covers)
        fewest = min(fewest, prospect.frames)
        yield _Grid(problem, cells, source, layout.rows, prospect)


def _in_vain(scene: Scene, half_frame: Floats, fewest: float) -> bool:
    """Whether a grid surely has more cells than another needs frames, where frames are what counts."""
    if math.isinf(fewest) or scene.plan.wish.priority not in (Aim.FRAMES, Aim.MERGING):
        return False
    cells = fewest_cells(
        pose=scene.pose,
        half_picture=scene.half_picture(),
        half_frame=half_frame,
        overlap=scene.plan.wish.overlap,
        centre=scene.picture_centre(),
    )
    return cells > fewest


def _layout(scene: Scene, half_frame: Floats) -> TurnedGrid | None:
    return turned_grid_poses(
        pose=scene.pose,
        half_picture=scene.half_picture(),
        half_frame=half_frame,
        overlap=scene.plan.wish.overlap,
        centre=scene.picture_centre(),
    )


def _half_frame(problem: Problem) -> Floats:
    """Half a frame as tangents at the longest image distance in use, where it sees least."""
    sharp_at = focus_image_distance_mm(problem.points_mm, focal_mm=problem.focal_mm)
    usable = sharp_at[(sharp_at > 0.0) & np.isfinite(sharp_at)]
    nearest = float(usable.max()) if usable.size else problem.focal_mm
    longest = min(max(nearest, problem.focal_mm), problem.longest_image_mm)
    found: Floats = np.asarray(problem.scene.plan.sensor_mm) / (2.0 * longest)
    return found


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
    sharp_at = focus_image_distance_mm(problem.points_mm, focal_mm=problem.focal_mm)
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
