"""The settings that the kit's scales can show: rounded, focused again, with what the rounding costs."""

from __future__ import annotations

import math
from dataclasses import replace

from verispect.kit.scale_settings import dial
from verispect.optics.f_stops import marked
from verispect.optics.lens_state import LensState, tilt_and_swing_rad
from verispect.optics.movements import base_tilt_moves_mm, rounded
from verispect.optics.types import Vector
from verispect.plan.solve.focus_plane import focus_for
from verispect.plan.solve.problem import Problem
from verispect.plan.solve.stop_choice import best_stop, moving_weights, worst_at
from verispect.sentence import Sentence


def dialled_axis(problem: Problem, axis: Vector) -> Vector:
    """The axis that the marks of the scales give for a wanted one."""
    return dial(problem.lens, problem.scene.plan.kit.body, axis).axis


def as_set(problem: Problem, state: LensState) -> tuple[LensState, tuple[Sentence, ...]]:
    """One frame as it can be set, and notes about it."""
    axis = dialled_axis(problem, state.axis)
    found = state
    if axis != state.axis:
        weights = moving_weights(problem, state)
        found = focus_for(problem, f_number=state.f_number, axis=axis, weights=weights)
        found = found.at(best_stop(problem, found))
    step = problem.lens.lens.focus_scale_mm
    if step > 0.0:
        axial = found.image_distance_mm / found.axis[2]
        set_to = problem.shortest_image_mm + rounded(axial - problem.shortest_image_mm, step)
        found = replace(found, image_distance_mm=min(set_to, problem.longest_image_mm) * found.axis[2])
        found = found.at(best_stop(problem, found))
    notes = [*pivot_notes(problem, found)]
    if found is not state:
        before, after = worst_at(problem, state), worst_at(problem, found)
        notes.append(
            Sentence(
                "Set to the marks of the scales and at f/{stop}, the softest must goes from {before:.2f} to "
                "{after:.2f} of what is allowed",
                {"stop": marked(found.f_number), "before": before, "after": after},
            )
        )
    return found, tuple(notes)


def pivot_notes(problem: Problem, state: LensState) -> tuple[Sentence, ...]:
    """What a tilt about a pivot off the principal point does to the picture."""
    below = problem.lens.lens.tilt_base_mm
    tilt = tilt_and_swing_rad(state.axis)[0]
    notes: tuple[Sentence, ...] = ()
    if below > 0.0 and abs(tilt) > 1e-6:
        rise, ahead = base_tilt_moves_mm(tilt_rad=tilt, below_mm=below)
        notes = (
            Sentence(
                "The base tilt moves the lens {ahead:+.1f} mm forward and {rise:+.1f} mm up: take that back by focus "
                "and rise",
                {"ahead": ahead, "rise": rise},
            ),
        )
    across, up = (problem.lens.lens.tilt_pivot_mm * part for part in state.axis[:2])
    moved = math.hypot(across, up)
    if moved < 0.05:
        return notes
    values: dict[str, object] = {"moved": moved, "across": across, "up": up}
    if problem.pivot_offset_mm(state) == (0.0, 0.0):
        return (
            *notes,
            Sentence(
                "Tilting moves the picture by {moved:.1f} mm: shift the lens back by {across:+.1f} mm across and "
                "{up:+.1f} mm up",
                values,
            ),
        )
    anew = Sentence("Tilting moves the picture by {moved:.1f} mm on the sensor; frame anew after it", values)
    return (*notes, anew)
