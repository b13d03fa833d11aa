"""The subject as arrays, ready for the optics."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from verispect.errors import PlanError
from verispect.kit.mounted_lens import focal_range
from verispect.optics.pose import Pose
from verispect.optics.types import Bools, Floats, Indices
from verispect.plan.document import Plan
from verispect.plan.scene.areas import SPACING, Area, areas_of, seen_of_cloud
from verispect.subject.camera import Around
from verispect.subject.mark import Need

# What there is of every point beside its place, its name and its need.
_ARRAYS = (
    "weights", "speeds_mm_s", "own_speeds_mm_s", "swing_mm", "plus_minus_m", "plus_minus_side_m",
    "plus_minus_speed_mm_s", "soft_times", "musts", "deciding", "wanted_soft", "group",
)  # fmt: skip
# Samples of an area looked at, against those solved for, along a line; at most so many.
_DENSER = 4.0
_MOST_OF_AN_AREA = 4_000


@dataclass(frozen=True)
class Scene:
    """Marks as arrays, and behind them the points of surfaces and scans, with the plan they came from.

    Attributes
    ----------
    plan : Plan
    pose : Pose
        The camera's place and basis.
    mark_count : int
        How many of the points are marks; those of areas come after.
    world_m : ndarray, shape (M, 3)
    weights, plus_minus_m, plus_minus_side_m, plus_minus_speed_mm_s, soft_times : ndarray, shape (M,)
    speeds_mm_s, own_speeds_mm_s : ndarray, shape (M,)
        `speeds_mm_s` is how fast each crosses the view, by its own movement and by the hands that hold the camera or
        the tripod that still swings; `own_speeds_mm_s` the former alone.
    swing_mm : ndarray, shape (M,)
        How far the tripod swings over each, from one side to the other, so long after a touch as is waited.
    swing_per_s : float
        Its greatest speed over how far it goes from side to side: π times its swings a second.
    musts : ndarray of bool, shape (M,)
    deciding : ndarray of bool, shape (M,)
        The points that settings are searched for: the musts, or where there are none the shoulds, or all.
    wanted_soft : ndarray of bool, shape (M,)
    names, needs : tuple of str
        Of every point; one of an area bears the area's.
    group : ndarray of int, shape (M,)
        What is unsure together: a mark by itself, an area as a whole.
    areas : tuple of Area
    lost_areas : tuple of str
        Areas that must be sharp and of which nothing lies in the picture.
    blur_share : float
        Of the allowed blur that a series may use up: less of it takes more frames and holds more surely.
    """

    plan: Plan
    pose: Pose
    mark_count: int
    world_m: Floats
    weights: Floats
    speeds_mm_s: Floats
    own_speeds_mm_s: Floats
    swing_mm: Floats
    plus_minus_m: Floats
    plus_minus_side_m: Floats
    plus_minus_speed_mm_s: Floats
    soft_times: Floats
    musts: Bools
    deciding: Bools
    wanted_soft: Bools
    names: tuple[str, ...]
    needs: tuple[str, ...]
    group: Indices
    areas: tuple[Area, ...] = ()
    lost_areas: tuple[str, ...] = ()
    blur_share: float = 1.0
    swing_per_s: float = 0.0

    def path_mm(self, seconds: Floats | float, rows: Indices | slice = slice(None)) -> Floats:
        """How far points cross the view during an exposure: a swing goes no farther than from side to side."""
        swing = self.swing_mm[rows]
        if not np.any(swing):
            straight: Floats = self.speeds_mm_s[rows] * seconds
            return straight
        fastest = swing * self.swing_per_s
        moved = np.sqrt(np.maximum(self.speeds_mm_s[rows] ** 2 - fastest**2, 0.0)) * seconds
        found: Floats = np.hypot(moved, np.minimum(fastest * seconds, swing))
        return found

    @cached_property
    def points_mm(self) -> Floats:
        """Marks in the camera's frame from the entrance pupil, mm, shape (M, 3)."""
        return self.pose.to_camera_mm(self.world_m)

    @cached_property
    def depth_mm(self) -> Floats:
        """How far away each point lies along the view; of what goes all round, straight from the camera, (M,)."""
        if self.plan.camera.around != Around.PICTURE:
            away: Floats = np.linalg.norm(self.points_mm, axis=1)
            return away
        return self.points_mm[:, 2]

    def of_rows(self, rows: Indices, world_m: Floats | None = None) -> Scene:
        """Some of its points, in the order given; at other places, but else like them, where those are given."""
        kept: dict[str, Any] = {name: getattr(self, name)[rows] for name in _ARRAYS}
        names, needs = (tuple(part[k] for k in rows) for part in (self.names, self.needs))
        places = self.world_m[rows] if world_m is None else world_m
        return replace(self, world_m=places, names=names, needs=needs, **kept)

    def joined_with(self, more: Scene) -> Scene:
        """This scene with points of the same areas, sampled otherwise, behind its own."""
        joined: dict[str, Any] = {
            name: np.concatenate([getattr(self, name), getattr(more, name)]) for name in ("world_m", *_ARRAYS)
        }
        return replace(self, names=self.names + more.names, needs=self.needs + more.needs, **joined)

    def half_picture(self) -> Floats:
        """Half width and half height of the wanted picture as tangents, shape (2,)."""
        return np.asarray(self.plan.picture_mm) / (2.0 * self.plan.framing_mm)

    def picture_centre(self) -> Floats:
        """Middle of the wanted picture as tangents right and up, shape (2,)."""
        return np.asarray(self.plan.picture_centre)

    @cached_property
    def shoulds_in_picture(self) -> Bools:
        """What should be sharp, where something must be, and lies in the wanted picture, shape (M,)."""
        shoulds = np.array([need == Need.SHOULD for need in self.needs], dtype=bool)
        found: Bools = shoulds & ~self.deciding & ~self.outside_picture & (self.depth_mm > 0.0)
        return found

    @cached_property
    def outside_picture(self) -> Bools:
        """Marks that lie outside the wanted picture, shape (M,)."""
        if self.plan.camera.around != Around.PICTURE:
            low, high = self.plan.elevations_rad
            away = self.world_m - self.pose.pupil_m
            height = np.arctan2(away[:, 1], np.hypot(away[:, 0], away[:, 2]))
            beyond: Bools = (height < low - 1e-9) | (height > high + 1e-9)
            return beyond
        tangents = self.points_mm[:, :2] / self.points_mm[:, 2:]
        found: Bools = np.any(np.abs(tangents - self.picture_centre()) > self.half_picture() * (1.0 + 1e-9), axis=1)
        return found


