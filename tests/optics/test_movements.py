"""Movements of both standards: against SciPy's rotations, and as one geometry however it is set."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from verispect.errors import GeometryError
from verispect.optics.blur import blur_axes_mm
from verispect.optics.lens_state import LensState, axis_from_tilt_and_swing
from verispect.optics.movements import (
    axis_from_rotating,
    base_tilt_moves_mm,
    detent_directions,
    geometry_of,
    rotating_from_axis,
    settings_for_direction,
    share_between_standards,
    standard_matrix,
)

ANGLES = st.floats(-0.3, 0.3)
ORDERS = st.sampled_from(["swing rides", "tilt rides"])


@given(tilt=ANGLES, swing=ANGLES, order=ORDERS)
def test_standard_agrees_with_general_rotations(tilt, swing, order) -> None:
    """scipy.spatial.transform.Rotation, x right, y up, z away: forward tilt is +x, a turn to the right +y."""
    about_x, about_y = Rotation.from_rotvec([tilt, 0, 0]), Rotation.from_rotvec([0, swing, 0])
    whole = about_x * about_y if order == "swing rides" else about_y * about_x
    found = standard_matrix(tilt_rad=tilt, swing_rad=swing, order=order)
    assert found == pytest.approx(whole.as_matrix().T, abs=1e-12)


@given(tilt=ANGLES, swing=ANGLES, order=ORDERS)
def test_settings_and_direction_are_a_round_trip(tilt, swing, order) -> None:
    forward = standard_matrix(tilt_rad=tilt, swing_rad=swing, order=order)[2]
    assert settings_for_direction(tuple(forward), order) == pytest.approx((tilt, swing), abs=1e-12)


def test_signs_of_tilt_and_swing() -> None:
    assert standard_matrix(tilt_rad=0.1, swing_rad=0.0, order="tilt rides")[2][1] < 0.0
    assert standard_matrix(tilt_rad=0.0, swing_rad=0.1, order="tilt rides")[2][0] > 0.0


@given(tilt=ANGLES, swing=ANGLES)
def test_an_axis_that_rides_decides_whether_the_horizon_leans(tilt, swing) -> None:
    """With the tilt riding on the swing the standard's right stays level; the other way it leans."""
    level = standard_matrix(tilt_rad=tilt, swing_rad=swing, order="tilt rides")[0]
    leaning = standard_matrix(tilt_rad=tilt, swing_rad=swing, order="swing rides")[0]
    assert level[1] == pytest.approx(0.0, abs=1e-12)
    assert leaning[1] == pytest.approx(math.sin(tilt) * math.sin(swing), abs=1e-12)


@given(tilt=ANGLES, swing=ANGLES, share=st.floats(0, 1), lens_order=ORDERS, back_order=ORDERS)
def test_shared_between_standards_gives_the_same_geometry(tilt, swing, share, lens_order, back_order) -> None:
    axis = axis_from_tilt_and_swing(tilt_rad=tilt, swing_rad=swing)
    setting = share_between_standards(axis, lens_share=share, lens_order=lens_order, back_order=back_order)
    assert geometry_of(setting, lens_order=lens_order, back_order=back_order) == pytest.approx(axis, abs=1e-12)


@given(tilt=ANGLES, swing=ANGLES, back_order=ORDERS)
def test_turning_the_camera_and_the_back_home_is_swinging_the_lens(tilt, swing, back_order) -> None:
    """In the world: with all of it given to the back, the bed looks along the lens's axis, the lens stands
    straight on it, and the back faces where the sensor of the lens-swung camera faced. A world point then
    blurs alike, to the last digit that floats keep."""
    axis = axis_from_tilt_and_swing(tilt_rad=tilt, swing_rad=swing)
    setting = share_between_standards(axis, lens_share=0.0, lens_order="swing rides", back_order=back_order)
    assert (setting.lens_tilt_rad, setting.lens_swing_rad) == pytest.approx((0.0, 0.0), abs=1e-12)
    bed = standard_matrix(tilt_rad=setting.bed_tilt_rad, swing_rad=setting.bed_swing_rad, order="swing rides")
    assert bed[2] == pytest.approx(axis, abs=1e-12)
    back = standard_matrix(tilt_rad=setting.back_tilt_rad, swing_rad=setting.back_swing_rad, order=back_order)
    sensor = back @ bed
    assert sensor[2] == pytest.approx([0.0, 0.0, 1.0], abs=1e-12)
    point = np.array([300.0, -500.0, 4000.0])
    swung = blur_axes_mm(point, LensState(90.0, 8.0, 93.0, axis))
    x, y, z = (float(part) for part in sensor @ np.asarray(axis))
    turned = blur_axes_mm(sensor @ point, LensState(90.0, 8.0, 93.0, (x, y, z)))
    assert turned == pytest.approx(swung, rel=1e-9)


@given(tilt=ANGLES, swing=ANGLES)
def test_rotating_mount_is_a_round_trip(tilt, swing) -> None:
    axis = axis_from_tilt_and_swing(tilt_rad=tilt, swing_rad=swing)
    assert axis_from_rotating(rotating_from_axis(axis)) == pytest.approx(axis, abs=1e-12)


def test_plain_tilt_of_a_rotating_mount_points_down() -> None:
    setting = rotating_from_axis(axis_from_tilt_and_swing(tilt_rad=0.1, swing_rad=0.0))
    assert setting.lean_rad == pytest.approx(0.1)
    assert setting.direction_rad == pytest.approx(-math.pi / 2)


def test_detents_cover_a_half_turn() -> None:
    assert len(detent_directions(30.0)) == 6
    angles = [math.degrees(math.atan2(y, x)) for x, y in detent_directions(30.0)]
    assert angles == pytest.approx([0, 30, 60, 90, 120, 150])


def test_base_tilt_moves_the_lens_forward_and_down() -> None:
    up, ahead = base_tilt_moves_mm(tilt_rad=math.radians(10), below_mm=100.0)
    assert (up, ahead) == pytest.approx((-1.519, 17.365), abs=1e-3)


def test_a_standard_cannot_face_back() -> None:
    with pytest.raises(GeometryError, match="before the bed"):
        settings_for_direction((0.0, 0.0, -1.0), "swing rides")
