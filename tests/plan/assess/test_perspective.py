"""The wanted picture: upright, shifted, cropped; against the independent ray trace and against plain projection."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import a_lens, make_plan
from tests.outside.oracle import rim_on_sensor
from verispect.files.weighing_json import weighing_to_dict
from verispect.optics.pose import camera_pose
from verispect.plan.advise.weigh import weigh
from verispect.plan.assess.perspective import converging, focal_for_width_mm, levelled_rise_mm, upright_options
from verispect.plan.methods.method import METHODS

PLACES = [(0.0, 1.2, 3.0), (0.6, 1.9, 6.0), (-1.0, 3.0, 12.0)]


def framed(lenses=None, places=PLACES, **camera):
    usual = [a_lens(24.0), a_lens(30.0, shift_mm=30, image_circle_mm=150)]
    return make_plan(places, lenses=lenses or usual, camera=camera)


@pytest.mark.parametrize(
    "camera",
    [{"rise_mm": 7.0}, {"rise_mm": -3.0, "cross_mm": 4.0}, {"upright": True}, {"upright": True, "rise_mm": 5.0},
     {"aspect": 1.0}, {"aspect": 3.0, "rise_mm": 2.0}],
)  # fmt: skip
def test_every_mark_of_the_picture_falls_on_a_frame(camera) -> None:
    """Marks along the rim of the picture, traced with rays in what the weighing prints."""
    plan = framed(**camera)
    half, centre = np.asarray(plan.picture_mm) / 48.0, np.asarray(plan.picture_centre)
    rim = [centre + half * 0.96 * np.array([x, y]) for x in (-1, 0, 1) for y in (-1, 0, 1)]
    plan = framed(places=[(20 * t[0], 1.5 + 20 * t[1], 20.0) for t in rim], **camera)
    weighing = weigh(plan)
    told = json.loads(json.dumps(weighing_to_dict(weighing)))
    content = json.loads(plan.model_dump_json(by_alias=True))
    fitted = [method for method in told["methods"] if method["fits"]]
    assert {"one-frame", "tilt", "series", "shift-grid", "turned-grid"} <= {method["key"] for method in fitted}
    half_sensor = np.asarray(plan.sensor_mm) / 2.0
    for method in fitted:
        assert method["outside"] == []
        for mark, shown in zip(content["marks"], method["marks"], strict=True):
            exposure = method["exposures"][shown["exposure"]]
            _, hit = rim_on_sensor(content, exposure, mark, rays=8)
            off = np.abs(hit - np.asarray(exposure["sensor_centre_mm"]))
            assert np.all(off <= half_sensor * 1.001), (method["key"], mark["name"])


def test_what_lies_outside_a_shifted_or_cropped_picture_is_named() -> None:
    low = (0.0, 0.0, 3.4)
    assert weigh(framed(places=[low, (0, 1.5, 5)])).by_key("series").outside_names == ()
    assert weigh(framed(places=[low, (0, 1.5, 5)], rise_mm=6.0)).by_key("series").outside_names == ("m0",)
    assert weigh(framed(places=[low, (0, 1.5, 5)], aspect=3.0)).by_key("series").outside_names == ("m0",)


def test_a_lens_that_cannot_shift_so_far_is_set_wider_or_refused() -> None:
    plain = a_lens(24.0, tilt_deg=0, shift_mm=0)
    refused = weigh(framed(lenses=[plain], rise_mm=5.0)).by_key("one-frame")
    assert "shifts 0 mm; at 24 mm the picture needs 5.0 mm" in str(refused.why_not[0])
    zoom = a_lens(24.0, focal_mm=[14, 24], tilt_deg=0, shift_mm=0)
    wider = weigh(framed(lenses=[zoom], rise_mm=5.0)).by_key("one-frame")
    # By hand: half the sensor, 12 mm, must hold (12 + 5)/24 of the focal length.
    assert wider.focal_mm == pytest.approx(12.0 * 24.0 / 17.0)
    assert wider.exposures[0].sensor_centre_mm == (0.0, 0.0)
    assert wider.final_pixels[0] == pytest.approx(8256 * wider.focal_mm / 24.0, abs=1)


def test_the_print_is_enlarged_from_what_is_kept() -> None:
    assert framed().enlargement() == pytest.approx(25.0)
    assert framed(upright=True).enlargement() == pytest.approx(25.0)
    # 24 × 24 mm kept of 36 × 24 mm, fitted to the short side of the print.
    assert framed(aspect=1.0).enlargement() == pytest.approx(600 / 24)
    assert framed(aspect=1.0).picture_mm == (24.0, 24.0)
    assert framed(upright=True, aspect=0.5).picture_mm == (18.0, 36.0)


@given(pitch=st.floats(-30, 30).filter(lambda p: abs(p) > 0.01))
def test_verticals_converge_as_projection_says(pitch) -> None:
    """Two upright lines, far away, whose images stand at the sides half-way up, projected point by point."""
    plan = framed(pitch_deg=pitch)
    pose = camera_pose(height_m=1.5, bearing_rad=0.0, pitch_rad=math.radians(pitch))
    half = np.array([0.75, 0.5])
    ends = []
    for side in (-1.0, 1.0):
        towards = np.array([side * half[0], 0.0, 1.0]) @ pose.matrix
        line = pose.pupil_m + 50.0 * towards + np.outer(np.linspace(-9, 9, 2), [0, 1, 0])
        seen = pose.to_camera_mm(line)
        (x0, y0), (x1, y1) = seen[:, :2] / seen[:, 2:]
        slope = (x1 - x0) / (y1 - y0)
        ends.append((math.degrees(math.atan(slope)), slope * 2 * half[1]))
    found = converging(plan)
    assert found.degrees == pytest.approx(ends[0][0] - ends[1][0], rel=1e-6, abs=1e-9)
    assert found.pixels == pytest.approx((ends[0][1] - ends[1][1]) * 24.0 / plan.kit.body.pixel_mm, rel=1e-6)
    assert (found.degrees > 0) == (pitch > 0)


@given(pitch=st.floats(-25, 25), rise=st.floats(-4, 4))
def test_the_level_camera_points_the_middle_at_the_same_place(pitch, rise) -> None:
    plan = framed(pitch_deg=pitch, rise_mm=rise)
    pose = camera_pose(height_m=1.5, bearing_rad=0.0, pitch_rad=math.radians(pitch))
    towards = np.array([0.0, rise / 24.0, 1.0]) @ pose.matrix
    assert levelled_rise_mm(plan) == pytest.approx(24.0 * towards[1] / towards[2], abs=1e-9)


def test_upright_options_know_the_limits_of_the_kit() -> None:
    """By hand: 24 mm pitched 17° needs 7.34 mm; a circle of 67 mm holds 12 + 7.34 mm up and 18 mm aside."""
    wide = a_lens(17.0, tilt_deg=0, shift_mm=0, image_circle_mm=44)
    far = a_lens(35.0)
    plan = framed([a_lens(24.0, image_circle_mm=67), wide, far], pitch_deg=17.0)
    options = {option.lens: option for option in upright_options(plan)}
    assert set(options) == {"24 tilt", "17 tilt"}
    assert options["24 tilt"].rise_mm == pytest.approx(24 * math.tan(math.radians(17)), abs=1e-9)
    assert options["24 tilt"].fits
    assert options["24 tilt"].reserve_mm == pytest.approx(33.5 - math.hypot(18, 12 + 7.337), abs=2e-3)
    # The wider lens takes it in by its spare height: 17/24 of (12 + 7.337) is 13.7 mm, 1.7 mm too much.
    assert options["17 tilt"].rise_mm == pytest.approx(17 / 24 * (12 + 7.3375) - 12, abs=1e-3)
    assert not options["17 tilt"].fits


def test_focal_length_for_a_width() -> None:
    """By hand: 12 m across 36 mm at 10 m: f = 36 · 10000/(12000 + 36)."""
    assert focal_for_width_mm(framed(), width_m=12.0, distance_m=10.0) == pytest.approx(29.91, abs=0.01)


def test_a_shifted_picture_has_its_grids_about_its_own_middle() -> None:
    weighing = weigh(framed(rise_mm=4.0))
    for key in (method.key for method in METHODS if method.is_grid):
        candidate = weighing.by_key(key)
        if candidate.fits:
            assert candidate.outside_names == ()
    rows = sorted({round(e.sensor_centre_mm[1], 3) for e in weighing.by_key("shift-grid").exposures})
    v = weighing.by_key("shift-grid").exposures[0].state.image_distance_mm
    assert np.mean(rows) == pytest.approx(-4.0 / 24.0 * v, abs=1e-3)
