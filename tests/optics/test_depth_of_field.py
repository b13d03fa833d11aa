"""Depth: along any ray on the exact blur, and the closed forms against tables of common practice."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.outside.oracle import blur_axes, rim_on_sensor
from verispect.optics.conjugates import depth_limits, hyperfocal_mm, image_distance_for_object_mm
from verispect.optics.depth_of_field import focus_and_stop_for_limits, limits_along_ray_mm
from verispect.optics.lens_state import LensState, axis_from_tilt_and_swing, depth_planes

CIRCLE = math.hypot(35.9, 23.9) / 1440.0


def straight(focal: float, stop: float, object_mm: float, pupil: float = 1.0) -> LensState:
    image = image_distance_for_object_mm(object_mm=object_mm, focal_mm=focal)
    return LensState(focal, stop, image, pupil_magnification=pupil)


def test_long_lens_against_common_practice() -> None:
    """500 mm f/5.6 at 1.28 km on 35.9 × 23.9 mm, c = diagonal/1440, exact stops (common practice)."""
    near, _, far = limits_along_ray_mm(np.array([0.0, 0.0, 1.0]), straight(500, 5.657, 1.28e6), CIRCLE)
    assert near / 1e6 == pytest.approx(0.6857, abs=0.0006)
    assert far / 1e6 == pytest.approx(9.67, abs=0.06)


@given(
    focal=st.floats(14, 400), stop=st.sampled_from([2.8, 5.6, 11.3, 22.6]), times=st.floats(8, 3000),
    pupil=st.floats(0.5, 2.0), x=st.floats(-0.5, 0.5), y=st.floats(-0.3, 0.3),
)  # fmt: skip
def test_straight_lens_has_flat_limits_in_every_direction(focal, stop, times, pupil, x, y) -> None:
    state = straight(focal, stop, times * focal, pupil)
    axis = limits_along_ray_mm(np.array([0.0, 0.0, 1.0]), state, 0.02)
    ray = limits_along_ray_mm(np.array([x, y, 1.0]), state, 0.02)
    longer = math.sqrt(1.0 + x * x + y * y)
    for plain, slanted in zip(axis, ray, strict=True):
        assert slanted == pytest.approx(plain * longer, rel=1e-6) or math.isinf(plain)


@pytest.mark.parametrize("pupil", [0.6, 1.0, 1.7])
@pytest.mark.parametrize("tilt", [-8, 3, 12])
def test_limits_of_a_tilted_lens_blur_by_what_is_allowed_when_traced(pupil, tilt) -> None:
    """The independent ray trace of tests/outside/oracle.py at the limits found."""
    axis = axis_from_tilt_and_swing(tilt_rad=math.radians(tilt), swing_rad=math.radians(2))
    state = LensState(50.0, 8.0, 50.9, axis, pupil)
    plan = {"kit": {"lenses": [{"name": "t", "pupil_magnification": pupil}]}}
    exposure = {
        "lens": "t", "focal_mm": 50.0, "f_number": 8.0, "image_distance_mm": 50.9, "lens_axis": list(axis),
        "position_m": [0, 0, 0], "right": [1, 0, 0], "up": [0, 1, 0], "forward": [0, 0, 1],
    }  # fmt: skip
    checked = 0
    for y in (-0.3, -0.1, 0.1, 0.3):
        direction = np.array([0.1, y, 1.0]) / math.hypot(0.1, y, 1.0)
        near, plane, far = limits_along_ray_mm(direction, state, 0.03)
        assert near <= plane <= far
        for distance in (near, far):
            if math.isfinite(distance):
                x_m, y_m, z_m = (float(part) for part in direction * distance / 1000.0)
                hits, _ = rim_on_sensor(plan, exposure, {"x_m": x_m, "y_m": y_m, "z_m": z_m})
                assert blur_axes(hits)[0] == pytest.approx(0.03, rel=1e-3)
                checked += 1
    assert checked >= 4


def test_equality_at_the_hyperfocal_distance() -> None:
    """Focused at H the near limit is H/2 and the far one infinity; the tilted wedge there is J thick each way
    (Merklinger, Focusing the View Camera, 1993; from memory)."""
    hyperfocal = hyperfocal_mm(focal_mm=90.0, f_number=16.0, circle_mm=0.1)
    limits = depth_limits(focus_mm=hyperfocal, focal_mm=90.0, f_number=16.0, circle_mm=0.1)
    assert limits.near_m * 2000.0 == pytest.approx(hyperfocal)
    assert math.isinf(limits.far_m) or limits.far_m > 1e6
    tilt = math.radians(4)
    axis = axis_from_tilt_and_swing(tilt_rad=tilt, swing_rad=0.0)
    # v such that the plane crosses the view at the hyperfocal distance.
    v = 1.0 / (axis[2] / 90.0 - 1.0 / hyperfocal)
    near, far = depth_planes(LensState(90.0, 16.0, v, axis), 0.1)
    middle = np.asarray(axis) / 90.0 - np.array([0, 0, 1 / v])
    heights = [(1.0 - g[2] * hyperfocal) / g[1] for g in (near, middle, far)]
    thick = [abs(heights[k] - heights[1]) for k in (0, 2)]
    assert thick == pytest.approx([90.0 / math.sin(tilt)] * 2, rel=0.02)


@given(near=st.floats(0.6, 4.0), ratio=st.floats(1.2, 20.0), focal=st.floats(20, 90), pupil=st.floats(0.5, 2.0))
def test_focus_and_stop_for_two_limits_just_hold_them(near, ratio, focal, pupil) -> None:
    near_mm, far_mm = near * 1000.0, near * ratio * 1000.0
    focus, stop = focus_and_stop_for_limits(
        near_mm=near_mm, far_mm=far_mm, focal_mm=focal, circle_mm=0.03, pupil_magnification=pupil
    )
    state = straight(focal, stop, focus, pupil)
    found = limits_along_ray_mm(np.array([0.0, 0.0, 1.0]), state, 0.03)
    assert (found[0], found[2]) == pytest.approx((near_mm, far_mm), rel=1e-5)


def test_thin_lens_focus_is_the_harmonic_mean() -> None:
    focus, _ = focus_and_stop_for_limits(near_mm=1000.0, far_mm=9000.0, focal_mm=35.0, circle_mm=0.02)
    assert focus == pytest.approx(2.0 / (1 / 1000.0 + 1 / 9000.0), rel=1e-9)


def test_a_ray_that_never_meets_the_plane_has_no_limits() -> None:
    state = LensState(50.0, 4.0, 51.0, axis_from_tilt_and_swing(tilt_rad=0.15, swing_rad=0.0))
    assert limits_along_ray_mm(np.array([0.0, 0.8, 1.0]), state, 0.01) == (math.inf,) * 3


def test_a_third_in_front_holds_at_a_third_of_the_hyperfocal_distance_only() -> None:
    """Common practice says a third of the depth lies in front; that is so at H/3 alone (checks: find it)."""
    hyperfocal = hyperfocal_mm(focal_mm=50.0, f_number=11.314, circle_mm=0.03)

    def share_in_front(focus: float) -> float:
        limits = depth_limits(focus_mm=focus, focal_mm=50.0, f_number=11.314, circle_mm=0.03)
        return (focus / 1000.0 - limits.near_m) / (limits.far_m - limits.near_m)

    assert share_in_front(hyperfocal / 3.0) == pytest.approx(1 / 3, abs=0.01)
    assert share_in_front(hyperfocal / 10.0) > 0.44
    assert share_in_front(hyperfocal / 1.2) < 0.1
