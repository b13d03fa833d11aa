"""Trying a method with every lens of the kit and keeping the best."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import replace

import numpy as np

from verispect.kit.focal_choice import single_frame_focal_mm
from verispect.kit.lens import Lens
from verispect.kit.mounted_lens import focal_range
from verispect.optics.image_circle import circle_reserve_mm, corner_points_mm
from verispect.optics.lens_state import FORWARD, LensState
from verispect.optics.types import Floats
from verispect.plan.methods.candidate import Candidate, record_of, unfit
from verispect.plan.methods.ranking import better, ranked
from verispect.plan.scene.scene import Scene
from verispect.plan.solve.problem import Problem, problem_for
from verispect.sentence import Sentence

# How much the shoulds count beside the musts, in tries one after the other.
_SHOULDS = (1.0, 0.6, 0.35, 0.2)
# In focal lengths before the front principal point: at 1.05 a thing is drawn twenty times as large as it is.
_NO_NEARER = 1.05

Attempt = Callable[[Problem], Candidate]


def best_of(key: str, scene: Scene, attempts: Iterable[Candidate], tried: Iterable[Problem] = ()) -> Candidate:
    """The best of several, with a record of what was tried; where none fits, all their reasons."""
    found = ranked(list(attempts))
    if not found or not found[0].fits:
        reasons: list[Sentence] = []
        for candidate in found:
            reasons.extend(reason for reason in candidate.why_not if reason not in reasons)
        return unfit(key, scene, *reasons)
    others = tuple(candidate for candidate in found[1:] if candidate.is_sharp)
    return replace(found[0], others=others, record=record_of(tried))


def with_every_lens(key: str, scene: Scene, attempt: Attempt) -> Candidate:
    """A method that takes the whole picture on each frame, tried with every lens that sees it."""
    attempts: list[Candidate] = []
    tried: list[Problem] = []
    framing = scene.plan.whole_focal_mm
    for lens in scene.plan.kit.lenses:
        focal = single_frame_focal_mm(lens, framing)
        if focal is None:
            reason = Sentence(
                "{lens} sees too little: its shortest focal length is {focal:g} mm, the picture needs "
                "{framing:g} mm or less",
                {"lens": lens.name, "focal": focal_range(lens)[0], "framing": framing},
            )
            attempts.append(unfit(key, scene, reason))
            continue
        problem = _taking_it_in(scene, lens, focal)
        hindered = nearer_than_focal(problem) or shifts_too_far(problem)
        attempts.append(unfit(key, scene, hindered) if hindered else _attempted(problem, attempt))
        wider = None if hindered else _with_its_rim(problem, attempts[-1])
        if wider is not None:
            attempts.append(_attempted(wider, attempt))
        if attempts[-1].fits:
            tried.append(problem)
    return best_of(key, scene, attempts, tried)


def _taking_it_in(scene: Scene, lens: Lens, focal_mm: float) -> Problem:
    """A lens that cannot shift as far as the picture asks, set as much wider as takes it in without."""
    problem = problem_for(scene, lens, focal_mm)
    if shifts_too_far(problem) is None:
        return problem
    plan = scene.plan
    tangents = np.abs(scene.picture_centre()) + scene.half_picture()
    wider = float(np.min(0.5 * np.asarray(plan.sensor_mm) / tangents))
    shortest = focal_range(lens)[0]
    return problem_for(scene, lens, max(wider, shortest)) if shortest <= wider < focal_mm else problem


def _with_its_rim(problem: Problem, found: Candidate) -> Problem | None:
    """A zoom set a little wider where a mark at the picture's edge falls off the frames that are focused near."""
    scene, rendering = problem.scene, found.rendering
    if rendering is None or not np.any(~rendering.inside & scene.deciding & ~scene.outside_picture):
        return None
    scales = [exposure.state.pupil_scale_mm for exposure in found.exposures]
    wider = problem.focal_mm * problem.focal_mm / max(scales) * 0.999
    lens = problem.lens.lens
    return problem_for(scene, lens, wider) if wider >= focal_range(lens)[0] else None


def hindered_by_its_shift(scene: Scene, lens: Lens) -> Sentence | None:
    """Why a lens that is short enough does not show the picture in one frame; None where it does, or is too long."""
    focal = single_frame_focal_mm(lens, scene.plan.whole_focal_mm)
    return None if focal is None else shifts_too_far(_taking_it_in(scene, lens, focal))


def shifts_too_far(problem: Problem) -> Sentence | None:
    """A sentence where the picture lies farther off the lens's axis than the lens shifts."""
    needed = math.hypot(*problem.shifted_to_mm)
    if needed <= problem.lens.shift_mm + 1e-9:
        return None
    return Sentence(
        "{lens} shifts {limit:g} mm; at {focal:.0f} mm the picture needs {needed:.1f} mm",
        {"lens": problem.lens.name, "limit": problem.lens.shift_mm, "focal": problem.focal_mm, "needed": needed},
    )


