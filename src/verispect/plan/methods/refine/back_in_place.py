"""A tilt by the back alone, on a camera that stays as it stands: the picture's plane leans, and its perspective."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from verispect.kit.scale_settings import back_matrix, dial
from verispect.optics.pose import Pose
from verispect.optics.types import Vector
from verispect.plan.methods.candidate import Candidate
from verispect.plan.solve.problem import Problem

# The lean hardly depends on where the sensor looks: a few rounds bring both together.
_ROUNDS, _STILL_RAD = 12, 1e-6


def leaning_back(problem: Problem, attempt: Callable[[Problem], Candidate]) -> Candidate:
    """An attempt in which the sensor leans by as much as the lens is seen to lean from it."""
    found = attempt(problem)
    if not problem.lens.back_in_place:
        return found
    for _ in range(_ROUNDS):
        if not found.exposures:
            return found
        pose = pose_of_back(problem, found.exposures[0].state.axis)
        if _apart_rad(pose, found.exposures[0].pose) < _STILL_RAD:
            break
        found = attempt(problem.looking(pose, problem.chosen))
    return found


def pose_of_back(problem: Problem, axis: Vector) -> Pose:
    """Where the sensor looks whose back leans so that the lens, which stays, has this axis from it."""
    body, view = problem.scene.plan.kit.body, problem.scene.pose
    set_to = dial(problem.lens, body, axis)
    right, up, forward = back_matrix(set_to.back_tilt_rad, set_to.back_swing_rad, body) @ view.matrix
    return Pose(pupil_m=view.pupil_m, right=right, up=up, forward=forward)


def _apart_rad(first: Pose, second: Pose) -> float:
    return float(np.abs(first.matrix - second.matrix).max())
