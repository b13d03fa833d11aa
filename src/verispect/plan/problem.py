"""One lens at one focal length before one scene: what a method solves for."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from verispect.kit.equipment import Lens
from verispect.optics.exposure import shutter_s
from verispect.optics.lens import FORWARD, LensState, from_principal_point
from verispect.optics.pose import Pose
from verispect.optics.sharpness import Criterion
from verispect.optics.types import Floats, Indices, Vector
from verispect.plan.exposure import Exposure
from verispect.plan.scene import Scene


@dataclass(frozen=True)
class Problem:
    """A scene, a lens, a focal length, and the marks to be decided on.

    Attributes
    ----------
    scene : Scene
    lens : Lens
    focal_mm : float
    pose : Pose
        Where this camera looks; a frame of a turned grid looks elsewhere than the scene's own pose.
    chosen : ndarray of int, shape (K,)
        Indices of the marks that this problem's settings are searched for.
    """

    scene: Scene
    lens: Lens
    focal_mm: float
    pose: Pose
    chosen: Indices

    @cached_property
    def criterion(self) -> Criterion:
        """Just acceptable sharpness at this focal length."""
        return self.scene.plan.criterion(self.focal_mm)

    @cached_property
    def points_mm(self) -> Floats:
        """Chosen marks in this camera's frame from the entrance pupil, shape (K, 3)."""
        return self.pose.to_camera_mm(self.scene.world_m[self.chosen])

    @cached_property
    def all_points_mm(self) -> Floats:
        """Every mark in this camera's frame from the entrance pupil, shape (M, 3)."""
        return self.pose.to_camera_mm(self.scene.world_m)

    @property
    def weights(self) -> Floats:
        """Weights of the chosen marks, shape (K,)."""
        found: Floats = self.scene.weights[self.chosen]
        return found

    @property
    def speeds_mm_s(self) -> Floats:
        """Speeds of the chosen marks, shape (K,)."""
        found: Floats = self.scene.speeds_mm_s[self.chosen]
        return found

    @cached_property
    def stops(self) -> Floats:
        """The stops the lens has, exact, shape (S,)."""
        return self.lens.stops()

    @cached_property
    def longest_image_mm(self) -> float:
        """Image distance along the lens's axis at closest focus."""
        return self.lens.longest_image_distance_mm(self.focal_mm)

    @property
    def middle_stop(self) -> float:
        """A stop near the middle of the range, for shapes that hardly depend on it."""
        return float(self.stops[len(self.stops) // 2])

    def looking(self, pose: Pose, chosen: Indices) -> Problem:
        """The same lens turned elsewhere, deciding on other marks."""
        return replace(self, pose=pose, chosen=chosen)

    def state(self, *, f_number: float, image_distance_mm: float, axis: Vector = FORWARD) -> LensState:
        """A state of this lens."""
        return LensState(
            focal_mm=self.focal_mm,
            f_number=f_number,
            image_distance_mm=image_distance_mm,
            axis=axis,
            pupil_magnification=self.lens.pupil_magnification,
        )

    def points_from_lens_mm(self, state: LensState) -> Floats:
        """Chosen marks from the front principal point, shape (K, 3)."""
        return from_principal_point(self.points_mm, state)

    def shutter_s(self, state: LensState) -> float:
        """Exposure time of a state in the plan's light."""
        plan = self.scene.plan
        return shutter_s(ev100=plan.light.ev100, iso=plan.kit.body.iso, working_f_number=state.working_f_number)

    def smears_mm(self, state: LensState, points_mm: Floats, speeds_mm_s: Floats) -> Floats:
        """Path of moving marks on the sensor during the exposure: w · t · v / (n·P)."""
        if not np.any(speeds_mm_s):
            return np.zeros(speeds_mm_s.shape)
        return np.asarray(speeds_mm_s * self.shutter_s(state) * state.image_distance_mm / points_mm[..., 2])

    def exposure(self, state: LensState, sensor_centre_mm: tuple[float, float] = (0.0, 0.0)) -> Exposure:
        """The exposure of a state."""
        return Exposure(
            lens=self.lens,
            state=state,
            pose=self.pose,
            shutter_s=self.shutter_s(state),
            allowed_blur_mm=self.criterion.allowed_still_mm(state.working_f_number),
            sensor_centre_mm=sensor_centre_mm,
        )


def problem_for(scene: Scene, lens: Lens, focal_mm: float) -> Problem:
    """The problem of the scene's deciding marks for a lens at a focal length."""
    return Problem(
        scene=scene,
        lens=lens,
        focal_mm=focal_mm,
        pose=scene.pose,
        chosen=np.flatnonzero(scene.deciding),
    )