def _attempted(problem: Problem, attempt: Attempt) -> Candidate:
    """An attempt; where every must holds and a should does not, the best for the shoulds that still holds the musts.

    The rule stands in docs/decisions/0011-shoulds.md. It spends focus, plane and stop, never frames.
    """
    found = _breathing(problem, attempt)
    if not found.is_sharp or not found.loose_shoulds or found.frame_count > 1:
        return found
    scene = problem.scene
    both = problem.looking(problem.pose, np.flatnonzero(scene.deciding | scene.shoulds_in_picture))
    for counts in _SHOULDS:
        tried = _breathing(replace(both, should_counts=counts), attempt)
        if tried.is_sharp and _for_shoulds(tried) < _for_shoulds(found):
            found = tried
        if not found.loose_shoulds:
            break
    # The margin of what is found is told of the musts, as everywhere.
    return replace(found, problem=replace(found.problem, chosen=problem.chosen)) if found.problem else found


def _for_shoulds(candidate: Candidate) -> tuple[float, float]:
    """Less is better: how many shoulds are not sharp, then how soft the worst of them is."""
    return float(len(candidate.loose_shoulds)), candidate.worst_should


def _breathing(problem: Problem, attempt: Attempt) -> Candidate:
    """An attempt; with a tilted lens that focuses internally once more, with the focal length it then has."""
    found = with_even_weights(problem, attempt)
    internal = problem.lens.closest_focal_mm != problem.lens.focal_mm
    if not internal or not found.exposures or found.exposures[0].state.axis == FORWARD:
        return found
    middle = found.exposures[len(found.exposures) // 2].state
    return with_even_weights(problem.focused_near(middle), attempt)


def with_even_weights(problem: Problem, attempt: Attempt) -> Candidate:
    """An attempt; where weights keep it from holding, the better of it and one in which all marks count alike."""
    found = attempt(problem)
    if found.is_sharp or not found.fits or not np.ptp(problem.weights) > 0.0:
        return found
    return better(found, attempt(replace(problem, even=True)))


def nearer_than_focal(problem: Problem) -> Sentence | None:
    """A sentence where a mark lies too near for this focal length to form an image of it."""
    depth = problem.scene.depth_mm + problem.focal_mm * (1.0 - 1.0 / problem.lens.pupil_magnification)
    worst = int(depth.argmin())
    if depth[worst] > _NO_NEARER * problem.focal_mm:
        return None
    return Sentence(
        "{mark} is {depth:.0f} mm before {lens}, too near for its focal length of {focal:g} mm to form an image",
        {
            "mark": problem.scene.names[worst],
            "depth": float(depth[worst]),
            "lens": problem.lens.name,
            "focal": problem.focal_mm,
        },
    )


def corner_reserve_mm(problem: Problem, state: LensState, centre_mm: tuple[float, float] | None = None) -> float:
    """How far the worst used corner lies within the image circle; negative outside."""
    return float(corner_reserves_mm(problem, state, centre_mm).min())


def corner_reserves_mm(problem: Problem, state: LensState, centre_mm: tuple[float, float] | None = None) -> Floats:
    """How far each used corner (4,) lies within the image circle; negative outside."""
    if centre_mm is None:
        region, pivot = problem.region_centre_mm, problem.pivot_offset_mm(state)
        centre_mm = (region[0] + pivot[0], region[1] + pivot[1])
    circle = problem.lens.circle_mm(problem.scene.plan.kit.body.diagonal_mm)
    # A straight lens that focuses internally stands nearer to the sensor than its scale would have it.
    return circle_reserve_mm(corner_points_mm(problem.used_size_mm, centre_mm), problem.breathed(state), circle)


def circle_reason(problem: Problem, reserve_mm: float) -> Sentence:
    """Why a lens whose circle is too small cannot do it."""
    return Sentence(
        "The image circle of {lens} misses a corner of the sensor by {miss:.1f} mm",
        {"lens": problem.lens.name, "miss": -reserve_mm},
    )


def focus_notes(problem: Problem, *states: LensState) -> tuple[Sentence, ...]:
    """What to know about the ends of the focusing range that these states run into."""
    axial = [state.image_distance_mm / state.axis[2] for state in states]
    notes = []
    if max(axial) >= problem.longest_image_mm * (1.0 - 1e-9):
        notes.append(
            Sentence(
                "{lens} stops at its closest focus, {closest:g} m; a nearer focus would serve better",
                {"lens": problem.lens.name, "closest": problem.lens.lens.closest_m},
            )
        )
    if min(axial) < problem.shortest_image_mm * (1.0 - 1e-9):
        notes.append(
            Sentence(
                "Focus stands {beyond:.2f} mm beyond the infinity mark; check that {lens} goes there",
                {"beyond": problem.shortest_image_mm - min(axial), "lens": problem.lens.name},
            )
        )
    return tuple(notes)
