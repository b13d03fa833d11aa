"""What the frames of a merge tell of distances, as points in the plan's world: the camera as a rangefinder.

How far away a block of the picture is its spectra tell, as those of marks do; every place of it that has detail is
taken to lie there. The merge's own depth map says which frame to take, not how far away a thing is: it is smoothed,
and between frames it leans towards their middle.

A place that is sharpest at image distance v lies on its ray where the lens images it there: with the ray r from the
entrance pupil, the axis a, and the pupil o ahead of the front principal point, P = λ r + o and f P_z = v (a·P − f),
so λ = (v (a·o − f) − f o_z)/(f r_z − v a·r).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import Cancelled, FileError
from verispect.optics.types import Floats
from verispect.plan.frames.between import blur_per_defocus
from verispect.plan.frames.exposure import Exposure
from verispect.plan.methods.candidate import Candidate
from verispect.prove.expected import view_of
from verispect.prove.intake import grey_linear, read_coded
from verispect.prove.merge.series import Merged
from verispect.prove.softness.block_map import HALF, BlockNet
from verispect.prove.softness.spectra import least_unsure_mm

MOST_POINTS = 200_000
# Detail below this, over the brightness about it, stands nowhere.
_LEAST_DETAIL = 0.008
# Blocks along the long side; a place this near to a block's middle, in halves of it, lies where the block does.
_ALONG, _WITHIN = 54, 0.8
# A place is told where the merge's own map has it within so many frames. By so much of a step of focus it is unsure
# for every frame that this map goes through within a block, up to so many. With these 88 in 100 places of 18 path-
# traced series lie within their ±, 80 without; more than twice as far off lie 5.5, and 11.4 without.
_AGREES, _MIXED, _MOST_MIXED = 1.0, 0.2, 3.0
# Frames that a rail took, not the focus, share their image distance to this.
_SAME_FOCUS = 1e-6


@dataclass(frozen=True)
class DepthPoints:
    """Places in the plan's world.

    Attributes
    ----------
    world_m : ndarray, shape (N, 3)
    colours : ndarray of uint8, shape (N, 3)
    plus_minus_m : ndarray, shape (N,)
        Within it lie about nine in ten; of what may be at infinity half of what it is away.
    """

    world_m: Floats
    colours: NDArray[np.uint8]
    plus_minus_m: Floats


def why_no_distances(merged: Merged) -> FileError | None:
    """Why a merge tells no distances; None where it does."""
    if merged.depth is None:
        return FileError("no depth map: a proof has none; merge in full")
    if merged.exposures is None:
        return FileError(
            "other frames were merged than were planned: without a focus for each there are no distances"
        )
    if len(merged.files) < 3:
        return FileError("two frames tell no distances: one place before and one behind look alike; take three")
    image = [exposure.state.image_distance_mm for exposure in merged.exposures]
    if max(image) - min(image) < _SAME_FOCUS * max(image):
        return FileError("the camera was moved, not its focus: such frames tell no distances; take a focus series")
    return None


def depth_points(
    merged: Merged,
    candidate: Candidate,
    *,
    most: int = MOST_POINTS,
    is_cancelled: Callable[[], bool] = lambda: False,
) -> DepthPoints:
    """Points of everything in a merge that has detail and one depth, as many as `most`.

    Raises
    ------
    FileError
        Where it tells none.
    Cancelled
    """
    none = why_no_distances(merged)
    if none is not None:
        raise none
    assert merged.depth is not None
    assert merged.exposures is not None
    exposures = tuple(merged.exposures)
    rows, columns = merged.pixels.shape[:2]
    first, pitch = exposures[0], candidate.scene.plan.sensor_mm[0] / columns
    pixels = (columns, rows)
    net = BlockNet(pixels, view_of(first, pixels, pitch), first.allowed_blur_mm / pitch, along=_ALONG)
    seen = {}
    for k, frame in enumerate(merged.files):
        if is_cancelled():
            raise Cancelled
        grey = grey_linear(read_coded(frame), 1)
        seen[k] = net.kept(np.asarray(grey, np.float32), view_of(exposures[k], pixels, pitch))
    sharp_at, unsure, middle = net.sharp_at(replace(candidate, exposures=exposures), seen, pitch)
    places = np.argwhere(_with_detail(merged, merged.depth.shape))
    pixel = (places + 0.5) * np.array([rows / merged.depth.shape[0], columns / merged.depth.shape[1]])
    block = [
        np.abs(pixel[:, axis, None] - at[None]).argmin(axis=1) for axis, at in enumerate((net.rows, net.columns))
    ]
    apart = np.hypot(pixel[:, 0] - net.rows[block[0]], pixel[:, 1] - net.columns[block[1]])
    image, sure = sharp_at[block[0], block[1]], unsure[block[0], block[1]]
    agree, mixed = _by_the_merge(merged.depth, exposures, places, image, columns)
    sure = np.hypot(sure, mixed)
    kept = np.flatnonzero(np.isfinite(image) & (apart < _WITHIN * HALF) & agree)
    if len(kept) > most:
        kept = kept[np.linspace(0, len(kept) - 1, most).astype(int)]
    least = least_unsure_mm(first.allowed_blur_mm, pitch) / blur_per_defocus(first)
    pixel, image, sure = pixel[kept], image[kept], np.maximum(sure[kept], least)
    of = middle[block[0], block[1]][kept]
    aside = np.column_stack([pixel[:, 1] - 0.5 * columns, 0.5 * rows - pixel[:, 0]]) * pitch
    # The image stands upside down on the sensor.
    aside -= np.asarray(first.sensor_centre_mm)
    rays = np.column_stack([aside / first.state.pupil_scale_mm, np.ones(len(aside))])
    away, near, far = (_along(rays, exposures, of, image + off) for off in (0.0 * sure, sure, -sure))
    sound = np.isfinite(away) & (away > 0.0)
    world = first.pose.to_world_m(rays[sound] * away[sound, None])
    # What may be at infinity is unsure by as much as it is away.
    beyond = np.where(np.isfinite(far) & (far > 0.0), far, 2.0 * away)
    span = 0.5 * np.abs(beyond - near)[sound] / 1000.0
    at = pixel[sound].astype(int)
    colours = (merged.pixels[at[:, 0], at[:, 1]] >> 8).astype(np.uint8)
    return DepthPoints(world, colours, span)


def _along(rays: Floats, exposures: Sequence[Exposure], of: NDArray[np.int64], image: Floats) -> Floats:
    """How far along each ray (its part ahead, mm) what is sharp at an image distance of an exposure lies."""
    focal = np.array([exposure.state.focal_mm for exposure in exposures])[of]
    pupil_ahead = np.array([exposure.state.pupil_ahead_mm for exposure in exposures])[of]
    axis = np.asarray(exposures[0].state.axis)
    with np.errstate(divide="ignore"):
        found: Floats = (image * (pupil_ahead - focal) - focal * pupil_ahead * axis[2]) / (
            focal * rays[:, 2] - image * (rays @ axis)
        )
    return found


def _by_the_merge(
    depth: NDArray[np.float32], exposures: Sequence[Exposure], places: NDArray[np.int64], image: Floats, columns: int
) -> tuple[NDArray[np.bool_], Floats]:
    """At which places the merge's own map has about the frame that the block tells, and what that leaves unsure, mm.

    A block before which a thing stands, or behind one, tells of either; beside things that are out of focus the map
    takes another frame than their own.
    """
    taken = np.array([exposure.state.image_distance_mm for exposure in exposures])
    steps = np.diff(taken)
    if not (np.all(steps > 0.0) or np.all(steps < 0.0)):
        return np.ones(len(places), bool), np.zeros(len(places))
    order = np.argsort(taken)
    number = np.interp(image, taken[order], order.astype(float))
    own = depth[places[:, 0], places[:, 1]]
    side = max(1, 2 * round(HALF * depth.shape[1] / columns) - 1)
    about = np.ones((side, side), np.uint8)
    span = (cv2.dilate(depth, about) - cv2.erode(depth, about))[places[:, 0], places[:, 1]]
    unsure = _MIXED * float(np.median(np.abs(steps))) * np.minimum(span, _MOST_MIXED)
    with np.errstate(invalid="ignore"):
        agree: NDArray[np.bool_] = np.abs(own - number) < _AGREES
    return agree, np.asarray(unsure, float)


def _with_detail(merged: Merged, shape: tuple[int, ...]) -> NDArray[np.bool_]:
    """Where the picture, at the size of its depth map, has detail."""
    grey = cv2.resize(merged.pixels[..., 1].astype(np.float32), (shape[1], shape[0]), interpolation=cv2.INTER_AREA)
    level = cv2.GaussianBlur(grey, (0, 0), 6.0) + 200.0
    band = (cv2.GaussianBlur(grey, (0, 0), 0.7) - cv2.GaussianBlur(grey, (0, 0), 2.0)) / level
    found: NDArray[np.bool_] = np.sqrt(cv2.GaussianBlur(band * band, (0, 0), 3.0)) > _LEAST_DETAIL
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
