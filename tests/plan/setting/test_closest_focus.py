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


def test_how_far_one_focuses_with_the_tube() -> None:
    """By hand: at its infinity mark the lens stands f + tube from the sensor."""
    found = closest_focus(candidate(0.4))
    image = 50.0 + found.tube_mm
    assert found.tube_reach_m == pytest.approx(50.0 * image / (image - 50.0) / 1000.0)
    assert any("step back" in str(line) for line in found.says)


def test_none_where_the_lens_gets_there() -> None:
    assert closest_focus(candidate(2.0)) is None
