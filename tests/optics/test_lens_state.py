"""Imaging, planes, hinge line: hand-worked values, published values, round trips, limits, signs."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from verispect.errors import GeometryError
from verispect.optics.lens_state import (
    LensState,
    axis_from_tilt_and_swing,
    depth_planes,
    focus_image_distance_mm,
    from_principal_point,
    hinge_distance_mm,
    hinge_line,
    image_points_mm,
    lens_for_plane,
    plane_of_sharp_focus,
    tilt_and_swing_rad,
)

focal = st.floats(15.0, 300.0)
lean = st.floats(-0.25, 0.25)
extension = st.floats(1.0, 1.5)

# Real designs traced by two general ray tracers that agree, optiland 0.6.3 and rayoptics 0.9.8:
# focal length, pupil magnification, principal separation, in mm.
REAL_DESIGNS = {
    "Cooke triplet": (49.9998, 1.0234, -2.270),
    "double Gauss": (100.0037, 1.1464, -31.232),
    "reverse telephoto": (2.0052, 1.5351, 1.180),
    "telephoto": (127.017, 0.7346, 17.610),
    "Petzval": (50.585, 0.6877, 22.394),
}


def state(f: float = 100.0, v: float = 103.0, tilt: float = 0.0, swing: float = 0.0, p: float = 1.0) -> LensState:
    return LensState(f, 8.0, v, axis_from_tilt_and_swing(tilt_rad=tilt, swing_rad=swing), p)


def test_hinge_rule_of_merklinger() -> None:
    # Merklinger, Focusing the View Camera, 1993 (from memory): J = f / sin α; f = 100 mm, α = 5° gives 1147.4.
    assert hinge_distance_mm(focal_length_mm=100.0, tilt_rad=math.radians(5.0)) == pytest.approx(1147.4, abs=0.05)


def test_zero_tilt_has_no_hinge_line() -> None:
    with pytest.raises(GeometryError, match="no hinge line"):
        hinge_distance_mm(focal_length_mm=100.0, tilt_rad=0.0)
    with pytest.raises(GeometryError, match="untilted"):
        hinge_line(state())


def test_forward_tilt_puts_hinge_below_the_axis() -> None:
    foot, direction = hinge_line(state(tilt=math.radians(5.0)))
    assert foot[1] == pytest.approx(-1147.37, abs=0.01)
    assert abs(direction[0]) == pytest.approx(1.0)


def test_swing_to_the_right_puts_hinge_to_the_right() -> None:
    foot, direction = hinge_line(state(swing=math.radians(5.0)))
    assert foot[0] == pytest.approx(1147.37, abs=0.01)
    assert abs(direction[1]) == pytest.approx(1.0)


def test_plane_angle_of_the_worked_example() -> None:
    # docs/derivations/imaging.md and shared working: f = 100, α = 5°, focused 3 m away on the lens's axis, the plane
    # stands at 68.489° to the plane of the lens (agreed with a general ray tracer).
    tilt = math.radians(5.0)
    axis = axis_from_tilt_and_swing(tilt_rad=tilt, swing_rad=0.0)
    on_axis = 3000.0 * np.array(axis)
    v = float(focus_image_distance_mm(on_axis, focal_mm=100.0, axis=axis))
    g = plane_of_sharp_focus(LensState(100.0, 8.0, v, axis))
    slope = math.degrees(math.atan2(-g[2], g[1]))  # direction of the plane: up over away
    along_axis = math.degrees(math.atan2(axis[1], axis[2]))
    between = abs(slope - along_axis) % 180.0
    assert abs(between - 90.0) == pytest.approx(68.489, abs=0.001)


@given(focal, lean, lean, extension, st.floats(-2, 2), st.floats(-2, 2))
def test_points_of_the_plane_are_sharp_at_the_image_distance(f, tilt, swing, k, a, b) -> None:
    s = state(f, f * k, tilt, swing)
    g = plane_of_sharp_focus(s)
    assume(abs(g[2]) * f > 1e-3)
    z = (1.0 - (g[0] * a + g[1] * b) * f) / g[2]
    assume(2.0 * f < z < 1e6 * f)
    point = np.array([a * f, b * f, z])
    found = float(focus_image_distance_mm(point, focal_mm=f, axis=s.axis))
    assert found == pytest.approx(f * k, rel=1e-9)


@given(focal, lean, lean, extension)
def test_hinge_line_lies_in_every_plane_of_one_axis(f, tilt, swing, k) -> None:
    assume(math.hypot(tilt, swing) > 1e-3)
    s = state(f, f * k, tilt, swing)
    foot, direction = hinge_line(s)
    for other in (s, LensState(f, 8.0, f * k * 1.1, s.axis)):
        g = plane_of_sharp_focus(other)
        for t in (-500.0, 0.0, 800.0):
            assert g @ (foot + t * direction) == pytest.approx(1.0, rel=1e-9)


@given(focal, lean, lean, extension)
def test_lens_for_a_plane_undoes_the_plane_of_a_lens(f, tilt, swing, k) -> None:
    s = state(f, f * k, tilt, swing)
    g = plane_of_sharp_focus(s)
    size = float(np.linalg.norm(g))
    assume(0.0 < size < 1.0 / (1.05 * f))
    axis, v = lens_for_plane(tuple(g / size), 1.0 / size, focal_mm=f)
    np.testing.assert_allclose(axis, s.axis, atol=1e-9)
    assert v == pytest.approx(s.image_distance_mm, rel=1e-9)


@given(focal, st.floats(-1.2, 1.2), st.floats(-1.2, 1.2), st.floats(1.2, 1000.0))
def test_lens_for_a_plane_has_a_unit_axis_and_obeys_the_hinge_rule(f, a, b, k) -> None:
    normal = np.array([math.sin(a), math.sin(b) * math.cos(a), math.cos(a) * math.cos(b)])
    axis, v = lens_for_plane(tuple(normal), k * f, focal_mm=f)
    assert np.linalg.norm(axis) == pytest.approx(1.0, abs=1e-12)
    assert v > 0.0
    across = math.hypot(normal[0], normal[1])
    assert math.hypot(axis[0], axis[1]) == pytest.approx(f * across / (k * f), abs=1e-12)


def test_plane_within_the_focal_length_is_refused() -> None:
    with pytest.raises(GeometryError, match="farther than the focal length, 50 mm"):
        lens_for_plane((0.0, 0.0, 1.0), 49.0, focal_mm=50.0)


@given(lean, lean)
def test_tilt_and_swing_round_trip(tilt, swing) -> None:
    axis = axis_from_tilt_and_swing(tilt_rad=tilt, swing_rad=swing)
    assert np.linalg.norm(axis) == pytest.approx(1.0, abs=1e-12)
    np.testing.assert_allclose(tilt_and_swing_rad(axis), (tilt, swing), atol=1e-12)


def test_tilt_past_a_right_angle_is_refused() -> None:
    with pytest.raises(GeometryError, match="90 degrees"):
        axis_from_tilt_and_swing(tilt_rad=1.2, swing_rad=1.2)


def test_gauss_equation_on_the_axis() -> None:
    # 1/u + 1/v = 1/f: 100 mm focused at 300 mm images at 150 mm, half life size.
    image = image_points_mm(np.array([10.0, 0.0, 300.0]), state(100.0, 150.0))
    np.testing.assert_allclose(image, [-5.0, 0.0, -150.0])


@pytest.mark.parametrize(("f", "p", "_separation"), REAL_DESIGNS.values(), ids=REAL_DESIGNS)
def test_pupils_of_real_designs_are_conjugate(f: float, p: float, _separation: float) -> None:
    s = LensState(f, 8.0, f, pupil_magnification=p)
    entrance = np.array([0.0, 0.0, s.pupil_ahead_mm])
    exit_behind = -float(image_points_mm(entrance, s)[2])
    # The traces give exit pupil to rear focus, over f, equal to p on each design.
    assert (f - exit_behind) / f == pytest.approx(p, rel=1e-9)


@given(focal, st.floats(0.5, 2.0))
def test_entrance_pupil_stands_where_the_pupil_magnification_puts_it(f, p) -> None:
    s = state(f, f, p=p)
    moved = from_principal_point(np.array([0.0, 0.0, 0.0]), s)
    assert moved[2] == pytest.approx(f * (1.0 - 1.0 / p), abs=1e-9)


def test_wedge_faces_hold_points_at_the_allowed_blur() -> None:
    from verispect.optics.blur import blur_axes_mm

    for p in (1.0, 0.6, 1.7):
        s = state(50.0, 51.0, p=p)
        for face in depth_planes(s, 0.02):
            point = np.array([0.0, 0.0, 1.0 / face[2]])
            assert float(blur_axes_mm(point, s)[0]) == pytest.approx(0.02, rel=1e-9)


def test_half_thickness_at_the_hyperfocal_distance_is_the_hinge_distance() -> None:
    # Merklinger 1993 (from memory): at the hyperfocal distance the wedge is J thick on either side.
    f, n, c, tilt = 100.0, 16.0, 0.05, math.radians(4.0)
    axis = axis_from_tilt_and_swing(tilt_rad=tilt, swing_rad=0.0)
    hyperfocal = f * f / (n * c)
    v = float(focus_image_distance_mm(hyperfocal * np.array([0.0, 0.0, 1.0]), focal_mm=f, axis=axis))
    s = LensState(f, n, v, axis)
    plane = plane_of_sharp_focus(s)
    heights = [(1.0 - g[2] * hyperfocal) / g[1] for g in (*depth_planes(s, c), plane)]
    j = hinge_distance_mm(focal_length_mm=f, tilt_rad=tilt)
    assert abs(heights[0] - heights[2]) == pytest.approx(j, rel=0.02)
    assert abs(heights[1] - heights[2]) == pytest.approx(j, rel=0.02)
