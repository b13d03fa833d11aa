"""From a plane of the scene through a point of the exit pupil to the picture's pixels: a homography.

docs/derivations/rehearse.md. In the camera's frame, mm, a point P from the front principal point has the image
q/w with q = −f P and w = a·P − f; the ray from a point E of the exit pupil through it meets the sensor plane
z = −v at [E (q_z − w E_z) + (−v − E_z)(q − w E)] / (q_z − w E_z), which is linear in (P, 1) above and below.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from verispect.optics.blur import image_centres_mm
from verispect.optics.lens_state import from_principal_point
from verispect.optics.types import Floats
from verispect.plan.frames.exposure import Exposure

_GOLDEN = math.pi * (3.0 - math.sqrt(5.0))
# With fewer, moments cannot be made to measure.
_FEW_VIEWS = 8
# Two irrational steps that fill a square evenly (generalised golden ratio of two dimensions; from memory).
_EVEN = (0.7548776662466927, 0.5698402909980532)


def looking_at(exposure: Exposure, world_m: Floats, side: int, pitch_mm: float) -> Camera:
    """An exposure before a square of so many pixels about the image of a place (3,)."""
    points = from_principal_point(exposure.pose.to_camera_mm(world_m[None]), exposure.state)
    across, up = image_centres_mm(points, exposure.state)[0]
    return Camera(replace(exposure, sensor_centre_mm=(float(across), float(up))), (side, side), pitch_mm)


@dataclass(frozen=True)
class Camera:
    """One exposure before a picture of so many pixels.

    Attributes
    ----------
    exposure : Exposure
    pixels : (int, int)
        Width and height.
    pitch_mm : float
        Of the pixels of this picture.
    """

    exposure: Exposure
    pixels: tuple[int, int]
    pitch_mm: float

    def to_lens_mm(self, world_m: Floats) -> Floats:
        """World points (..., 3) from the front principal point in the camera's frame, mm."""
        found: Floats = (np.asarray(world_m) - self.exposure.position_m) @ self.exposure.pose.matrix.T * 1000.0
        return found

    def to_pixel(self) -> Floats:
        """Sensor mm (x, y, 1) to (column, row, 1), pixel centres at whole numbers; the picture is turned upright."""
        x0, y0 = self.exposure.sensor_centre_mm
        p = self.pitch_mm
        wide, high = self.pixels
        return np.array([[-1 / p, 0, x0 / p + 0.5 * (wide - 1)], [0, 1 / p, -y0 / p + 0.5 * (high - 1)], [0, 0, 1.0]])

    def pupil_points_mm(self, count: int, radii: Floats | None = None) -> Floats:
        """Points of the exit pupil (K, 3) from the rear principal point, spread evenly over its disc.

        One point alone is the pupil's middle. With radii (K,), as shares of the pupil's, they lie so far out.
        """
        state = self.exposure.state
        axis = np.asarray(state.axis)
        centre = -state.focal_mm * (1.0 - state.pupil_magnification) * axis
        if count == 1:
            return centre[None]
        radius = 0.5 * state.pupil_magnification * state.focal_mm / state.f_number
        first = np.array([1.0, 0.0, 0.0]) - axis[0] * axis
        first /= np.linalg.norm(first)
        second = np.cross(axis, first)
        k = np.arange(count)
        r = radius * (np.sqrt((k + 0.5) / count) if radii is None else radii)
        disc = np.stack([r * np.cos(k * _GOLDEN), r * np.sin(k * _GOLDEN)], axis=1)
        # A spiral's centre of gravity is a little off the middle; what is in focus may not move for that.
        disc -= disc.mean(axis=0)
        if radii is not None and count >= _FEW_VIEWS:
            # Nor may few that lie far out blur more in one direction.
            spread = np.linalg.cholesky(disc.T @ disc / count)
            disc = disc @ np.linalg.inv(spread).T * math.sqrt(0.5 * float(np.mean(r**2)))
        found: Floats = centre + disc[:, :1] * first + disc[:, 1:] * second
        return found

    def bend_px(self, pupil_mm: Floats, place_px: tuple[float, float]) -> Floats:
        """How far each view (K, 3) lies off about a place of the picture, since the lens is sharpest elsewhere there.

        Rays that meet farther from the lens by δ have, at the sensor, still as much of their pupil's offset before
        them as δ over the way from the pupil; the middle ray stays. Columns and rows, shape (K, 2).
        """
        state = self.exposure.state
        if state.bend is None:
            return np.zeros((len(pupil_mm), 2))
        to_pixel = self.to_pixel()
        at = np.linalg.inv(to_pixel) @ np.array([*place_px, 1.0])
        ray = np.array([at[0], at[1], -state.image_distance_mm])
        axis = np.asarray(state.axis)
        height = state.focal_mm * np.linalg.norm(ray - (ray @ axis) * axis) / abs(float(ray @ axis))
        away = float(state.bend.away_mm(float(height), state.f_number))
        offset = pupil_mm - self.pupil_points_mm(1)
        way = state.image_distance_mm + pupil_mm[:, 2:]
        found: Floats = (offset[:, :2] * away / way) @ to_pixel[:2, :2].T
        return found

    def onto_pixels(self, basis_mm: Floats, pupil_mm: Floats) -> Floats:
        """Homographies (K, 3, 3) from plane coordinates (u, v, 1) to (column, row, 1) through pupil points.

        Parameters
        ----------
        basis_mm : ndarray, shape (3, 3)
            Columns that take (u, v, 1) to the point from the front principal point.
        pupil_mm : ndarray, shape (K, 3)
        """
        state = self.exposure.state
        f, v, axis = state.focal_mm, state.image_distance_mm, np.asarray(state.axis)
        q = -f * basis_mm
        w = axis @ basis_mm - f * np.array([0.0, 0.0, 1.0])
        ez = pupil_mm[:, 2][:, None]
        # Below: q_z − w E_z, one row a pupil point.
        below = q[2][None] - w[None] * ez
        moved = q[None] - pupil_mm[:, :, None] * w[None, None]
        above = pupil_mm[:, :, None] * below[:, None] + (-v - pupil_mm[:, 2])[:, None, None] * moved
        onto_sensor = np.stack([above[:, 0], above[:, 1], below], axis=1)
        found: Floats = self.to_pixel()[None] @ onto_sensor
        return found


def jitter(pupil_mm: Floats, seed: int) -> Floats:
    """Offsets within a pixel (K, 2) for views through points of the pupil (K, 3): even over the square.

    In an order free of the pupil's, as second moments have it: the two do not go together at all, and spread by
    1/12 each way. What views are left to chance is then of higher order.
    """
    count = len(pupil_mm)
    k = np.random.default_rng(seed).permutation(count) + 0.5
    found: Floats = np.stack([(k * step) % 1.0 for step in _EVEN], axis=1) - 0.5
    centred: Floats = found - found.mean(axis=0)
    if count < _FEW_VIEWS:
        return centred
    through = pupil_mm[:, :2] - pupil_mm[:, :2].mean(axis=0)
    free = centred - through @ np.linalg.lstsq(through, centred, rcond=None)[0]
    spread = np.linalg.cholesky(free.T @ free / count)
    even: Floats = free @ np.linalg.inv(spread).T / math.sqrt(12.0)
    return even
