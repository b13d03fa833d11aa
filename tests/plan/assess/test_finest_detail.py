"""The finest detail on a mark: where the contrast of the criterion reaches its floor, by hand and by SciPy."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.optimize import brentq

from tests.conftest import a_lens, make_plan
from verispect.plan.advise.weigh import weigh
from verispect.plan.assess.finest_detail import finest_detail_mm, pixels_per_mm
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene


def test_a_mark_at_its_limit_renders_the_frequency_of_the_wish() -> None:
    """At softness 1 the finest line pair is that of the criterion, z/v times as large on the mark."""
    plan = make_plan([(0.0, 1.5, 1.2), (0.0, 1.5, 30.0)], lenses=[a_lens(24.0, f_numbers=[8, 8])])
    candidate = worked("one-frame", build_scene(plan))
    criterion, state = candidate.criterion, candidate.exposures[0].state
    for k, depth in enumerate((1200.0, 30000.0)):
        blur = candidate.rendering.blur_long_mm[k]

        def contrast(nu: float, blur: float = blur) -> float:
            at = np.array([nu])
            zero = np.zeros(1)
            working = np.array([state.working_f_number])
            return float(criterion.contrast_at(at, np.array([blur]), working, zero, zero)[0]) - 0.2

        nu = brentq(contrast, 0.5, 60.0)
        assert finest_detail_mm(candidate)[k] == pytest.approx(depth / state.image_distance_mm / (2 * nu), rel=1e-4)
    nought = np.zeros(1)
    at = criterion.contrast_at(nought + criterion.frequency, nought + 0.01, nought + 8.0, nought, nought)
    assert at[0] == pytest.approx(float(criterion.contrast(0.01, 8.0)), abs=1e-9)


def test_the_pixel_is_the_limit_in_perfect_focus() -> None:
    plan = make_plan([(0.0, 1.5, 3.0)], lenses=[a_lens(24.0, f_numbers=[2.8, 2.8])])
    candidate = worked("one-frame", build_scene(plan))
    pixel = plan.kit.body.pixel_mm
    scale = 3000.0 / candidate.exposures[0].state.image_distance_mm
    assert finest_detail_mm(candidate)[0] == pytest.approx(scale * pixel, rel=1e-9)
    assert pixels_per_mm(candidate)[0] == pytest.approx(1.0 / (scale * pixel))


def test_detail_that_is_not_rendered_is_told() -> None:
    plan = make_plan([(0.0, 1.5, 3.0), (0.0, 1.5, 3.2)], marks={"detail_mm": 0.05})
    assert any("0.05 mm was asked" in str(reason) for reason in weigh(plan).because)
    coarse = make_plan([(0.0, 1.5, 3.0), (0.0, 1.5, 3.2)], marks={"detail_mm": 50.0})
    assert not any("was asked" in str(reason) for reason in weigh(coarse).because)
