"""Focus series: several frames at planned focus distances, to be merged."""

from __future__ import annotations

from verispect.optics.lens_state import FORWARD
from verispect.optics.types import Vector
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

# Of the allowed blur, for lenses that grow longer as they focus near.
_SHARES = (0.95, 0.9, 0.8, 0.65)


def series(scene: Scene) -> Candidate:
    """The series of fewest frames, with whichever lens needs fewest."""
    return with_every_lens("series", scene, _attempt)


def no_stop(problem: Problem) -> Sentence:
    """Why a series cannot help: even perfect focus is not sharp enough, or what moves smears too much."""
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
    states = [
        problem.state(f_number=ladder.f_number, image_distance_mm=float(v), axis=axis)
        for v in ladder.image_distances_mm
    ]
    reserve = min(corner_reserve_mm(problem, state) for state in states)
    if reserve < -1e-6:
        return unfit(key, problem.scene, circle_reason(problem, reserve))
    exposures = [problem.exposure(state) for state in states]
    return worked_out(key, problem, exposures, notes=focus_notes(problem, *states))


def _attempt(problem: Problem) -> Candidate:
    covers = problem.scene.plan.wish.series_covers
    found = from_ladder("series", problem, fewest_frames(problem, covers=covers), FORWARD)
    for share in _SHARES:
        # Where an inner group makes the lens longer near, each frame holds a little less than was reckoned.
        if found.holds or not found.fits or problem.lens.closest_focal_mm <= problem.lens.focal_mm:
            break
        found = from_ladder("series", problem, fewest_frames(problem, covers=covers, share=share), FORWARD)
    return found
