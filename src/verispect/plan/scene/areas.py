"""Surfaces and scans as points to be weighed, within the wanted picture.

Everything happens in q = (x/z, y/z, 1/z) of the camera's frame: there a plane patch is a plane polygon, the
image distances at which points are sharp are linear for any axis of the lens, and only the corners of the
convex hull can bind (docs/derivations/areas.md).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from verispect.optics.convex import clipped
from verispect.optics.pose import Pose
from verispect.optics.types import Floats, Indices
from verispect.plan.document import Plan
from verispect.subject.camera import Around, Camera
from verispect.subject.mark import Need
from verispect.subject.scan import Cloud, Region, unpacked, within
from verispect.subject.surface import Surface, seen_from

if TYPE_CHECKING:
    from scipy.spatial import ConvexHull

# Samples of a surface lie this share of the picture's long side apart.
SPACING = 1.0 / 24.0
_MOST_STEPS = 40
# Nothing nearer than this is looked at.
_NEAREST_MM = 60.0
# A scan of more points than this in the picture is reduced to its hull and an even choice.
_PLENTY = 1500
_EVEN_CELLS = 12
# Cells in which a scan is looked at before its hull is taken, each way.
_CELLS = 40
# The rim left to the crop: a little more than a thin lens says, within these shares of the picture.
_RIM_SPARE = 1.1
_LEAST_RIM, _MOST_RIM = 0.002, 0.3


@dataclass(frozen=True)
class Area:
    """One surface or scan as points.

    Attributes
    ----------
    name, need : str
    weight, plus_minus_m, soft_times : float
    detail_mm : float or None
    world_m : ndarray, shape (P, 3)
        Empty where nothing of it lies in the picture.
    """

    name: str
    need: Need
    weight: float
    plus_minus_m: float
    soft_times: float
    detail_mm: float | None
    world_m: Floats


def areas_of(plan: Plan, pose: Pose, *, spacing: float = SPACING, to_its_edge: bool = False) -> tuple[Area, ...]:
    """The surfaces and scans of a plan that are not indifferent.

    But for the rim that a frame focused on the nearest of them would not show. With it if asked `to_its_edge`, of
    scans the rim alone.
    """
    if not plan.surfaces and not plan.scans:
        return ()
    if plan.camera.around != Around.PICTURE:
        return _areas_all_round(plan, spacing)
    half, kept = _picture(plan, pose)
    centre = np.asarray(plan.picture_centre)
    shown = 1.0 if to_its_edge else kept
    found = [
        _area(surface, _remembered(_Same(surface), plan.camera, _pair(half), shown, _pair(centre), spacing))
        for surface in plan.surfaces
        if surface.need != Need.MAY
    ]
    for cloud in plan.scans:
        if cloud.need != Need.MAY:
            key = (*_key(cloud, plan.camera), _pair(half), plan.picture_centre)
            found.append(_area(cloud, _reduced(*key, kept, to_its_edge)))
    return tuple(found)


def _areas_all_round(plan: Plan, spacing: float) -> tuple[Area, ...]:
    """As far as each of the faces of a cube about the camera shows them."""
    low, high = (math.sin(angle) for angle in plan.elevations_rad)
    parts = [areas_of(face, face.camera.pose(), spacing=spacing) for face in _faces(plan)]
    found = []
    for alike in zip(*parts, strict=True):
        world = np.concatenate([area.world_m for area in alike])
        away = world - plan.camera.pose().pupil_m
        height = away[:, 1] / np.maximum(np.linalg.norm(away, axis=1), 1e-12)
        found.append(replace(alike[0], world_m=world[(height >= low - 1e-9) & (height <= high + 1e-9)]))
    return tuple(found)


def _faces(plan: Plan) -> list[Plan]:
    """The plan with the camera turned to each face of a cube, a quarter turn wide and high, of which one is ahead."""
    camera = plan.camera
    square = {
        "around": Around.PICTURE, "aspect": 1.0, "framing_mm": 0.5 * min(plan.sensor_mm), "framing_width_mm": None,
        "framing_at_m": None, "rise_mm": 0.0, "cross_mm": 0.0, "roll_deg": 0.0,
    }  # fmt: skip
    ways = [(camera.bearing_deg + turn, 0.0) for turn in (0.0, 90.0, 180.0, 270.0)]
    ways += [(camera.bearing_deg, pitch) for pitch in (90.0, -90.0)]
    return [
        plan.model_copy(update={"camera": camera.model_copy(update=square | {"bearing_deg": b, "pitch_deg": p})})
        for b, p in ways
    ]


def _area(thing: Surface | Cloud, world_m: Floats) -> Area:
    return Area(thing.name, thing.need, thing.weight, thing.plus_minus_m, thing.soft_times, thing.detail_mm, world_m)


def _picture(plan: Plan, pose: Pose) -> tuple[Floats, float]:
    """Half the wanted picture as tangents, and the share of it that a frame focused on the nearest thing shows.

    Focused near, a lens sees less, by m/p; the final picture of a series is cropped to its narrowest frame.
    """
    half: Floats = np.asarray(plan.picture_mm) / (2.0 * plan.framing_mm)
    centre = np.asarray(plan.picture_centre)
    depths = [float(pose.to_camera_mm(np.array([m.x_m, m.y_m, m.z_m]))[2]) for m in plan.marks if m.need != Need.MAY]
    for surface in plan.surfaces:
        if surface.need != Need.MAY:
            for patch in seen_from(surface, pose.pupil_m):
                depths.extend(in_view(pose.to_camera_mm(patch.corners()), half, centre)[:, 2].tolist())
    for cloud in plan.scans:
        if cloud.need != Need.MAY:
            seen = _in_picture(*_key(cloud, plan.camera), _pair(half), plan.picture_centre)[1]
            depths.append(float(seen[:, 2].min(initial=math.inf)))
    focal = plan.framing_mm
    nearest = max(min(depths, default=math.inf), 2.0 * focal)
    pupil = min((lens.pupil_magnification for lens in plan.kit.lenses), default=1.0)
    rim = _RIM_SPARE * focal / (nearest - focal) / min(pupil, 1.0)
    # In steps, so that a nearest mark in a hand does not ask for the hull of a scan anew all the time.
    rim = _LEAST_RIM * math.ceil(rim / _LEAST_RIM - 1e-9)
    return half, 1.0 - min(max(rim, _LEAST_RIM), _MOST_RIM)


def _pair(half: Floats) -> tuple[float, float]:
    return float(half[0]), float(half[1])


def _to_q(points_mm: Floats) -> Floats:
    q = points_mm / points_mm[:, 2:]
    q[:, 2] = 1.0 / points_mm[:, 2]
    return q


def _from_q(q: Floats) -> Floats:
    return np.column_stack([q[:, :2], np.ones(len(q))]) / q[:, 2:]


class _Same:
    """Something that is compared by being the very same: quicker than by all its values."""

    __slots__ = ("thing",)

    def __init__(self, thing: Surface) -> None:
        self.thing = thing

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and other.thing is self.thing

    def __hash__(self) -> int:
        return id(self.thing)


@lru_cache(maxsize=128)
def _remembered(
    surface: _Same,
    camera: Camera,
    half: tuple[float, float],
    kept: float,
    centre: tuple[float, float],
    spacing: float,
) -> Floats:
    """Samples of a surface, while it and the camera stay: a mark may be in a hand."""
    inner = np.asarray(half) * kept
    return _surface_samples(surface.thing, camera.pose(), inner, np.asarray(centre), spacing)


def _surface_samples(surface: Surface, pose: Pose, half: Floats, centre: Floats, spacing: float) -> Floats:
    """World places (P, 3) spread evenly in the picture over what is seen of a surface."""
    step = spacing * 2.0 * float(half.max())
    found = []
    for patch in seen_from(surface, pose.pupil_m):
        corners = in_view(pose.to_camera_mm(patch.corners()), half, centre)
        if len(corners) >= 3:
            found.append(_spread(_to_q(corners), step))
    if not found:
        return np.zeros((0, 3))
    return pose.to_world_m(_from_q(np.concatenate(found)))


def in_view(polygon_mm: Floats, half: Floats, centre: Floats) -> Floats:
    """A convex polygon (K, 3) in the camera's frame, within the picture's pyramid."""
    left, low = (float(part) for part in half - centre)
    right, high = (float(part) for part in half + centre)
    planes = [
        (np.array([0.0, 0.0, 1.0]), _NEAREST_MM),
        (np.array([1.0, 0.0, left]), 0.0),
        (np.array([-1.0, 0.0, right]), 0.0),
        (np.array([0.0, 1.0, low]), 0.0),
        (np.array([0.0, -1.0, high]), 0.0),
    ]
    for normal, least in planes:
        polygon_mm = clipped(polygon_mm, polygon_mm @ normal - least)
    return polygon_mm


def _spread(q: Floats, step: float) -> Floats:
    """Points of a plane polygon in q, its corners among them, at most `step` apart in the picture."""
    found = [q]
    for k in range(1, len(q) - 1):
        corner, first, second = q[0], q[k], q[k + 1]
        long = max(float(np.hypot(*(a - b)[:2])) for a, b in ((corner, first), (first, second), (second, corner)))
        n = min(max(math.ceil(long / step), 1), _MOST_STEPS)
        i, j = np.meshgrid(np.arange(n + 1), np.arange(n + 1))
        kept = i + j <= n
        s, t = (i[kept] / n)[:, None], (j[kept] / n)[:, None]
        found.append(corner + s * (first - corner) + t * (second - corner))
    return np.concatenate(found)


def seen_of_cloud(plan: Plan, cloud: Cloud) -> Floats:
    """World places (P, 3) of a scan that lie in the wanted picture."""
    if plan.camera.around != Around.PICTURE:
        return np.concatenate([seen_of_cloud(face, cloud) for face in _faces(plan)])
    half: Floats = np.asarray(plan.picture_mm) / (2.0 * plan.framing_mm)
    return _in_picture(*_key(cloud, plan.camera), _pair(half), plan.picture_centre)[0]


_CloudKey = tuple[str, int, Region | None, Camera]


def _key(cloud: Cloud, camera: Camera) -> _CloudKey:
    return cloud.points, cloud.count, cloud.region_m, camera


@lru_cache(maxsize=4)
def _in_picture(
    points: str,
    count: int,
    region: Region | None,
    camera: Camera,
    half: tuple[float, float],
    centre: tuple[float, float],
) -> tuple[Floats, Floats, Floats]:
    """What a picture shows of a scan: in the world, in the camera's frame in mm, and how far out, 1 at its edge."""
    world = within(unpacked(points, count), region)
    seen = camera.pose().to_camera_mm(world)
    across, up = centre
    out = np.maximum(
        np.abs(seen[:, 0] - across * seen[:, 2]) / half[0], np.abs(seen[:, 1] - up * seen[:, 2]) / half[1]
    )
    inside = (seen[:, 2] > _NEAREST_MM) & (out <= seen[:, 2])
    seen = seen[inside]
    return world[inside], seen, out[inside] / seen[:, 2]