def densely_sampled(scene: Scene) -> Scene:
    """The areas of a scene by many more points, out to the edge of the picture; its marks are left out.

    To be looked at where the frames of a method show them, and not solved for.
    """
    dense = unchecked_scene(scene.plan, spacing=SPACING / _DENSER, to_its_edge=True)
    if not dense.areas:
        return dense
    places, rows = [], []
    by_name = {cloud.name: cloud for cloud in scene.plan.scans}
    for index, area in enumerate(dense.areas):
        mine = np.flatnonzero(dense.group == dense.mark_count + index)
        if mine.size == 0:
            continue
        of_area = dense.world_m[mine]
        cloud = by_name.get(area.name)
        if cloud is not None:
            # What decides of a scan as a whole is its hull; between frames anything in it may.
            every = seen_of_cloud(scene.plan, cloud)
            of_area = np.concatenate([every[:: max(1, len(every) // _MOST_OF_AN_AREA)], of_area])
        else:
            of_area = of_area[:: max(1, len(of_area) // _MOST_OF_AN_AREA)]
        places.append(of_area)
        rows.append(np.full(len(of_area), mine[0]))
    return dense.of_rows(np.concatenate(rows), np.concatenate(places)) if places else dense


def build_scene(plan: Plan) -> Scene:
    """The scene of a plan.

    Raises
    ------
    PlanError
        If there is no mark or no lens, or a mark lies behind the camera or within every focal length.
    """
    if not plan.marks and not plan.surfaces and not plan.scans:
        raise PlanError("marks", "an empty list", "add at least one mark that must be sharp")
    if not plan.kit.lenses:
        raise PlanError("kit.lenses", "an empty list", "add at least one lens")
    scene = unchecked_scene(plan)
    if not scene.names:
        raise PlanError(
            "surfaces", "none within the picture", "turn the camera to them, or add a mark that must be sharp"
        )
    check_before_lens(scene)
    return scene


def same_scene(scene: Scene, plan: Plan) -> Scene:
    """The scene of a plan whose subject and camera are those of `scene`, without working them out anew."""
    before = scene.plan
    same = before.marks is plan.marks and before.surfaces is plan.surfaces and before.scans is plan.scans
    if not same or before.camera != plan.camera or _swing(before) != _swing(plan):
        return unchecked_scene(plan)
    return replace(scene, plan=plan)


def unchecked_scene(plan: Plan, *, spacing: float = SPACING, to_its_edge: bool = False) -> Scene:
    """The scene of a plan as it stands, to be drawn and not weighed: it may be empty or impossible."""
    pose, marks = plan.camera.pose(), plan.marks
    areas = areas_of(plan, pose, spacing=spacing, to_its_edge=to_its_edge)
    sizes = [len(area.world_m) for area in areas]
    more = sum(sizes)

    def values(of_marks: list[float], of_areas: list[float]) -> Floats:
        alone = np.array(of_marks, dtype=float)
        return np.concatenate([alone, np.repeat(of_areas, sizes)]) if more else alone

    nought = [0.0] * len(areas)
    said = tuple([mark.need for mark in marks])
    names = tuple([mark.name for mark in marks])
    world = np.array([(mark.x_m, mark.y_m, mark.z_m) for mark in marks], dtype=float).reshape(-1, 3)
    group = np.arange(len(marks))
    if more:
        said += tuple(area.need for area, size in zip(areas, sizes, strict=True) for _ in range(size))
        names += tuple(area.name for area, size in zip(areas, sizes, strict=True) for _ in range(size))
        world = np.concatenate([world, *(area.world_m for area in areas)])
        group = np.concatenate([group, np.repeat(len(marks) + np.arange(len(areas)), sizes)])
    needs = np.array(said, dtype=str)
    musts = needs == Need.MUST
    deciding = musts
    if not deciding.any():
        deciding = needs == Need.SHOULD if (needs == Need.SHOULD).any() else needs != Need.SOFT
        deciding = deciding if deciding.any() else np.ones(needs.shape, bool)
    own = values([mark.speed_mm_s for mark in marks], nought)
    # A turning camera sweeps over far things faster.
    away_mm = 1000.0 * np.linalg.norm(world - pose.pupil_m, axis=1)
    swing_rad, swing_per_s = _swing(plan)
    swept = np.hypot(plan.camera.shake_rad_s, swing_rad * swing_per_s) * away_mm
    return Scene(
        plan=plan,
        pose=pose,
        mark_count=len(marks),
        world_m=world,
        weights=values([mark.weight for mark in marks], [area.weight for area in areas]),
        speeds_mm_s=np.hypot(own, swept),
        own_speeds_mm_s=own,
        swing_mm=swing_rad * away_mm,
        swing_per_s=swing_per_s,
        plus_minus_m=values([mark.plus_minus_m for mark in marks], [area.plus_minus_m for area in areas]),
        plus_minus_side_m=values([mark.plus_minus_side_m for mark in marks], nought),
        plus_minus_speed_mm_s=values([mark.speed_plus_minus_mm_s for mark in marks], nought),
        soft_times=values([mark.soft_times for mark in marks], [area.soft_times for area in areas]),
        musts=musts,
        deciding=deciding,
        wanted_soft=needs == Need.SOFT,
        names=names,
        needs=said,
        group=group,
        areas=areas,
        lost_areas=tuple(
            area.name for area, size in zip(areas, sizes, strict=True) if area.need == Need.MUST and not size
        ),
    )


def _swing(plan: Plan) -> tuple[float, float]:
    """From side to side how far a tripod still swings (radians), and its greatest speed for each of these (1/s)."""
    tripod = plan.kit.tripod
    if tripod is None or plan.camera.hand_held or tripod.swing_arcsec == 0.0:
        return 0.0, 0.0
    side = tripod.swing_rad(plan.kit.times.waited_s, column_up=plan.camera.column_up)
    # A sin(2π f t) is fastest in passing its middle, at 2π f A, and goes 2 A from side to side.
    return 2.0 * side, math.pi * tripod.swing_hz


def check_before_lens(scene: Scene) -> None:
    """Raise a PlanError if a mark lies behind the camera or within every focal length."""
    depth_mm = scene.depth_mm
    # A thing f/p before the entrance pupil is f before the front principal point.
    pupils = [1.0 / lens.pupil_magnification if lens.reversed else lens.pupil_magnification
              for lens in scene.plan.kit.lenses]  # fmt: skip
    focals = [focal_range(lens)[0] for lens in scene.plan.kit.lenses]
    shortest = min(focal / max(pupil, 1.0) for focal, pupil in zip(focals, pupils, strict=True))
    worst = int(np.argmin(depth_mm))
    if depth_mm[worst] > shortest:
        return
    key = f"marks[{worst}] ({scene.names[worst]})" if worst < scene.mark_count else scene.names[worst]
    if depth_mm[worst] <= 0.0:
        raise PlanError(
            key,
            "a place {depth:.2f} m behind the lens",
            "every mark must lie before it, that is have a positive distance along the view",
            depth=-depth_mm[worst] / 1000.0,
        )
    raise PlanError(
        key,
        "a place {depth:.0f} mm before the lens",
        "every mark must lie farther away than the shortest focal length, {shortest:g} mm",
        depth=depth_mm[worst],
        shortest=shortest,
    )
