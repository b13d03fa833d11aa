"""A photograph taken from the camera's place: directions from pixels, and its level from what is drawn on it.

Images are indexed (row, column), the middle of the first pixel at (0, 0). A ± is 19 times in 20. Pixels are those
of the picture with the lens's distortion taken out (subject/distortion.py), which is what is shown.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from verispect.errors import GeometryError
from verispect.optics.pose import Pose, camera_pose
from verispect.optics.types import Floats

# How surely the end of a line is put on a picture by hand, in pixels of the picture as shown.
HAND_PX = 2.0
_NUDGE_PX = 0.5
_DISTINCT = 1e-9


_Count = Annotated[int, Field(gt=0, le=200_000)]


class Photograph(BaseModel):
    """Which picture, how it was taken, how it lay. Width and height are those of the picture held upright."""

    model_config = ConfigDict(frozen=True, extra="allow", allow_inf_nan=False, defer_build=True)

    file: str = Field(default="", max_length=4000)
    pixels: tuple[_Count, _Count] = Field(default=(6000, 4000), description="Width and height, held upright.")
    focal_mm: float = Field(default=24.0, gt=0.0, le=5000.0)
    sensor_long_mm: float = Field(default=36.0, gt=0.0, le=5000.0, description="Long side of its sensor.")
    bearing_deg: float = Field(default=0.0, ge=-360.0, le=360.0)
    pitch_deg: float = Field(default=0.0, gt=-90.0, lt=90.0)
    roll_deg: float = Field(default=0.0, ge=-180.0, le=180.0)
    pitch_plus_minus_deg: float = Field(default=0.0, ge=0.0, le=45.0)
    roll_plus_minus_deg: float = Field(default=0.0, ge=0.0, le=45.0)
    axis_column_px: float | None = Field(
        default=None, ge=-1e6, le=1e6, description="Where the lens's axis meets it; none: in the middle."
    )
    axis_row_px: float | None = Field(default=None, ge=-1e6, le=1e6)
    distortion_percent: float = Field(
        default=0.0, ge=-30.0, le=30.0, description="Of the lens, at the corner; negative: barrel."
    )

    @property
    def axis_px(self) -> Floats:
        """Row and column where the lens's axis meets the picture: off its middle when cropped or shifted."""
        middle = 0.5 * (np.array([self.pixels[1], self.pixels[0]]) - 1.0)
        told = (self.axis_row_px, self.axis_column_px)
        return np.array([own if own is not None else half for own, half in zip(told, middle, strict=True)])

    @property
    def focal_px(self) -> float:
        """Focal length in pixels."""
        return self.focal_mm / self.sensor_long_mm * max(self.pixels)

    def pose(self, height_m: float) -> Pose:
        """The basis in which it was taken, at a height."""
        return camera_pose(
            height_m=height_m,
            bearing_rad=math.radians(self.bearing_deg),
            pitch_rad=math.radians(self.pitch_deg),
            roll_rad=math.radians(self.roll_deg),
        )

    def rays(self, pixels: Floats) -> Floats:
        """Rays (..., 3) in (right, up, forward) through pixels (..., 2), rows first; forward is 1."""
        pixels = np.asarray(pixels, dtype=float)
        off = (pixels - self.axis_px) / self.focal_px
        return np.stack([off[..., 1], -off[..., 0], np.ones(off.shape[:-1])], axis=-1)

    def directions(self, pixels: Floats) -> Floats:
        """Unit directions (..., 3) in the world."""
        world = self.rays(pixels) @ self.pose(0.0).matrix
        found: Floats = world / np.linalg.norm(world, axis=-1, keepdims=True)
        return found

    def pixel_of(self, directions: Floats) -> Floats:
        """Pixels (..., 2), rows first, of directions in the world; NaN behind the camera."""
        seen = np.asarray(directions, dtype=float) @ self.pose(0.0).matrix.T
        with np.errstate(divide="ignore", invalid="ignore"):
            off = np.where(seen[..., 2:] > 0.0, seen[..., :2] / seen[..., 2:], np.nan) * self.focal_px
        middle = self.axis_px
        return np.stack([middle[0] - off[..., 1], middle[1] + off[..., 0]], axis=-1)


@dataclass(frozen=True)
class Level:
    """How a camera was held, in radians, each with its ±."""

    pitch_rad: float
    roll_rad: float
    pitch_plus_minus_rad: float
    roll_plus_minus_rad: float


def level_from_verticals(photo: Photograph, lines_px: Floats) -> Level:
    """Pitch and roll from two or more upright edges.

    Parameters
    ----------
    lines_px : ndarray, shape (L, 2, 2)
        Ends of each line as (row, column).

    Raises
    ------
    GeometryError
        If there are fewer than two, or they lie on one another.

    Notes
    -----
    The plane through the eye and each line holds the vertical direction, which is so the null vector of
    their normals (single-view metrology: Criminisi, Reid & Zisserman, IJCV 40, 2000).
    """
    lines = np.asarray(lines_px, dtype=float)
    if len(lines) < 2:
        raise GeometryError("one upright edge does not tell the pitch; draw two or more, well apart")
    return _levelled(photo, lines, _up_of_verticals)