@lru_cache(maxsize=8)
def _reduced(
    points: str,
    count: int,
    region: Region | None,
    camera: Camera,
    half: tuple[float, float],
    centre: tuple[float, float],
    kept: float,
    beyond: bool,
) -> Floats:
    """World places (P, 3) of a scan that can decide, remembered while the camera stays.

    Of the picture the share `kept` about its middle is looked at, or what lies `beyond`.
    """
    world, seen, out = _in_picture(points, count, region, camera, half, centre)
    looked_at = out > kept if beyond else out <= kept
    if beyond and not looked_at.any():
        # One place stands for it: what is looked at of it more densely goes by that.
        return world[:1]
    world, seen = world[looked_at], seen[looked_at]
    return world if len(world) <= _PLENTY else world[deciding_of(_to_q(seen))]


def deciding_of(q: Floats) -> Indices:
    """Indices of the corners of the hull of points q (P, 3), and of an even choice among all."""
    size = np.maximum(np.ptp(q, axis=0), 1e-300)
    scaled = (q - q.min(axis=0)) / size
    cells = (scaled * (_CELLS - 1e-9)).astype(np.int32)
    number = (cells[:, 2] * _CELLS + cells[:, 1]) * _CELLS + cells[:, 0]
    some = np.full(_CELLS**3, -1)
    some[number] = np.arange(len(q))
    chosen = some[some >= 0]
    # Of the chosen ones fewer, as evenly.
    sparse = np.full(_EVEN_CELLS**3, -1)
    coarse = (scaled[chosen] * (_EVEN_CELLS - 1e-9)).astype(np.int64) @ np.array([1, _EVEN_CELLS, _EVEN_CELLS**2])
    sparse[coarse] = chosen
    outer = _outer(scaled, cells, number, chosen)
    return np.unique(np.concatenate([outer[_hull(scaled[outer]).vertices], sparse[sparse >= 0]]))


