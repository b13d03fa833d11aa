"""Shifted grid: frames side by side in one image plane, by shift, with one focus for all."""

from __future__ import annotations

import math

import numpy as np

from verispect.kit.focal_choice import grid_focals_mm
from verispect.optics.image_circle import circle_share, corner_points_mm
from verispect.optics.lens_state import LensState
from verispect.plan.methods.candidate import Candidate, unfit, worked_out
from verispect.plan.methods.lens_search import (
    best_of,
    circle_reason,
    corner_reserve_mm,
    focus_notes,
    hindered_by_its_shift,
    nearer_than_focal,
    with_even_weights,
)
from verispect.plan.scene.scene import Scene
from verispect.plan.solve.focus_plane import focus_for
from verispect.plan.solve.grid_layout import shifted_centres_mm
from verispect.plan.solve.held_shifts import held_centres_mm
from verispect.plan.solve.problem import Problem, problem_for
from verispect.plan.solve.stop_choice import best_stop
from verispect.sentence import Sentence


def shift_grid(scene: Scene) -> Candidate:
    """The best shifted grid, with whichever shifting lens does it best."""
    attempts: list[Candidate] = []
    tried: list[Problem] = []
    for lens in scene.plan.kit.lenses:
        if lens.shift_mm <= 0.0 and scene.plan.kit.body.back_shift_mm <= 0.0:
            reason = Sentence("{lens} does not shift", {"lens": lens.name})
            attempts.append(unfit("shift-grid", scene, reason))
            continue
        focals = grid_focals_mm(lens, scene.plan.whole_focal_mm)
        if not focals:
            reason = hindered_by_its_shift(scene, lens) or Sentence(
                "{lens} shows the whole picture in one frame", {"lens": lens.name}
            )
            attempts.append(unfit("shift-grid", scene, reason))
        for focal in focals:
            problem = problem_for(scene, lens, focal)
            attempts.append(with_even_weights(problem, _attempt))
            tried.append(problem)
    return best_of("shift-grid", scene, attempts, tried)


def _attempt(problem: Problem) -> Candidate:
    scene = problem.scene
    too_near = nearer_than_focal(problem)
    if too_near:
        return unfit("shift-grid", scene, too_near)
    state = focus_for(problem, f_number=problem.middle_stop, weights=problem.weights)
    state = state.at(best_stop(problem, state))
    if state.bend is not None:
        state = focus_for(problem, f_number=state.f_number, weights=problem.weights)
    # The picture is an angle seen from the entrance pupil; a lens that breathes draws it with what it has there.
    scale = problem.breathed(state).pupil_scale_mm
    laid = _laid_out(problem, scale)
    if laid is None:
        return unfit(
            "shift-grid",
            scene,
            Sentence(
                "{lens} shifts {limit:g} mm along the directions that its mount holds: at {focal:.0f} mm no grid "
                "along them covers the picture",
                {"lens": problem.lens.name, "limit": problem.lens.shift_mm, "focal": problem.focal_mm},
            ),
        )
    centres, columns = laid
    longest = max(math.hypot(*centre) for centre in centres)
    if longest > problem.lens.shift_mm:
        reason = Sentence(
            "{lens} shifts {limit:g} mm; at {focal:.0f} mm the grid needs {needed:.1f} mm",
            {
                "lens": problem.lens.name,
                "limit": problem.lens.shift_mm,
                "focal": problem.focal_mm,
                "needed": longest,
            },
        )
        return unfit("shift-grid", scene, reason)
    reserve = min(corner_reserve_mm(problem, state, centre) for centre in centres)
    if reserve < -1e-6:
        return unfit("shift-grid", scene, circle_reason(problem, reserve))
    too_dark = _too_dark(problem, state, centres)
    if too_dark is not None:
        return unfit("shift-grid", scene, too_dark)
    exposures = [problem.exposure(state, centre) for centre in centres]
    rows = len(centres) // columns
    note = _parallax_note(problem, state, longest)
    return worked_out(
        "shift-grid",
        problem,
        exposures,
        notes=(note, *focus_notes(problem, state)),
        grid_cells=(columns,) * rows,
    )


def _laid_out(problem: Problem, scale: float) -> tuple[list[tuple[float, float]], int] | None:
    """Centres and columns for a picture drawn so many mm to a tangent; None where the mount holds none that cover."""
    scene, mount = problem.scene, problem.lens.lens
    width, height = (2.0 * half * scale for half in scene.half_picture())
    across, up = (float(at) for at in scene.picture_centre() * -scale)
    sensor, overlap = scene.plan.sensor_mm, scene.plan.wish.overlap
    # A back with cross and rise of its own reaches every place, whatever the lens's mount holds.
    if mount.tilt_mount == "rotating" and mount.detents_deg is not None and problem.lens.back_shift_mm <= 0.0:
        return held_centres_mm(
            picture_mm=(width, height), sensor_mm=sensor, middle_mm=(across, up), overlap=overlap,
            detents_deg=mount.detents_deg, limit_mm=problem.lens.shift_mm, step_mm=mount.shift_scale_mm,
        )  # fmt: skip
    centres, columns = shifted_centres_mm(
        picture_mm=(width, height), sensor_mm=sensor, overlap=overlap, step_mm=mount.shift_scale_mm
    )
    return [(x + across, y + up) for x, y in centres], columns


def _too_dark(problem: Problem, state: LensState, centres: list[tuple[float, float]]) -> Sentence | None:
    """Where a frame would lose more light in its farthest corner than is allowed."""
    allowed = problem.scene.plan.wish.falloff_stops
    if allowed is None or problem.lens.lens.falloff_stops <= 0.0:
        return None
    circle = problem.lens.circle_mm(problem.scene.plan.kit.body.diagonal_mm)
    corners = np.concatenate([corner_points_mm(problem.used_size_mm, centre) for centre in centres])
    lost = float(problem.lens.falloff_at(circle_share(corners, problem.breathed(state), circle)).max())
    if lost <= allowed + 1e-9:
        return None
    return Sentence(
        "{lens} loses {lost:.1f} stops in the farthest corner of a grid at {focal:.0f} mm; {allowed:g} are allowed, "
        "so it must stop short of its circle",
        {"lens": problem.lens.name, "lost": lost, "focal": problem.focal_mm, "allowed": allowed},
    )


def _parallax_note(problem: Problem, state: LensState, longest_mm: float) -> Sentence:
    """Whether the back can do it alone; if the lens has to move, near parts from far by the shift, seen small."""
    if longest_mm <= problem.lens.back_shift_mm:
        return Sentence("Move the back, not the lens, or near things will not join with far ones")
    depth = problem.points_mm[:, 2]
    moved = max(longest_mm - problem.lens.back_shift_mm, 0.0)
    apart = 2.0 * moved * state.pupil_scale_mm * (1.0 / float(depth.min()) - 1.0 / float(depth.max()))
    return Sentence(
        "The lens moves by up to {moved:.1f} mm each way: between the outermost frames near parts from far by "
        "{pixels:.0f} pixels; hold the lens and move the camera back instead where you can",
        {"moved": moved, "pixels": apart / problem.scene.plan.kit.body.pixel_mm},
    )
