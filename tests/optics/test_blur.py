"""The blur figure against traced rays, published discs, and its own symmetries."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.outside.oracle import blur_axes, rim_on_sensor
from verispect.optics.blur import blur_axes_mm, image_centres_mm, pupil_cones
from verispect.optics.lens_state import (
    LensState,
    axis_from_tilt_and_swing,
    focus_image_distance_mm,
    plane_of_sharp_focus,
)

lean = st.floats(-0.26, 0.26)
pupil = st.floats(0.5, 2.0)


def traced(point: np.ndarray, s: LensState) -> tuple[float, float, np.ndarray]:
    """The oracle's rays for a state: it takes the contract's JSON."""
    plan = {"kit": {"lenses": [{"name": "L", "pupil_magnification": s.pupil_magnification}]}}
    exposure = {
        "lens": "L",
        "focal_mm": s.focal_mm,
        "f_number": s.f_number,
        "position_m": [0, 0, 0],
        "right": [1, 0, 0],
        "up": [0, 1, 0],
        "forward": [0, 0, 1],
        "lens_axis": s.axis,
        "image_distance_mm": s.image_distance_mm,
    }
    mark = dict(zip(("x_m", "y_m", "z_m"), point / 1000.0, strict=True))
    hits, middle = rim_on_sensor(plan, exposure, mark)
    return *blur_axes(hits), middle


@given(
    st.floats(15, 200), st.floats(1.4, 22), st.floats(1.0, 1.6), lean, lean, pupil,
    st.floats(-0.8, 0.8), st.floats(-0.8, 0.8), st.floats(4, 400),
)  # fmt: skip
def test_blur_is_what_traced_rays_give(f, n, k, tilt, swing, p, tx, ty, depth) -> None:
    s = LensState(f, n, f * k, axis_from_tilt_and_swing(tilt_rad=tilt, swing_rad=swing), p)
    z = depth * f
    point = np.array([tx * z, ty * z, z])
    if np.dot(s.axis, point) < 1.5 * f:
        return
    long, short = blur_axes_mm(point, s)
    ray_long, ray_short, middle = traced(point, s)
    scale = max(float(long), 1e-6)
    assert float(long) == pytest.approx(ray_long, rel=2e-4, abs=1e-4 * scale)
    assert float(short) == pytest.approx(ray_short, rel=2e-3, abs=1e-4 * scale)
    np.testing.assert_allclose(image_centres_mm(point, s), middle, atol=1e-6 * f)


def test_discs_of_a_pinhole_free_picture() -> None:
    # shared values, checked by hand from similar triangles: 50 mm f/2 focused at 2 m.
    v = 50.0 * 2000.0 / 1950.0
    s = LensState(50.0, 2.0, v)
    points = np.array([[0.0, 0.0, z] for z in (1000.0, 1500.0, 3000.0, 6000.0, 20000.0)])
    long, short = blur_axes_mm(points, s)
    np.testing.assert_allclose(long * 1000.0, [641.0, 213.7, 213.7, 427.4, 576.9], atol=0.06)
    np.testing.assert_array_equal(long, short)


def test_tilted_points_agree_with_a_general_ray_tracer() -> None:
    # 100 mm, 5°, focused 3 m away, f/8; points 5 % beyond the plane. A ray tracer with an ideal lens gave 44.0, 27.7,
    # 20.2, 15.9, 13.2 µm with its outer ring of rays at 0.979 of the pupil; the full rim gives these.
    axis = axis_from_tilt_and_swing(tilt_rad=math.radians(5.0), swing_rad=0.0)
    v = float(focus_image_distance_mm(3000.0 * np.array(axis), focal_mm=100.0, axis=axis))
    s = LensState(100.0, 8.0, v, axis)
    # Heights across and depths along the lens's own axis, as in the trace.
    g = plane_of_sharp_focus(s)
    along, across = np.array(axis), np.array([0.0, axis[2], -axis[1]])
    heights = np.array([-600.0, -300.0, 0.0, 300.0, 600.0])
    depths = (1.0 - (g @ across) * heights) / (g @ along)
    long, _ = blur_axes_mm(1.05 * (heights[:, None] * across + depths[:, None] * along), s)
    np.testing.assert_allclose(long * 1000.0, [45.0, 28.3, 20.6, 16.3, 13.5], atol=0.06)
    np.testing.assert_allclose(long * 0.979 * 1000.0, [44.0, 27.7, 20.2, 15.9, 13.2], atol=0.12)


@given(st.floats(20, 200), lean, lean, st.floats(1.0, 1.4), st.floats(-1, 1), st.floats(-1, 1))
def test_points_of_the_plane_have_no_blur(f, tilt, swing, k, a, b) -> None:
    s = LensState(f, 4.0, f * k, axis_from_tilt_and_swing(tilt_rad=tilt, swing_rad=swing))
    g = plane_of_sharp_focus(s)
    if abs(g[2]) * f < 1e-3:
        return
    z = (1.0 - (g[0] * a + g[1] * b) * f) / g[2]
    if not 2.0 * f < z < 1e4 * f:
        return
    long, _ = blur_axes_mm(np.array([a * f, b * f, z]), s)
    assert float(long) < 1e-9


@given(st.floats(0.1, 10.0), lean, lean, pupil)
def test_scaling_all_lengths_scales_the_blur(scale, tilt, swing, p) -> None:
    axis = axis_from_tilt_and_swing(tilt_rad=tilt, swing_rad=swing)
    point = np.array([300.0, -400.0, 2500.0])
    small = blur_axes_mm(point, LensState(50.0, 5.6, 51.5, axis, p))
    large = blur_axes_mm(point * scale, LensState(50.0 * scale, 5.6, 51.5 * scale, axis, p))
    np.testing.assert_allclose(np.array(large), np.array(small) * scale, rtol=1e-9)


@given(lean, lean, pupil)
def test_blur_is_the_same_in_a_mirror(tilt, swing, p) -> None:
    point = np.array([300.0, -400.0, 2500.0])
    axis = axis_from_tilt_and_swing(tilt_rad=tilt, swing_rad=swing)
    mirrored = axis_from_tilt_and_swing(tilt_rad=tilt, swing_rad=-swing)
    here = blur_axes_mm(point, LensState(50.0, 5.6, 51.5, axis, p))
    there = blur_axes_mm(point * [-1, 1, 1], LensState(50.0, 5.6, 51.5, mirrored, p))
    np.testing.assert_allclose(here, there, rtol=1e-9)


@given(lean, lean, pupil, st.floats(1.0, 1.5))
def test_cones_give_the_same_blur_at_any_focus(tilt, swing, p, k) -> None:
    axis = axis_from_tilt_and_swing(tilt_rad=tilt, swing_rad=swing)
    s = LensState(50.0, 5.6, 50.0 * k, axis, p)
    points = np.array([[300.0, -400.0, 2500.0], [-900.0, 10.0, 8000.0]])
    cones = pupil_cones(points, s)
    long, short = blur_axes_mm(points, s)
    np.testing.assert_allclose(np.abs(s.image_distance_mm - cones.sharp_at_mm) * cones.long_rate, long, rtol=1e-9)
    np.testing.assert_allclose(np.abs(s.image_distance_mm - cones.sharp_at_mm) * cones.short_rate, short, rtol=1e-9)


def test_tiny_tilt_meets_the_untilted_form() -> None:
    point = np.array([300.0, -400.0, 2500.0])
    straight = blur_axes_mm(point, LensState(50.0, 5.6, 51.5, pupil_magnification=1.3))
    nearly = axis_from_tilt_and_swing(tilt_rad=1e-9, swing_rad=1e-9)
    leaned = blur_axes_mm(point, LensState(50.0, 5.6, 51.5, nearly, 1.3))
    np.testing.assert_allclose(leaned, straight, rtol=1e-6)


def test_point_at_the_focal_length_stays_finite() -> None:
    s = LensState(50.0, 5.6, 51.5)
    long, short = blur_axes_mm(np.array([0.0, 0.0, 50.0]), s)
    assert float(long) == pytest.approx(50.0 / 5.6)
    assert float(short) == pytest.approx(50.0 / 5.6)
    assert np.isfinite(image_centres_mm(np.array([[5.0, 0.0, 50.0]]), s)).all()


def test_picture_is_upside_down_on_the_sensor() -> None:
    centre = image_centres_mm(np.array([100.0, 200.0, 5000.0]), LensState(50.0, 8.0, 50.5))
    assert centre[0] < 0.0
    assert centre[1] < 0.0
