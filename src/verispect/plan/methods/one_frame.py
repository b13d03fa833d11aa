"""One frame: the right focus and the right stop, the lens straight."""

from __future__ import annotations

from verispect.plan.methods.candidate import Candidate, unfit, worked_out
from verispect.plan.methods.lens_search import (
    circle_reason,
    corner_reserve_mm,
    focus_notes,
    with_every_lens,
)
from verispect.plan.methods.refine.snap_to_scales import as_set
from verispect.plan.scene.scene import Scene
from verispect.plan.solve.problem import Problem
from verispect.plan.solve.selective_focus import thrown_out
from verispect.plan.solve.softness_polish import best_frame


def one_frame(scene: Scene) -> Candidate:
    """The best single frame without movements, with whichever lens does it best."""
    return with_every_lens("one-frame", scene, attempt_one_frame)


def attempt_one_frame(problem: Problem) -> Candidate:
    """The best frame of one lens at one focal length."""
    state, notes = as_set(problem, thrown_out(problem, best_frame(problem), limit_rad=0.0))
    reserve = corner_reserve_mm(problem, state)
    if reserve < -1e-6:
        return unfit("one-frame", problem.scene, circle_reason(problem, reserve))
    return worked_out("one-frame", problem, [problem.exposure(state)], notes=(*notes, *focus_notes(problem, state)))
