"""How large the pictures of the desk's camera are, against what a pixel and an allowed blur measure on the sensor."""

from __future__ import annotations

from dataclasses import replace

import pytest

from tests.conftest import DEMO, a_lens, make_plan
from verispect.files.plan_file import read_plan
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.rig.desk_camera import desk_pixels


def test_of_few_frames_no_pixel_is_larger_than_the_allowed_blur() -> None:
    series = worked("series", build_scene(read_plan(DEMO)))
    allowed = min(exposure.allowed_blur_mm for exposure in series.exposures)
    wide, high = desk_pixels(series)
    assert 36.0 / wide <= allowed < 36.0 / (wide - 2)
    assert wide * 24.0 / 36.0 == pytest.approx(high, abs=1.0)


def test_of_many_frames_each_is_taken_in_seconds_and_no_frame_has_more_than_its_body() -> None:
    series = worked("series", build_scene(read_plan(DEMO)))
    many = replace(series, exposures=series.exposures * 4)
    assert desk_pixels(many) == (1500, 1000)
    plan = make_plan([(0.0, 1.5, 4.0)], lenses=[a_lens(24.0)], print_mm=(2000, 1333))
    body = plan.kit.body.model_copy(update={"pixels": (2400, 1600)})
    kit = plan.kit.model_copy(update={"body": body})
    found = worked("one-frame", build_scene(plan.model_copy(update={"kit": kit})))
    assert max(desk_pixels(found)) <= 2400
