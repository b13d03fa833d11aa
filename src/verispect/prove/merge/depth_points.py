"""The depth map of a merge as points in the plan's world: the camera as a rangefinder all over the picture.

A place that is sharpest at image distance v lies on its ray where the lens images it there: with the ray r from the
entrance pupil, the axis a, and the pupil o ahead of the front principal point, P = λ r + o and f P_z = v (a·P − f),
so λ = (v (a·o − f) − f o_z)/(f r_z − v a·r).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import FileError
from verispect.optics.types import Floats
from verispect.plan.frames.exposure import Exposure
from verispect.prove.merge.series import Merged

MOST_POINTS = 200_000
# Detail below this, over the brightness about it, says nothing of depth; nor does depth that jumps about.
_LEAST_DETAIL, _MOST_JUMP = 0.008, 0.35
# What is sharpest in the first or the last frame may lie anywhere beyond it.
_END = 0.15


@dataclass(frozen=True)
class DepthPoints:
    """Places in the plan's world.

    Attributes
    ----------
    world_m : ndarray, shape (N, 3)
    colours : ndarray of uint8, shape (N, 3)
    plus_minus_m : ndarray, shape (N,)
        Half a step of focus to either side.
    """

    world_m: Floats
    colours: NDArray[np.uint8]
    plus_minus_m: Floats


def depth_points(merged: Merged, sensor_mm: tuple[float, float], *, most: int = MOST_POINTS) -> DepthPoints:
    """Points of everything in a merge that has detail, as many as `most`.

    Raises
    ------
    FileError
        For a merge without a depth map, or of other frames than were planned.
    """
    depth = merged.depth
    if depth is None:
        raise FileError("no depth map: a proof has none; merge in full")
    exposures = merged.exposures
    if exposures is None:
        raise FileError("other frames were merged than were planned: without a focus for each there are no distances")
    usable = _usable(merged, depth)
    places = np.argwhere(usable)
    if len(places) > most:
        places = places[np.linspace(0, len(places) - 1, most).astype(int)]
    index = depth[places[:, 0], places[:, 1]].astype(float)
    rows, columns = merged.pixels.shape[:2]
    scale = np.array([rows / depth.shape[0], columns / depth.shape[1]])
    pixel = (places + 0.5) * scale
    first = exposures[0]
    pitch = sensor_mm[0] / columns
    aside = np.column_stack([pixel[:, 1] - 0.5 * columns, 0.5 * rows - pixel[:, 0]]) * pitch
    # The image stands upside down on the sensor.
    aside -= np.asarray(first.sensor_centre_mm)
    rays = np.column_stack([aside / first.state.pupil_scale_mm, np.ones(len(aside))])
    away = [_along(rays, first, exposures, index + off) for off in (0.0, -0.5, 0.5)]
    with np.errstate(invalid="ignore"):
        sound = np.isfinite(away[0]) & (away[0] > 0.0)
    world = first.pose.to_world_m(rays[sound] * away[0][sound, None])
    span = 0.5 * np.abs(np.where(np.isfinite(away[1]), away[1], 2.0 * away[0]) - np.where(
        np.isfinite(away[2]), away[2], 2.0 * away[0]))[sound] / 1000.0  # fmt: skip
    at = pixel[sound].astype(int)
    colours = (merged.pixels[at[:, 0], at[:, 1]] >> 8).astype(np.uint8)
    return DepthPoints(world, colours, span)


def _along(rays: Floats, first: Exposure, exposures: Sequence[Exposure], index: Floats) -> Floats:
    """How far along each ray (its part ahead, mm) it is sharpest at a place in the run of frames."""
    numbers = np.arange(len(exposures))
    image = np.interp(index, numbers, [exposure.state.image_distance_mm for exposure in exposures])
    focal = np.interp(index, numbers, [exposure.state.focal_mm for exposure in exposures])
    axis = np.asarray(first.state.axis)
    ahead = first.state.pupil_ahead_mm * axis
    with np.errstate(divide="ignore"):
        found: Floats = (image * (axis @ ahead - focal) - focal * ahead[2]) / (
            focal * rays[:, 2] - image * (rays @ axis)
        )
    return found


def _usable(merged: Merged, depth: NDArray[np.float32]) -> NDArray[np.bool_]:
    """Where the picture has detail, and depth holds still."""
    rows, columns = depth.shape
    grey = cv2.resize(merged.pixels[..., 1].astype(np.float32), (columns, rows), interpolation=cv2.INTER_AREA)
    level = cv2.GaussianBlur(grey, (0, 0), 6.0) + 200.0
    band = (cv2.GaussianBlur(grey, (0, 0), 0.7) - cv2.GaussianBlur(grey, (0, 0), 2.0)) / level
    detail = np.sqrt(cv2.GaussianBlur(band * band, (0, 0), 3.0))
    mean = cv2.blur(depth, (5, 5))
    jump = np.sqrt(np.maximum(cv2.blur(depth * depth, (5, 5)) - mean * mean, 0.0))
    last = len(merged.frames) - 1
    found: NDArray[np.bool_] = (detail > _LEAST_DETAIL) & (jump < _MOST_JUMP) & (depth > _END) & (depth < last - _END)
    margin = 8
    found[:margin] = found[-margin:] = False
    found[:, :margin] = found[:, -margin:] = False
    return found


def ply_of(points: DepthPoints) -> bytes:
    """The points as a PLY in metres, with their colours and their ±: x to the right, y away, z up, right-handed.

    So they lie in the plan's world where a scan is brought in as it stands.
    """
    header = (
        "ply\nformat binary_little_endian 1.0\n"
        f"element vertex {len(points.world_m)}\n"
        "property float x\nproperty float y\nproperty float z\n"
        "property uchar red\nproperty uchar green\nproperty uchar blue\nproperty float plus_minus\nend_header\n"
    )
    kind = np.dtype([("place", "<f4", 3), ("colour", "u1", 3), ("plus_minus", "<f4")])
    rows = np.zeros(len(points.world_m), kind)
    rows["place"], rows["colour"], rows["plus_minus"] = (
        points.world_m[:, [0, 2, 1]],
        points.colours,
        points.plus_minus_m,
    )
    return header.encode("ascii") + rows.tobytes()
