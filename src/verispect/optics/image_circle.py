"""The image circle: a cone about the lens's axis that every used corner of the sensor must lie in."""

from __future__ import annotations

import numpy as np

from verispect.optics.lens_state import LensState
from verispect.optics.types import Floats


def corner_points_mm(size_mm: tuple[float, float], centre_mm: tuple[float, float]) -> Floats:
    """Corners of a rectangle on the sensor, (4, 2), from its size and centre."""
    half = 0.5 * np.asarray(size_mm)
    signs = np.array([[-1.0, -1.0], [1.0, -1.0], [1.0, 1.0], [-1.0, 1.0]])
    corners: Floats = np.asarray(centre_mm) + signs * half
    return corners


def circle_share(points_mm: Floats, state: LensState, image_circle_mm: float) -> Floats:
    """How far out points on the sensor lie: 0 on the lens's axis, 1 at the edge of the image circle, (...)."""
    radius = 0.5 * image_circle_mm
    found: Floats = 1.0 - circle_reserve_mm(points_mm, state, image_circle_mm) / radius
    return found


def circle_reserve_mm(points_mm: Floats, state: LensState, image_circle_mm: float) -> Floats:
    """How far inside the image circle points on the sensor lie; negative outside.

    Parameters
    ----------
    points_mm : ndarray, shape (..., 2)
        (right, up) on the sensor from the foot of the rear principal point.
    image_circle_mm : float
        Diameter for an untilted lens focused at infinity.

    Returns
    -------
    ndarray, shape (...)
        mm, reckoned in the plane across the axis one focal length behind the lens.

    Notes
    -----
    The cone has its tip in the rear principal point and the half-angle atan(circle / 2f).
    """
    axis = np.asarray(state.axis)
    depth = np.full((*points_mm.shape[:-1], 1), -state.image_distance_mm)
    rays = np.concatenate([np.asarray(points_mm, dtype=float), depth], axis=-1)
    along = -(rays @ axis)
    across = np.linalg.norm(rays + along[..., None] * axis, axis=-1)
    with np.errstate(divide="ignore"):
        radius = np.where(along > 0.0, state.focal_mm * across / along, np.inf)
    return np.asarray(0.5 * image_circle_mm - radius)
