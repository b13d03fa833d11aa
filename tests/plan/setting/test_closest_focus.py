"""Cures of a closest focus that is too far, tried on lenses that really have them fitted."""

from __future__ import annotations

import pytest

from tests.conftest import a_lens, make_plan
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.setting.closest_focus import closest_focus


def candidate(away_m, **lens):
    plan = make_plan([(0.0, 1.5, away_m)], framing=50.0, lenses=[a_lens(50.0, closest_m=0.6, tilt_deg=0, **lens)])
    return worked("one-frame", build_scene(plan))


def test_each_cure_really_focuses_there() -> None:
    found = closest_focus(candidate(0.4))
    assert found is not None
    assert closest_focus(candidate(0.4 + found.nearer_m + 1e-4)) is None
    assert closest_focus(candidate(0.4, fitted={"tube_mm": found.tube_mm + 0.01})) is None
    assert closest_focus(candidate(0.4, fitted={"tube_mm": found.tube_mm - 0.05})) is not None
    assert closest_focus(candidate(0.4, fitted={"close_up_dioptres": found.dioptres})) is None
    weaker = max(power for power in (0.5, 1, 2, 3, 4, 5, 10) if power < found.dioptres)
    assert closest_focus(candidate(0.4, fitted={"close_up_dioptres": weaker})) is not None


def test_a_tube_brings_a_lens_that_focuses_internally_nearer() -> None:
    """By hand: 50 mm that are 40 at their closest, at a quarter of life size, image distance 50 mm and the tube."""
    own = {"focusing": "internal", "closest_magnification": 0.25}

    def on(away_m, **more):
        lens = a_lens(50.0, closest_m=0.25, tilt_deg=0, f_numbers=[4, 16], **own, **more)
        return worked("one-frame", build_scene(make_plan([(0.0, 1.5, away_m)], framing=50.0, lenses=[lens])))

    found = closest_focus(on(0.15))
    assert found.tube_mm == pytest.approx(40.0 * 150.0 / 110.0 - 50.0, rel=1e-6)
    with_tube = on(0.15, fitted={"tube_mm": found.tube_mm})
    assert closest_focus(with_tube) is None
    state = with_tube.exposures[0].state
    assert state.focal_mm == pytest.approx(40.0, rel=1e-4)
    assert state.image_distance_mm == pytest.approx(50.0 + found.tube_mm, rel=1e-4)


def test_how_far_one_focuses_with_the_tube() -> None:
    """By hand: at its infinity mark the lens stands f + tube from the sensor."""
    found = closest_focus(candidate(0.4))
    image = 50.0 + found.tube_mm
    assert found.tube_reach_m == pytest.approx(50.0 * image / (image - 50.0) / 1000.0)
    assert any("step back" in str(line) for line in found.says)


def test_none_where_the_lens_gets_there() -> None:
    assert closest_focus(candidate(2.0)) is None