def level_from_horizon(photo: Photograph, line_px: Floats) -> Level:
    """Pitch and roll from the horizon, shape (2, 2); its dip for the height of the eye is left out.

    Raises
    ------
    GeometryError
        If the ends lie on one another.
    """
    return _levelled(photo, np.asarray(line_px, dtype=float)[None], _up_of_horizon)


def _normals(photo: Photograph, lines_px: Floats) -> Floats:
    rays = photo.rays(lines_px)
    crossed = np.cross(rays[:, 0], rays[:, 1])
    length = np.linalg.norm(crossed, axis=1, keepdims=True)
    if float(length.min()) < 1e-6:
        raise GeometryError("a line needs two ends that lie apart")
    found: Floats = crossed / length
    return found


def _up_of_verticals(photo: Photograph, lines_px: Floats) -> Floats:
    _, size, rows = np.linalg.svd(_normals(photo, lines_px))
    if size[1] < 0.01 * size[0]:
        raise GeometryError("the upright edges lie on one another; draw them well apart")
    up: Floats = rows[2]
    return up if up[1] > 0.0 else -up


def _up_of_horizon(photo: Photograph, lines_px: Floats) -> Floats:
    up: Floats = _normals(photo, lines_px)[0]
    return up if up[1] > 0.0 else -up


def _angles(up: Floats) -> Floats:
    """Pitch and roll of a camera in whose frame the world's up is this."""
    return np.array([math.asin(min(max(float(up[2]), -1.0), 1.0)), math.atan2(-float(up[0]), float(up[1]))])


def _levelled(photo: Photograph, lines_px: Floats, up_of: Callable[[Photograph, Floats], Floats]) -> Level:
    pitch, roll = _angles(up_of(photo, lines_px))
    # Every end of every line is off by a hand's breadth on its own: summed in quadrature.
    spread = np.zeros(2)
    for index in np.ndindex(lines_px.shape):
        moved = [lines_px.copy(), lines_px.copy()]
        moved[0][index] += _NUDGE_PX
        moved[1][index] -= _NUDGE_PX
        there, back = (_angles(up_of(photo, lines)) for lines in moved)
        spread += ((there - back) / (2.0 * _NUDGE_PX) * HAND_PX) ** 2
    pitch_off, roll_off = np.sqrt(spread)
    return Level(float(pitch), float(roll), float(pitch_off), float(roll_off))


def on_plane(
    direction: Floats, *, eye_m: Floats, point_m: Floats, normal: Floats, angle_plus_minus_rad: float
) -> tuple[Floats, float]:
    """Where a line of sight meets a plane, and how surely its distance is known.

    Parameters
    ----------
    direction : ndarray, shape (3,)
        Unit.
    point_m, normal : ndarray, shape (3,)
        Of the plane.
    angle_plus_minus_rad : float
        How surely the direction is known.

    Raises
    ------
    GeometryError
        If it does not meet the plane before the camera.
    """
    rate = float(direction @ normal)
    away = float((point_m - eye_m) @ normal)
    if abs(rate) < _DISTINCT or away / rate <= 0.0:
        raise GeometryError("this line of sight does not meet that surface ahead; click where you see it")
    distance = away / rate
    # d = h / sin of the angle to the plane: a small turn changes it by d / tan.
    sine = min(abs(rate) / float(np.linalg.norm(normal)), 1.0)
    off = distance * math.sqrt(1.0 - sine * sine) / sine * angle_plus_minus_rad
    return eye_m + distance * direction, min(off, distance)


def above(foot_m: Floats, direction: Floats, *, eye_m: Floats) -> Floats:
    """The place straight above (or below) a foot on a line of sight.

    Raises
    ------
    GeometryError
        If the line of sight runs straight up or down, or away from the foot.
    """
    towards = np.array([foot_m[0] - eye_m[0], foot_m[2] - eye_m[2]])
    level = np.array([direction[0], direction[2]])
    run = float(level @ level)
    share = float(towards @ level) / run if run > _DISTINCT else -1.0
    if share <= 0.0:
        raise GeometryError("nothing stands above that foot in this direction")
    return np.array([foot_m[0], eye_m[1] + share * direction[1], foot_m[2]])


def from_known_height(foot: Floats, top: Floats, *, length_m: float) -> tuple[float, float]:
    """How far along the ground an upright thing of known length stands, and how far its foot lies below the eye.

    Parameters
    ----------
    foot, top : ndarray, shape (3,)
        Unit directions in the world.

    Raises
    ------
    GeometryError
        If top and foot are seen in one direction.
    """
    slopes = [float(d[1]) / max(math.hypot(float(d[0]), float(d[2])), _DISTINCT) for d in (foot, top)]
    if slopes[1] - slopes[0] < 1e-6:
        raise GeometryError("top and foot are seen in one direction; click the top above the foot")
    away = length_m / (slopes[1] - slopes[0])
    return away, -away * slopes[0]
