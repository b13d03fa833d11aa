from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from verispect.optics.pose import camera_pose

angle = st.floats(-1.5, 1.5)


def test_level_camera_looks_away_with_world_axes() -> None:
    pose = camera_pose(height_m=1.5)
    np.testing.assert_allclose(pose.matrix, np.eye(3), atol=1e-15)
    np.testing.assert_allclose(pose.pupil_m, [0.0, 1.5, 0.0])


def test_positive_bearing_turns_right() -> None:
    pose = camera_pose(height_m=0.0, bearing_rad=0.3)
    assert pose.forward[0] > 0.0
    assert pose.right[2] < 0.0


def test_positive_pitch_looks_up() -> None:
    pose = camera_pose(height_m=0.0, pitch_rad=0.3)
    assert pose.forward[1] == pytest.approx(np.sin(0.3))
    assert pose.up[2] < 0.0


def test_positive_roll_leans_clockwise_as_the_photographer_sees_it() -> None:
    pose = camera_pose(height_m=0.0, roll_rad=0.3)
    assert pose.up[0] == pytest.approx(np.sin(0.3))
    assert pose.right[1] == pytest.approx(-np.sin(0.3))


@given(angle, angle, angle)
def test_basis_is_orthonormal_and_keeps_its_handedness(bearing: float, pitch: float, roll: float) -> None:
    matrix = camera_pose(height_m=1.0, bearing_rad=bearing, pitch_rad=pitch, roll_rad=roll).matrix
    np.testing.assert_allclose(matrix @ matrix.T, np.eye(3), atol=1e-12)
    assert np.linalg.det(matrix) == pytest.approx(1.0)


@given(angle, angle, angle, st.floats(-50, 50), st.floats(-50, 50), st.floats(-50, 50))
def test_world_and_camera_round_trip(b: float, p: float, r: float, x: float, y: float, z: float) -> None:
    pose = camera_pose(height_m=1.2, bearing_rad=b, pitch_rad=p, roll_rad=r)
    point = np.array([x, y, z])
    np.testing.assert_allclose(pose.to_world_m(pose.to_camera_mm(point)), point, atol=1e-9)


def test_mark_straight_ahead_lies_on_the_normal_in_mm() -> None:
    pose = camera_pose(height_m=1.5, bearing_rad=0.4, pitch_rad=-0.2, roll_rad=0.7)
    seen = pose.to_camera_mm(pose.pupil_m + 3.0 * pose.forward)
    np.testing.assert_allclose(seen, [0.0, 0.0, 3000.0], atol=1e-9)
