"""Weights, motion and the lens's own blur: what is then best, against exhaustive searches."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.optics.blur import pupil_cones
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.solve.problem import problem_for
from verispect.plan.solve.stop_choice import look_at_stops


def test_weights_never_keep_a_method_from_holding() -> None:
    """Weighted, the heavy mark would be sharper than it need be and the light one too soft; unweighted both hold."""
    places = [(0.0, 1.5, 3.0), (0.3, 1.4, 5.4)]
    even = worked("one-frame", build_scene(make_plan(places, lenses=[a_lens(24, f_numbers=[4, 4], tilt_deg=0)])))
    plan = make_plan(places, lenses=[a_lens(24, f_numbers=[4, 4], tilt_deg=0)], print_mm=(900, 600))
    heavy = plan.marks[0].model_copy(update={"weight": 4.0})
    weighted = plan.model_copy(update={"marks": (heavy, plan.marks[1])})
    found = worked("one-frame", build_scene(weighted))
    assert 0.6 < even.worst_softness < 1.0
    assert found.holds
    assert found.worst_softness == pytest.approx(even.worst_softness, rel=1e-6)


@pytest.mark.parametrize("seed", range(3))
@pytest.mark.parametrize("rule", ["wave", "root-sum"])
def test_focus_among_moving_marks_equals_an_exhaustive_search(rule, seed) -> None:
    """All stops and 300 focus settings, by contrast or by the sum, with a lens that has blur of its own."""
    rng = np.random.default_rng(seed)
    places = [
        (float(0.2 * d * a), 1.5, float(d)) for a, d in zip(rng.uniform(-1, 1, 5), rng.uniform(4, 7, 5), strict=True)
    ]
    own = [{"f_number": 2.8, "centre_um": 8, "corner_um": 25}, {"f_number": 8, "centre_um": 3, "corner_um": 8}]
    plan = make_plan(places, lenses=[a_lens(24, residual=own, tilt_deg=0)], rule=rule, print_mm=(1200, 800))
    marks = tuple(
        mark.model_copy(update={"speed_mm_s": float(v)}) for mark, v in zip(plan.marks, [0, 30, 0, 8, 0], strict=True)
    )
    plan = plan.model_copy(update={"marks": marks})
    found = worked("one-frame", build_scene(plan))
    problem = problem_for(found.scene, plan.kit.lenses[0], 24.0)
    state = found.exposures[0].state
    sharp_at = pupil_cones(problem.points_from_lens_mm(state), state).sharp_at_mm
    best = math.inf
    for v in np.linspace(sharp_at.min(), sharp_at.max(), 300):
        softness, contrast = look_at_stops(problem, replace(state, image_distance_mm=float(v)))
        best = min(best, float((-contrast.min(axis=1)).min() if rule == "wave" else softness.max(axis=1).min()))
    own_worth = -found.worst_contrast if rule == "wave" else found.worst_softness
    assert own_worth <= best + 0.005 * abs(best)
