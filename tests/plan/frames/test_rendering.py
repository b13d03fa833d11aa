"""What frames show of what they cannot show, and where a tilt about a pivot leaves the sensor."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.plan.frames.rendering import render
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene


def test_what_lies_behind_the_camera_has_no_contrast_and_is_never_sharp() -> None:
    plan = make_plan([(0.0, 1.5, 4.0), (0.3, 1.5, 6.0)])
    candidate = worked("one-frame", build_scene(plan))
    scene = candidate.scene
    behind = replace(scene, world_m=scene.world_m * np.array([1.0, 1.0, -1.0]))
    found = render(behind, list(candidate.exposures), candidate.criterion)
    assert np.all(found.contrast == 0.0)
    assert np.all(np.isinf(found.softness))
    assert not found.inside.any()
    shown = render(scene, list(candidate.exposures), candidate.criterion)
    assert np.all(shown.contrast > 0.0)


@pytest.mark.parametrize("rise", [0.0, 3.0])
def test_a_pivot_off_the_lens_moves_the_sensor_beside_the_shift(rise: float) -> None:
    """By hand: tilting about a pivot d ahead of the lens moves its foot by d sin θ, beside what it is shifted."""
    ground = [(0.0, 0.0, 1.5), (0.3, 0.0, 3.0), (-0.5, 0.0, 9.0), (0.0, 0.0, 40.0)]
    lens = a_lens(24.0, tilt_pivot_mm=40.0, shift_mm=rise)
    candidate = worked("tilt", build_scene(make_plan(ground, lenses=[lens], camera={"rise_mm": rise})))
    exposure, problem = candidate.exposures[0], candidate.problem
    lean = math.asin(math.hypot(*exposure.state.axis[:2]))
    assert lean > 0.01
    moved = [40.0 * part for part in exposure.state.axis[:2]]
    if max(map(abs, moved)) <= lens["shift_mm"]:
        moved = [0.0, 0.0]
    wanted = [shifted + own for shifted, own in zip(problem.shifted_to_mm, moved, strict=True)]
    assert list(exposure.sensor_centre_mm) == pytest.approx(wanted, abs=1e-9)
