"""Focus series: several frames at planned focus distances, to be merged."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np

from verispect.optics.lens_state import FORWARD
from verispect.optics.types import Vector
from verispect.plan.document import Covers
from verispect.plan.frames.between import blur_between
from verispect.plan.methods.candidate import Candidate, unfit, worked_out
from verispect.plan.methods.lens_search import (
    circle_reason,
    corner_reserve_mm,
    focus_notes,
    with_every_lens,
)
from verispect.plan.scene.scene import Scene
from verispect.plan.solve.focus_ladder import FocusLadder, fewest_frames
from verispect.plan.solve.problem import Problem
from verispect.sentence import Sentence

# Nobody takes more frames than this for what need not be sharp.
_MOST_SPARE = 300
# Of the allowed blur, for lenses that grow longer as they focus near.
_SHARES = (0.95, 0.9, 0.8, 0.65, 0.5, 0.4)
# Frames of other lenses just touch, as far as numbers are exact.
_EXACT = 1e-4


def series(scene: Scene) -> Candidate:
    """The series of fewest frames, with whichever lens needs fewest."""
    return with_every_lens("series", scene, _attempt)


def no_stop(problem: Problem) -> Sentence:
    """Why a series cannot help: even perfect focus is not sharp enough, or what moves smears too much."""
    scene = problem.scene
    if problem.speeds_mm_s.any() and not scene.own_speeds_mm_s.any() and not scene.plan.camera.hand_held:
        return Sentence(
            "No stop of {lens} renders the wanted detail while the tripod still swings, {wait:.1f} s after a touch; "
            "wait longer, or put the column down",
            {"lens": problem.lens.name, "wait": scene.plan.kit.times.waited_s},
        )
    if problem.speeds_mm_s.any():
        return Sentence(
            "No stop of {lens} renders the wanted detail on what moves in this light, however it is focused; wait "
            "for stillness, bring light, or ask for less",
            {"lens": problem.lens.name},
        )
    return Sentence(
        "No stop of {lens} renders the wanted detail even in perfect focus; print smaller or ask for less",
        {"lens": problem.lens.name},
    )


def from_ladder(key: str, problem: Problem, ladder: FocusLadder, axis: Vector) -> Candidate:
    """The candidate of a ladder of image distances."""
    if len(ladder.image_distances_mm) == 0:
        return unfit(key, problem.scene, no_stop(problem))
    distances, spare = with_spares(problem, ladder, axis)
    states = [problem.state(f_number=ladder.f_number, image_distance_mm=v, axis=axis) for v in distances]
    reserve = min(corner_reserve_mm(problem, state) for state in states)
    if reserve < -1e-6:
        return unfit(key, problem.scene, circle_reason(problem, reserve))
    exposures = [problem.exposure(state) for state in states]
    return worked_out(key, problem, exposures, notes=(*focus_notes(problem, *states), *spare))


def with_spares(problem: Problem, ladder: FocusLadder, axis: Vector) -> tuple[list[float], tuple[Sentence, ...]]:
    """The image distances of a ladder from near to far, with the frames that were asked for beyond its ends."""
    wish = problem.scene.plan.wish
    found = sorted((float(v) for v in ladder.image_distances_mm), reverse=True)
    if len(found) < 2:
        # One frame does for all: there is no series to begin earlier or end later.
        return found, ()
    needed = len(found)
    said: tuple[Sentence, ...] = ()
    infinity, longest = problem.shortest_image_mm * axis[2], problem.longest_image_mm * axis[2]
    apart = found[0] - found[1]
    for _ in range(wish.spare_near):
        if found[0] + 0.5 * apart < longest:
            found.insert(0, min(found[0] + apart, longest))
    apart = found[-2] - found[-1]
    for _ in range(wish.spare_far):
        if found[-1] - 0.01 * apart > infinity:
            found.append(max(found[-1] - apart, infinity))
    if wish.last_at_infinity and found[-1] - 0.01 * apart > infinity:
        steps = math.ceil((found[-1] - infinity) / max(apart, 1e-12) - 1e-9)
        if steps > _MOST_SPARE:
            said += (Sentence("To go on to infinity would take {n} frames more: it ends where it may", {"n": steps}),)
        else:
            found += np.linspace(found[-1], infinity, steps + 1)[1:].tolist()
    if len(found) == needed:
        return found, said
    times = problem.scene.plan.kit.times
    return found, (
        *said,
        Sentence(
            "{n} of the frames are to spare, beyond what must be sharp: some {s:.0f} s more",
            {"n": len(found) - needed,
             "s": (len(found) - needed) * (times.frame_s + times.refocus_s)},
        ),
    )  # fmt: skip


def _attempt(problem: Problem) -> Candidate:
    covers, closed = problem.scene.plan.wish.series_covers, None
    for share in (1.0, *_SHARES):
        # Where an inner group makes the lens longer near, each frame holds a little less than was reckoned.
        found = from_ladder("series", problem, fewest_frames(problem, covers=covers, share=share), FORWARD)
        if not found.fits or problem.lens.closest_focal_mm <= problem.lens.focal_mm:
            return found
        if covers == Covers.MARKS or not _leaves_gaps(found):
            if found.is_sharp:
                return found
            # What is soft for other reasons no more frames mend.
            closed = closed or (found if covers == Covers.RANGE else None)
    return closed or found


def _leaves_gaps(found: Candidate) -> bool:
    """Whether something between two frames is softer than allowed."""
    return any(
        blur_between(first, second)[0] > (1.0 + _EXACT) * min(first.allowed_blur_mm, second.allowed_blur_mm)
        for first, second in pairwise(found.exposures)
    )
