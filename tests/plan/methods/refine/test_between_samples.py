"""What a method tells of areas holds between the samples it was worked out for."""

from __future__ import annotations

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.plan.document import Plan
from verispect.plan.frames.rendering import render
from verispect.plan.methods.method import method_of
from verispect.plan.methods.registry import solver_of, worked
from verispect.plan.scene.scene import build_scene, unchecked_scene


def yard(seed: int) -> Plan:
    """A floor and a bench that must be sharp, frames that hardly overlap, and marks alone to be covered."""
    rng = np.random.default_rng(seed)
    lenses = [a_lens(24.0, f_numbers=[2.8, 11]), a_lens(50.0, f_numbers=[2.8, 11])]
    content = make_plan([(0.0, 1.5, float(rng.uniform(2, 4)))], lenses=lenses, overlap=0.05, series_covers="marks",
                        print_mm=(float(rng.uniform(2000, 4500)), 3000)).model_dump(mode="json")  # fmt: skip
    content["surfaces"] = [
        {"name": "Floor", "need": "must", "z_m": float(rng.uniform(1.8, 3)), "width_m": float(rng.uniform(3, 8)),
         "length_m": float(rng.uniform(6, 25))},
        {"name": "Bench", "need": "must", "x_m": 1.0, "y_m": 0.8, "z_m": 3, "width_m": 1.0, "length_m": 6.0},
    ]  # fmt: skip
    return Plan.model_validate(content)


def softest_anywhere(plan: Plan, found) -> float:
    """By eleven times as many samples each way, at places of their own."""
    dense = unchecked_scene(plan, spacing=1.0 / 24.0 / 11.0)
    seen = render(dense, found.exposures, found.criterion)
    return float(seen.softness[dense.deciding & seen.inside].max())


@pytest.mark.parametrize("seed", [0, 4])
def test_a_grid_of_series_is_as_sharp_between_the_samples_as_told(seed) -> None:
    plan = yard(seed)
    scene = build_scene(plan)
    found = worked("turned-grid-series", scene)
    assert softest_anywhere(plan, found) <= found.worst_softness + 0.01
    # At its samples alone it was told sharper than it is.
    alone = solver_of(method_of("turned-grid-series"))(scene)
    assert alone.worst_softness < softest_anywhere(plan, alone)


def test_a_series_of_marks_leaves_no_gap_within_an_area() -> None:
    content = yard(1).model_dump(mode="json")
    content["wish"] |= {"print_mm": [1500, 1000]}
    plan = Plan.model_validate(content)
    found = worked("series", build_scene(plan))
    assert found.fits
    assert softest_anywhere(plan, found) <= found.worst_softness + 0.01
