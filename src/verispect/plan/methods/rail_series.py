"""Rail series: the focus stays, and the camera moves along its view on a rail; for close work.

The step is the depth of field at the magnification set; perspective changes with the camera's place
(docs/derivations/series.md).
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from verispect.optics.conjugates import image_distance_for_object_mm, object_for_image_distance_mm
from verispect.optics.criterion import Rule
from verispect.optics.depth_of_field import image_limits_mm
from verispect.optics.lens_state import LensState
from verispect.plan.methods.candidate import Candidate, unfit, worked_out
from verispect.plan.methods.lens_search import circle_reason, corner_reserve_mm, focus_notes, with_every_lens
from verispect.plan.methods.series import no_stop
from verispect.plan.scene.scene import Scene
from verispect.plan.solve.focus_ladder import MOST_FRAMES
from verispect.plan.solve.problem import Problem
from verispect.plan.solve.stop_cost import cheapest
from verispect.sentence import Sentence

# In focal lengths from the front principal point to the nearest thing at the foremost place; ten times life size
# is taken from 1.1.
_CLEAR = 1.05
# Kept off the limit, so that rounding cannot push a mark past it.
_SLACK = 1.0 - 1e-6


def rail_series(scene: Scene) -> Candidate:
    """The rail series of fewest frames, with whichever lens needs fewest."""
    if scene.plan.kit.rail is None:
        return unfit("rail-series", scene, Sentence("The kit has no focusing rail"))
    return with_every_lens("rail-series", scene, _attempt)


def _attempt(problem: Problem) -> Candidate:
    scene, rail = problem.scene, problem.scene.plan.kit.rail
    assert rail is not None
    flat = problem.state(f_number=problem.middle_stop, image_distance_mm=problem.focal_mm)
    depth = problem.points_from_lens_mm(flat)[:, 2]
    near, far = float(depth.min()), float(depth.max())
    middle = 0.5 * (near + far)
    v = image_distance_for_object_mm(object_mm=middle, focal_mm=problem.focal_mm)
    if not problem.shortest_image_mm <= v <= problem.longest_image_mm:
        reason = Sentence("{lens} does not focus at {middle:.2f} m, the middle of the depth",
                          {"lens": problem.lens.name, "middle": middle / 1000.0})  # fmt: skip
        return unfit("rail-series", scene, reason)
    best = _best_steps(problem, v, near, far)
    if best is None:
        return unfit("rail-series", scene, no_stop(problem))
    state, places = best
    travel = float(places[-1] - places[0]) if len(places) else 0.0
    refused = _out_of_reach(problem, travel, near - float(places.max()), rail.travel_mm)
    if refused:
        return unfit("rail-series", scene, refused)
    reserve = corner_reserve_mm(problem, state)
    if reserve < -1e-6:
        return unfit("rail-series", scene, circle_reason(problem, reserve))
    exposures = []
    for place in places:
        pose = replace(scene.pose, pupil_m=scene.pose.pupil_m + scene.pose.forward * float(place) / 1000.0)
        exposures.append(problem.looking(pose, problem.chosen).exposure(state))
    notes = (*_notes(near, far, places), *focus_notes(problem, state))
    return worked_out("rail-series", problem, exposures, notes=notes)


def _best_steps(problem: Problem, v: float, near: float, far: float) -> tuple[LensState, np.ndarray] | None:
    """The stop of least burden, of equals that with the most contrast, and the camera's places in mm."""
    criterion = problem.criterion
    working = problem.stops * (1.0 + (v / problem.focal_mm - 1.0) / problem.lens.pupil_magnification)
    allowed = criterion.allowed_blur_mm(working)
    found: list[tuple[float, float, LensState, np.ndarray]] = []
    for stop, blur, n in zip(problem.stops, allowed, working, strict=True):
        if not np.isfinite(blur) or blur <= 0.0:
            continue
        state = problem.state(f_number=float(stop), image_distance_mm=v)
        used = float(blur) * _SLACK * problem.scene.blur_share
        front, back = depth_at(state, used)
        if math.isinf(back):
            # From there on everything is sharp: back far enough for the nearest, one frame does.
            count, share, places = 1, 1.0, np.array([min(0.0, near - front)])
        else:
            count = max(1, math.ceil((far - near) / (back - front) - 1e-9))
            # Evenly from the place that has the nearest just sharp to that which has the farthest so.
            step = (far - near) / count
            share = step / (back - front)
            places = near + step * (np.arange(count) + 0.5) - 0.5 * (front + back)
        if count > MOST_FRAMES:
            continue
        quality = -float(criterion.contrast(min(share, 1.0) * used, n))
        if criterion.rule == Rule.ROOT_SUM:
            quality = float(criterion.softness(np.asarray(share * used), n))
        if criterion.rule == Rule.DISC:
            quality = float(stop)
        found.append((float(count), quality, state, places))
    if not found:
        return None
    counts = np.array([row[0] for row in found])
    stops = np.array([row[2].f_number for row in found])
    cheap = cheapest(problem, counts, stops, problem.scene.plan.kit.times.rail_s)
    _, _, state, places = min((row for row, ok in zip(found, cheap, strict=True) if ok), key=lambda row: row[1])
    return state, places


def depth_at(state: LensState, allowed_blur_mm: float) -> tuple[float, float]:
    """Near and far limit from the front principal point, mm, of a straight lens at any magnification."""
    farther, nearer = image_limits_mm(state, allowed_blur_mm)
    front = object_for_image_distance_mm(image_mm=nearer, focal_mm=state.focal_mm) if math.isfinite(nearer) else 0.0
    return front, object_for_image_distance_mm(image_mm=farther, focal_mm=state.focal_mm)


def _out_of_reach(problem: Problem, travel: float, clear: float, rail_mm: float) -> Sentence | None:
    if travel > rail_mm:
        return Sentence(
            "The rail travels {rail:g} mm; this depth needs {travel:.0f} mm", {"rail": rail_mm, "travel": travel}
        )
    if clear < _CLEAR * problem.focal_mm:
        return Sentence(
            "At its foremost place {lens} would come within {clear:.0f} mm of the nearest thing",
            {"lens": problem.lens.name, "clear": max(clear, 0.0)},
        )
    return None


def _notes(near: float, far: float, places: np.ndarray) -> tuple[Sentence, ...]:
    if len(places) < 2:
        return ()
    step, middle = float(places[1] - places[0]), 0.5 * (near + far)
    # How much larger the middle of the depth is drawn from the foremost place than from the rearmost.
    growth = (middle - float(places[0])) / (middle - float(places[-1])) - 1.0
    return (
        Sentence(
            "Move the camera {step:.3g} mm between frames; between the first and the last the middle of the depth "
            "grows by {growth:.0f} %, which the merge must take out",
            {"step": step, "growth": 100.0 * growth},
        ),
    )
