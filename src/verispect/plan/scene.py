"""The subject as arrays, ready for the optics."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from verispect.errors import PlanError
from verispect.kit.optic import focal_range
from verispect.optics.pose import Pose
from verispect.optics.types import Bools, Floats
from verispect.plan.document import Plan


@dataclass(frozen=True)
class Scene:
    """Marks as arrays, with the plan they came from.

    Attributes
    ----------
    plan : Plan
    pose : Pose
        The camera's place and basis.
    world_m : ndarray, shape (M, 3)
    weights, speeds_mm_s, plus_minus_m, plus_minus_side_m, plus_minus_speed_mm_s : ndarray, shape (M,)
    musts : ndarray of bool, shape (M,)
    deciding : ndarray of bool, shape (M,)
        The marks that settings are searched for: the musts, or where there are none the shoulds, or all.
    names, needs : tuple of str
    """

    plan: Plan
    pose: Pose
    world_m: Floats
    weights: Floats
    speeds_mm_s: Floats
    plus_minus_m: Floats
    plus_minus_side_m: Floats
    plus_minus_speed_mm_s: Floats
    musts: Bools
    deciding: Bools
    names: tuple[str, ...]
    needs: tuple[str, ...]

    @cached_property
    def points_mm(self) -> Floats:
        """Marks in the camera's frame from the entrance pupil, mm, shape (M, 3)."""
        return self.pose.to_camera_mm(self.world_m)

    def half_picture(self) -> Floats:
        """Half width and half height of the wanted picture as tangents, shape (2,)."""
        return np.asarray(self.plan.kit.body.sensor_mm) / (2.0 * self.plan.camera.framing_mm)

    @cached_property
    def outside_picture(self) -> Bools:
        """Marks that lie outside the wanted picture, shape (M,)."""
        tangents = self.points_mm[:, :2] / self.points_mm[:, 2:]
        found: Bools = np.any(np.abs(tangents) > self.half_picture() * (1.0 + 1e-9), axis=1)
        return found


def build_scene(plan: Plan) -> Scene:
    """The scene of a plan.

    Raises
    ------
    PlanError
        If there is no mark or no lens, or a mark lies behind the camera or within every focal length.
    """
    if not plan.marks:
        raise PlanError("marks", "an empty list", "add at least one mark that must be sharp")
    if not plan.kit.lenses:
        raise PlanError("kit.lenses", "an empty list", "add at least one lens")
    scene = unchecked_scene(plan)
    check_before_lens(scene)
    return scene


def same_scene(scene: Scene, plan: Plan) -> Scene:
    """The scene of a plan whose subject and camera are those of `scene`, without working them out anew."""
    if scene.plan.marks is not plan.marks or scene.plan.camera != plan.camera:
        return unchecked_scene(plan)
    return replace(scene, plan=plan)


def unchecked_scene(plan: Plan) -> Scene:
    """The scene of a plan as it stands, to be drawn and not weighed: it may be empty or impossible."""
    said = tuple([mark.need for mark in plan.marks])
    needs = np.array(said, dtype=str)
    musts = needs == "must"
    deciding = musts
    if not deciding.any():
        deciding = needs == "should" if (needs == "should").any() else np.ones(needs.shape, bool)
    return Scene(
        plan=plan,
        pose=plan.camera.pose(),
        world_m=np.array([(mark.x_m, mark.y_m, mark.z_m) for mark in plan.marks], dtype=float).reshape(-1, 3),
        weights=np.array([mark.weight for mark in plan.marks]),
        speeds_mm_s=np.array([mark.speed_mm_s for mark in plan.marks]),
        plus_minus_m=np.array([mark.plus_minus_m for mark in plan.marks]),
        plus_minus_side_m=np.array([mark.plus_minus_side_m for mark in plan.marks]),
        plus_minus_speed_mm_s=np.array([mark.speed_plus_minus_mm_s for mark in plan.marks]),
        musts=musts,
        deciding=deciding,
        names=tuple([mark.name for mark in plan.marks]),
        needs=said,
    )


def check_before_lens(scene: Scene) -> None:
    """Raise a PlanError if a mark lies behind the camera or within every focal length."""
    depth_mm = scene.points_mm[:, 2]
    shortest = min(focal_range(lens)[0] for lens in scene.plan.kit.lenses)
    worst = int(np.argmin(depth_mm))
    if depth_mm[worst] > 1.05 * shortest:
        return
    mark = scene.plan.marks[worst]
    key = f"marks[{worst}] ({mark.name})"
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
