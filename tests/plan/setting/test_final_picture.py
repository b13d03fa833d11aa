"""Pixels, sizes and stretch worked by hand."""

from __future__ import annotations

import math

import pytest

from tests.conftest import a_lens, make_plan
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.setting.final_picture import final_picture


def test_one_frame_by_hand() -> None:
    """36 × 24 mm, 8256 × 5504 pixels: 69.9 cm at 300 to the inch; 18 and 12 mm over 24 mm make a corner of 42°."""
    plan = make_plan([(0.0, 1.5, 6.0)], framing=24.0)
    found = final_picture(worked("one-frame", build_scene(plan)))
    assert found.pixels == (8256, 5504)
    assert found.print_cm[0] == pytest.approx((300.0, 69.9, 46.6), abs=0.05)
    assert found.tiff_mb == pytest.approx(8256 * 5504 * 6 / 1e6)
    assert found.raw_mb == pytest.approx(8256 * 5504 * 11 / 8e6)
    corner = math.atan(math.hypot(18.0, 12.0) / 24.0)
    assert found.corner_deg == pytest.approx(math.degrees(corner))
    assert found.stretch == pytest.approx(1.0 / math.cos(corner))
    assert found.one_lens_mm == 24.0
    # 24.1 mm image distance, 4.36 µm pixels: a pixel is 1.085 mm at 6 m.
    assert found.marks[0].pixels_per_mm == pytest.approx(1.0 / 1.085, rel=0.005)


def test_a_grid_has_more_and_a_long_lens_stretches_nothing() -> None:
    plan = make_plan([(-1.0, 1.5, 6.0), (1.0, 1.5, 6.0)], framing=24.0, lenses=[a_lens(50.0)])
    grid = worked("turned-grid", build_scene(plan))
    found = final_picture(grid)
    assert found.pixels[0] == pytest.approx(8256 * 50 / 24, rel=0.02)
    assert found.raw_mb == pytest.approx(grid.frame_count * 8256 * 5504 * 11 / 8e6)
    far = final_picture(worked("one-frame", build_scene(make_plan([(0, 1.5, 30.0)], framing=200.0,
                                                                  lenses=[a_lens(200.0)]))))  # fmt: skip
    assert far.stretch < 1.01
    assert len(far.says) == 2
