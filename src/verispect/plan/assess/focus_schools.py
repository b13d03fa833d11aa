"""Where to focus one frame: the schools of practice and the optimum, each on the same marks.

The rules are common practice and have no source; docs/decisions/0006-focus-schools.md says how each is read.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from verispect.optics.blur import blur_axes_mm
from verispect.optics.conjugates import hyperfocal_mm, image_distance_for_object_mm
from verispect.optics.depth_of_field import focus_and_stop_for_limits
from verispect.optics.lens_state import LensState
from verispect.optics.types import Floats
from verispect.plan.frames.between import blur_per_defocus
from verispect.plan.frames.exposure import Exposure
from verispect.plan.solve.problem import Problem
from verispect.plan.solve.softness_polish import best_frame
from verispect.plan.solve.stop_choice import choose_stop, look_at_stops
from verispect.sentence import Sentence

# With fewer frames it is not told where a mark is sharp; more are not looked at together.
FEWEST_WAYS, MOST_WAYS = 3, 6
# Two that focus so alike, in allowed blurs, are one to a trial.
_ALIKE = 0.3


@dataclass(frozen=True)
class School:
    """One school's focus on one scene.

    Attributes
    ----------
    name : Sentence
    object_mm : float or None
        Where it focuses, from the front principal point along the view; None where it has no answer.
    f_number : float
        The best stop for that focus; NaN without an answer.
    softness : ndarray, shape (K,)
        Of the deciding marks at that stop.
    contrast : float
        Of the worst of them.
    image_mm : float
        Image distance of that focus.
    """

    name: Sentence
    object_mm: float | None
    f_number: float
    softness: Floats
    contrast: float = 0.0
    image_mm: float = math.nan

    @property
    def worst(self) -> float:
        """Softness of the worst mark; infinite without an answer."""
        return float(self.softness.max()) if self.object_mm is not None else math.inf


def schools_of(problem: Problem) -> list[School]:
    """Every school on the chosen marks of a problem, the optimum first."""
    optimum = best_frame(problem)
    depth = problem.points_from_lens_mm(optimum)[:, 2]
    near, far = float(depth.min()), float(depth.max())
    found = [_tried(problem, Sentence("the optimum: the softest must as sharp as can be"), optimum)]
    for name, object_mm in _rules(problem, near, far, optimum.f_number):
        if object_mm is None:
            found.append(School(name, None, math.nan, np.full(len(depth), np.inf)))
            continue
        reached = max(object_mm, 1.05 * problem.focal_mm)
        image = image_distance_for_object_mm(object_mm=reached, focal_mm=problem.focal_mm)
        image = min(max(image, problem.shortest_image_mm), problem.longest_image_mm)
        found.append(_tried(problem, name, problem.state(f_number=optimum.f_number, image_distance_mm=image)))
    found.append(_in_the_subject(problem, near))
    return found


def _in_the_subject(problem: Problem, near_mm: float) -> School:
    """Infinity, with the stop whose opening is the disc allowed on the nearest must: discs there are all that size.

    A lens focused on infinity blurs a point anywhere over a disc as wide as its opening, f/N, in the subject.
    """
    widest = problem.focal_mm**2 / (problem.criterion.disc_mm * near_mm)
    smaller = np.flatnonzero(problem.stops >= widest * (1.0 - 1e-9))
    row = int(smaller[0]) if smaller.size else len(problem.stops) - 1
    image = min(max(problem.focal_mm, problem.shortest_image_mm), problem.longest_image_mm)
    state = problem.state(f_number=float(problem.stops[row]), image_distance_mm=image)
    name = Sentence("infinity, with an opening as wide as the disc allowed on the nearest must")
    return _tried(problem, name, state, row=row)


def _a_third_up(problem: Problem) -> float:
    """Depth of the must that stands nearest to a third of the picture's height, counted from below."""
    scene = problem.scene
    points = problem.points_mm
    height = scene.picture_centre()[1] - scene.half_picture()[1] / 3.0
    return float(points[int(np.argmin(np.abs(points[:, 1] / points[:, 2] - height))), 2])


def _rules(problem: Problem, near: float, far: float, f_number: float) -> list[tuple[Sentence, float | None]]:
    circle = problem.criterion.disc_mm
    hyperfocal = hyperfocal_mm(focal_mm=problem.focal_mm, f_number=f_number, circle_mm=circle)
    equal, _ = focus_and_stop_for_limits(
        near_mm=near,
        far_mm=far * (1.0 + 1e-9),
        focal_mm=problem.focal_mm,
        circle_mm=circle,
        pupil_magnification=problem.lens.pupil_magnification,
    )
    return [
        (Sentence("a third of the way to the farthest must"), far / 3.0),
        (Sentence("twice as much behind as before: a third of the depth"), near + (far - near) / 3.0),
        (Sentence("equal blur on the nearest and the farthest must"), equal),
        (Sentence("the hyperfocal distance at this stop"), hyperfocal),
        (Sentence("the farthest must"), far),
        (Sentence("what stands a third up the picture"), _a_third_up(problem)),
        (Sentence("infinity"), math.inf),
        (Sentence("the nearest must"), near),
    ]


def for_a_trial(problem: Problem, schools: Sequence[School], f_number: float) -> list[tuple[Sentence, Exposure]]:
    """The schools to hold against one another on one's own frames, all at one stop, from the nearest focus on.

    Those that focus alike are one; of more than can be looked at together the first.
    """
    kept: list[tuple[Sentence, Exposure]] = []
    for school in schools:
        if not math.isfinite(school.image_mm):
            continue
        exposure = problem.exposure(problem.state(f_number=f_number, image_distance_mm=school.image_mm))
        alike = _ALIKE * exposure.allowed_blur_mm / blur_per_defocus(exposure)
        for number, (name, other) in enumerate(kept):
            if abs(other.state.image_distance_mm - school.image_mm) <= alike:
                kept[number] = Sentence("{school}; also {other}", {"school": name, "other": school.name}), other
                break
        else:
            if len(kept) < MOST_WAYS:
                kept.append((school.name, exposure))
    return sorted(kept, key=lambda way: -way[1].state.image_distance_mm)


def _tried(problem: Problem, name: Sentence, state: LensState, row: int | None = None) -> School:
    """A focus at its best stop, or at the stop of a given row."""
    softness, contrast = look_at_stops(problem, state)
    if row is None:
        row = choose_stop(problem.criterion, softness, contrast)
    stop = float(problem.stops[row])
    v = state.image_distance_mm
    object_mm = math.inf if v <= problem.focal_mm else problem.focal_mm * v / (v - problem.focal_mm)
    # Of one stop alone, which need not be one where contrast is more than ripples.
    points, chosen = problem.points_from_lens_mm(state), state.at(stop)
    smears, residuals = problem.spoilers_mm(chosen, points)
    blur = blur_axes_mm(points, chosen)[0]
    least = problem.criterion.contrast(blur, chosen.working_f_number, smears, residuals).min()
    return School(name, object_mm, stop, softness[row], float(least), v)
