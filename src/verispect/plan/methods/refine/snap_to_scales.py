"""The settings that the kit's scales can show: rounded, focused again, with what the rounding costs."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import product

from verispect.kit.scale_settings import dial
from verispect.optics.f_stops import marked
from verispect.optics.lens_state import LensState, tilt_and_swing_rad
from verispect.optics.movements import base_tilt_moves_mm
from verispect.optics.types import Vector
from verispect.plan.methods.lens_search import corner_reserve_mm
from verispect.plan.solve.focus_plane import focus_for
from verispect.plan.solve.problem import Problem
from verispect.plan.solve.stop_choice import best_stop, judged, moving_weights, worst_at
from verispect.sentence import Sentence


def dialled_axis(problem: Problem, axis: Vector) -> Vector:
    """The axis that the marks of the scales give for a wanted one."""
    return dial(problem.lens, problem.scene.plan.kit.body, axis).axis


def as_set(problem: Problem, state: LensState) -> tuple[LensState, tuple[Sentence, ...]]:
    """One frame as it can be set, and notes about it."""
    tried = [
        on_focus_scale
        for axis in _axes_on_scale(problem, state.axis)
        for on_focus_scale in _on_focus_scale(problem, _focused(problem, state, axis))
    ]
    # The nearest marks are not always the best, and may darken a corner that the exact tilt left lit.
    lit = min(0.0, corner_reserve_mm(problem, state)) - 1e-6
    able = [found for found in tried if corner_reserve_mm(problem, found) >= lit] or tried
    found = able[0] if len(able) == 1 else min(able, key=lambda tried: judged(problem, tried))
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


def _axes_on_scale(problem: Problem, axis: Vector) -> list[Vector]:
    """What the marks about a wanted axis give, the nearest first; the axis itself where no scale has marks."""
    body = problem.scene.plan.kit.body
    nearest = dialled_axis(problem, axis)
    step = math.sin(math.radians(max(problem.lens.lens.tilt_scale_deg, body.angle_scale_deg)))
    if nearest == axis or step == 0.0:
        return [nearest]
    found = [nearest]
    for across, up in product((0.0, -step, step), repeat=2):
        ax, ay = axis[0] + across, axis[1] + up
        marks = dialled_axis(problem, (ax, ay, math.sqrt(1.0 - ax * ax - ay * ay)))
        # A mount that does one movement alone keeps to it.
        wanted = all(abs(part) < 1e-9 for part, own in zip(marks[:2], axis[:2], strict=True) if abs(own) < 1e-12)
        if wanted and marks not in found:
            found.append(marks)
    return found


def _focused(problem: Problem, state: LensState, axis: Vector) -> LensState:
    if axis == state.axis:
        return state
    weights = moving_weights(problem, state)
    found = focus_for(problem, f_number=state.f_number, axis=axis, weights=weights)
    return found.at(best_stop(problem, found))


def _on_focus_scale(problem: Problem, state: LensState) -> list[LensState]:
    """The state at the two marks of the focusing scale beside it; as it is where the scale has none."""
    step = problem.lens.lens.focus_scale_mm
    if step <= 0.0:
        return [state]
    beyond = state.image_distance_mm / state.axis[2] - problem.shortest_image_mm
    found = []
    for count in {math.floor(beyond / step + 1e-9), math.ceil(beyond / step - 1e-9)}:
        set_to = min(problem.shortest_image_mm + count * step, problem.longest_image_mm)
        marked_state = replace(state, image_distance_mm=set_to * state.axis[2])
        found.append(marked_state.at(best_stop(problem, marked_state)))
    return found


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
                {"ahead": ahead, "rise": round(rise, 1) + 0.0},
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
