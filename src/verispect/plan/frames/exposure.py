"""The exposure: the one representation that drawings, sheet, check and export all read."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from verispect.kit.mounted_lens import Optic
from verispect.optics.conjugates import scale_distance_m
from verispect.optics.lens_state import FORWARD, LensState, tilt_and_swing_rad
from verispect.optics.pose import Pose
from verispect.optics.types import Floats


@dataclass(frozen=True)
class Exposure:
    """One frame to be taken.

    Attributes
    ----------
    lens : Optic
    state : LensState
        Focal length, stop, image distance, axis.
    pose : Pose
        The entrance pupil's place and the camera's basis.
    shutter_s : float
    allowed_blur_mm : float
        What softness 1 means in this frame; NaN where nothing is acceptable.
    sensor_centre_mm : (float, float)
        The sensor's centre along right and up from the foot of the rear principal point; a lens raised by
        s has it at −s along up.
    """

    lens: Optic
    state: LensState
    pose: Pose
    shutter_s: float
    allowed_blur_mm: float
    sensor_centre_mm: tuple[float, float] = (0.0, 0.0)

    @cached_property
    def position_m(self) -> Floats:
        """Front principal point in the world."""
        axis_world = np.asarray(self.state.axis) @ self.pose.matrix
        found: Floats = self.pose.pupil_m - self.state.pupil_ahead_mm / 1000.0 * axis_world
        return found

    @property
    def axial_image_distance_mm(self) -> float:
        """Rear principal point to sensor along the lens's own axis, which a focusing scale follows."""
        return self.state.image_distance_mm / self.state.axis[2]

    @property
    def focus_m(self) -> float:
        """What the lens's scale reads, from the sensor mark; infinite at and beyond infinity."""
        return scale_distance_m(
            image_mm=self.axial_image_distance_mm,
            focal_mm=self.state.focal_mm,
            separation_mm=self.lens.principal_separation_mm,
        )

    @property
    def cross_and_rise_mm(self) -> tuple[float, float]:
        """How far the lens is moved to the right and up of the sensor's middle, by hand.

        A back that leans where it stands lies off the lens's foot without anything having been shifted.
        """
        across, up = self.sensor_centre_mm
        if self.lens.back_in_place:
            x, y, z = self.state.axis
            across, up = (at + self.state.image_distance_mm * part / z for at, part in ((across, x), (up, y)))
        return 0.0 - across, 0.0 - up

    @property
    def tilt_deg(self) -> float:
        """Tilt, positive leans the top of the lens forward."""
        return float(np.degrees(tilt_and_swing_rad(self.state.axis)[0]))

    @property
    def swing_deg(self) -> float:
        """Swing, positive faces the lens to the right."""
        return float(np.degrees(tilt_and_swing_rad(self.state.axis)[1]))

    @property
    def breathes(self) -> bool:
        """Whether its focal length changes as it is focused."""
        return self.lens.closest_focal_mm != self.lens.focal_mm and self.state.axis == FORWARD

    def focused(self, image_mm: float) -> Exposure:
        """The same focused on what it forms the image of so far behind the lens.

        A lens that focuses internally then has another focal length and forms it elsewhere.
        """
        state = replace(self.state, image_distance_mm=image_mm)
        if self.breathes:
            share = 1.0 - state.focal_mm / image_mm
            object_mm = state.focal_mm / share if share > 0.0 else np.inf
            focal = self.lens.breathing_at(float(object_mm)).focal_mm
            # Beyond infinity it goes on as far beyond, in dioptres.
            closeness = share / state.focal_mm
            state = replace(state, focal_mm=focal, image_distance_mm=1.0 / (1.0 / focal - closeness))
        return replace(self, state=state)
