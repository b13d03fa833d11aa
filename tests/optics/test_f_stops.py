"""Stops, focusing scales, depth limits, image circle and exposure."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from verispect.optics.conjugates import (
    depth_limits,
    hyperfocal_mm,
    image_distance_for_object_mm,
    image_distance_for_scale_mm,
    object_for_image_distance_mm,
    scale_distance_m,
)
from verispect.optics.exposure_time import extension_factor, luminance_cd_m2, shutter_s
from verispect.optics.f_stops import exact_stop, marked, stops_between, third_stop_index
from verispect.optics.image_circle import circle_reserve_mm, corner_points_mm
from verispect.optics.lens_state import LensState, axis_from_tilt_and_swing

# c = diagonal/1440 on 35.9 × 23.9 mm (common practice).
CIRCLE = math.hypot(35.9, 23.9) / 1440.0


def test_full_stops_of_iso_517() -> None:
    exact = [1, 1.414, 2, 2.828, 4, 5.657, 8, 11.314, 16, 22.627, 32]
    np.testing.assert_allclose([exact_stop(3 * k) for k in range(11)], exact, atol=6e-4)


def test_marked_stops_are_found_and_written() -> None:
    for text in ("1.4", "2", "2.8", "3.5", "4", "5.6", "6.3", "8", "11", "13", "16", "22", "32"):
        assert marked(exact_stop(third_stop_index(float(text)))) == text


def test_range_of_a_lens_holds_both_ends() -> None:
    stops = stops_between(2.8, 22)
    assert stops[0] == pytest.approx(2.828, abs=1e-3)
    assert stops[-1] == pytest.approx(22.627, abs=1e-3)
    assert len(stops) == 19
    np.testing.assert_allclose(stops[1:] / stops[:-1], 2.0 ** (1 / 6))


@pytest.mark.parametrize(
    ("focal", "stop", "hyperfocal_m"), [(500.0, 5.6, 1480.0), (500.0, 8.0, 1040.0), (400.0, 5.6, 944.8)]
)
def test_hyperfocal_distances_of_common_practice(focal: float, stop: float, hyperfocal_m: float) -> None:
    exact = exact_stop(third_stop_index(stop))
    found = hyperfocal_mm(focal_mm=focal, f_number=exact, circle_mm=CIRCLE) / 1000.0
    assert found == pytest.approx(hyperfocal_m, rel=6e-3)


def test_depth_limits_of_common_practice() -> None:
    # 500 mm f/5.6 focused at 1.28 km: near 685.7 m, far 9.67 km, three digits (common practice).
    limits = depth_limits(focus_mm=1.28e6, focal_mm=500.0, f_number=exact_stop(15), circle_mm=CIRCLE)
    assert limits.near_m == pytest.approx(685.7, rel=2e-3)
    assert limits.far_m == pytest.approx(9670.0, rel=2e-2)


def test_a_third_in_front_holds_only_at_a_third_of_the_hyperfocal_distance() -> None:
    f, n = 50.0, 8.0
    h = hyperfocal_mm(focal_mm=f, f_number=n, circle_mm=CIRCLE)

    def share_in_front(focus: float) -> float:
        limits = depth_limits(focus_mm=focus, focal_mm=f, f_number=n, circle_mm=CIRCLE)
        return (focus / 1000.0 - limits.near_m) / (limits.far_m - limits.near_m)

    assert share_in_front(h / 3.0) == pytest.approx(1.0 / 3.0, abs=0.01)
    assert share_in_front(h / 20.0) > 0.45
    assert share_in_front(h / 1.2) < 0.1


@given(st.floats(15, 300), st.floats(4.2, 1e4), st.floats(-30, 30))
def test_scale_round_trip(f: float, k: float, separation: float) -> None:
    scale = (k * f + separation) / 1000.0
    if scale * 1000.0 - separation <= 4.0 * f:
        return
    v = image_distance_for_scale_mm(scale_m=scale, focal_mm=f, separation_mm=separation)
    assert scale_distance_m(image_mm=v, focal_mm=f, separation_mm=separation) == pytest.approx(scale, rel=1e-7)


def test_scale_limits() -> None:
    assert image_distance_for_scale_mm(scale_m=math.inf, focal_mm=50, separation_mm=0) == 50
    assert image_distance_for_scale_mm(scale_m=0.1, focal_mm=50, separation_mm=0) == 100
    assert math.isinf(object_for_image_distance_mm(image_mm=50, focal_mm=50))
    assert image_distance_for_object_mm(object_mm=math.inf, focal_mm=50) == 50
    # Life size: object and image both at 2f, so the scale reads 4f.
    assert scale_distance_m(image_mm=100, focal_mm=50, separation_mm=0) == pytest.approx(0.2)


@given(st.floats(-3, 3), st.floats(-3, 3))
def test_scale_is_monotone(a: float, b: float) -> None:
    near, far = sorted((math.exp(a), math.exp(b)))
    v = [image_distance_for_scale_mm(scale_m=d, focal_mm=24, separation_mm=5) for d in (near, far)]
    assert v[0] >= v[1]


def test_circle_reserve_of_a_straight_lens_is_radius_less_corner() -> None:
    corners = corner_points_mm((36.0, 24.0), (0.0, 0.0))
    reserve = circle_reserve_mm(corners, LensState(24.0, 8.0, 24.0), 67.0)
    np.testing.assert_allclose(reserve, 33.5 - math.hypot(18, 12), rtol=1e-9)


def test_tilt_moves_the_circle_off_the_sensor_on_one_side() -> None:
    # Axis down (top forward): the circle's middle on the sensor goes up, where rays from below come; bottom corners
    # of the sensor, at negative up, lose.
    axis = axis_from_tilt_and_swing(tilt_rad=math.radians(8.0), swing_rad=0.0)
    corners = corner_points_mm((36.0, 24.0), (0.0, 0.0))
    reserve = circle_reserve_mm(corners, LensState(24.0, 8.0, 24.0, axis), 67.0)
    assert reserve[:2].max() < reserve[2:].min()


def test_shift_uses_up_the_circle() -> None:
    straight = LensState(24.0, 8.0, 24.0)
    reserves = [
        float(circle_reserve_mm(corner_points_mm((36.0, 24.0), (0.0, -s)), straight, 67.0).min()) for s in (0, 6, 12)
    ]
    assert reserves[0] > reserves[1] > reserves[2]
    # By hand: corner at (18, 24) is 30 mm out.
    assert reserves[2] == pytest.approx(33.5 - 30.0)


def test_exposure_of_iso_2720() -> None:
    # L = 2^EV K/100, K = 12.5: EV 15 is 4096 cd/m²; at f/16 and ISO 100 that asks for 1/128 s.
    assert luminance_cd_m2(15.0) == pytest.approx(4096.0)
    assert shutter_s(ev100=15.0, iso=100.0, working_f_number=16.0) == pytest.approx(1 / 128)
    assert shutter_s(ev100=15.0, iso=400.0, working_f_number=16.0) == pytest.approx(1 / 512)


def test_life_size_costs_two_stops() -> None:
    assert extension_factor(magnification=1.0, pupil_magnification=1.0) == pytest.approx(4.0)
    near = LensState(100.0, 8.0, 200.0)
    far = LensState(100.0, 8.0, 100.0)
    ratio = (near.working_f_number / far.working_f_number) ** 2
    assert math.log2(ratio) == pytest.approx(2.0)
