"""Where the camera looks: from bearing, pitch and roll to its basis, and points seen from it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from verispect.optics.types import Floats


@dataclass(frozen=True)
class Pose:
    """The camera's place and basis in the world (x right, y up, z away).

    Attributes
    ----------
    pupil_m : ndarray, shape (3,)
        Centre of the entrance pupil, metres.
    right, up, forward : ndarray, shape (3,)
        Unit vectors; `forward` is the sensor's normal towards the scene.
    """

    pupil_m: Floats
    right: Floats
    up: Floats
    forward: Floats

    @cached_property
    def matrix(self) -> Floats:
        """Rows right, up, forward: world vectors to camera vectors, shape (3, 3)."""
        return np.stack([self.right, self.up, self.forward])

    def to_camera_mm(self, points_m: Floats) -> Floats:
        """World points (..., 3) in metres to camera points in mm, from the entrance pupil."""
        seen: Floats = (np.asarray(points_m, dtype=float) - self.pupil_m) @ self.matrix.T * 1000.0
        return seen

    def to_world_m(self, points_mm: Floats) -> Floats:
        """Camera points (..., 3) in mm to world points in metres."""
        placed: Floats = np.asarray(points_mm, dtype=float) @ self.matrix / 1000.0 + self.pupil_m
        return placed


def camera_pose(*, height_m: float, bearing_rad: float = 0.0, pitch_rad: float = 0.0, roll_rad: float = 0.0) -> Pose:
    """Pose of a camera whose entrance pupil stands `height_m` above the origin.

    Parameters
    ----------
    height_m : float
        Metres above the ground.
    bearing_rad, pitch_rad, roll_rad : float
        Bearing clockwise seen from above (positive turns right), then pitch (positive up), then roll
        (positive clockwise as the photographer sees it).

    Examples
    --------
    >>> camera_pose(height_m=1.5, bearing_rad=np.pi / 2).forward.round(6).tolist()
    [1.0, 0.0, 0.0]
    """
    sin_b, cos_b = np.sin(bearing_rad), np.cos(bearing_rad)
    sin_p, cos_p = np.sin(pitch_rad), np.cos(pitch_rad)
    forward = np.array([sin_b * cos_p, sin_p, cos_b * cos_p])
    level_right = np.array([cos_b, 0.0, -sin_b])
    level_up = np.array([-sin_b * sin_p, cos_p, -cos_b * sin_p])
    sin_r, cos_r = np.sin(roll_rad), np.cos(roll_rad)
    return Pose(
        pupil_m=np.array([0.0, height_m, 0.0]),
        right=level_right * cos_r - level_up * sin_r,
        up=level_up * cos_r + level_right * sin_r,
        forward=forward,
    )