def _outer(scaled: Floats, cells: Indices, number: Indices, chosen: Indices) -> Indices:
    """The points not within the hull of the chosen ones: no corner of the whole is lost.

    Of each cell only the faces are asked that some place of it may lie outside of.
    """
    faces = _hull(scaled[chosen]).equations
    half = 0.5 / _CELLS * np.abs(faces[:, :3]).sum(axis=1) + faces[:, 3]
    order = np.argsort(number, kind="stable")
    # `chosen` holds one point of every cell, in the order of the cells.
    first = np.searchsorted(number[order], number[chosen])
    last = np.append(first[1:], len(number))
    kept = np.zeros(len(number), dtype=bool)
    kept[chosen] = True
    for k, cell in enumerate(cells[chosen]):
        doubtful = faces[faces[:, :3] @ ((cell + 0.5) / _CELLS) + half > 0.0]
        if len(doubtful):
            mine = order[first[k] : last[k]]
            height = (scaled[mine] @ doubtful[:, :3].T + doubtful[:, 3]).max(axis=1)
            kept[mine[height > 0.0]] = True
    return np.flatnonzero(kept)


def _hull(points: Floats) -> ConvexHull:
    from scipy.spatial import ConvexHull, QhullError

    try:
        return ConvexHull(points)
    except QhullError:
        # Flat to within rounding, as a wall that was never scanned but drawn: joggled it has a hull.
        return ConvexHull(points, qhull_options="QJ")
