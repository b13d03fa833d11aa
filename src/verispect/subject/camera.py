"""Where the camera stands and which picture is wanted of it."""

from __future__ import annotations

import math
from enum import StrEnum
from typing import Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from verispect.optics.exposure_time import HANDS_RAD_S
from verispect.optics.pose import Pose, camera_pose


class Around(StrEnum):
    """How much is wanted: the framed picture, or with a head that turns all round more than any picture holds."""

    PICTURE = "picture"
    CIRCLE = "circle"
    SPHERE = "sphere"


class Camera(BaseModel):
    """The camera's place and framing; the origin of the world lies on the ground under it."""

    model_config = ConfigDict(frozen=True, extra="allow", allow_inf_nan=False, defer_build=True)

    height_m: float = Field(default=1.5, ge=0.0, le=10000.0, description="Entrance pupil above the ground.")
    bearing_deg: float = Field(default=0.0, ge=-360.0, le=360.0, description="Positive turns right.")
    pitch_deg: float = Field(default=0.0, gt=-90.0, lt=90.0, description="Positive looks up.")
    roll_deg: float = Field(default=0.0, ge=-180.0, le=180.0, description="Positive leans right.")
    height_plus_minus_m: float = Field(
        default=0.0, ge=0.0, le=100.0, description="How surely the height is known; almost surely within (95 %)."
    )
    bearing_plus_minus_deg: float = Field(default=0.0, ge=0.0, le=45.0, description="How surely it is pointed.")
    pitch_plus_minus_deg: float = Field(default=0.0, ge=0.0, le=45.0, description="How surely it is levelled.")
    roll_plus_minus_deg: float = Field(default=0.0, ge=0.0, le=45.0, description="How surely it stands upright.")
    framing_mm: float = Field(
        default=24.0, gt=0.0, le=5000.0, description="Focal length whose field is the wanted picture."
    )
    framing_width_mm: float | None = Field(
        default=None, gt=0.0, le=1.0e6, description="Width of the wanted picture, in place of a focal length."
    )
    framing_at_m: float | None = Field(
        default=None, gt=0.0, le=1000.0, description="That width's distance from the front principal point."
    )
    upright: bool = Field(default=False, description="Whether the sensor stands on its short side.")
    around: Around = Field(
        default=Around.PICTURE,
        description="circle: all round, as high as the framed picture; sphere: every direction there is.",
    )
    rise_mm: float = Field(
        default=0.0, ge=-500.0, le=500.0, description="Of the lens at the framing focal length; negative is fall."
    )
    cross_mm: float = Field(default=0.0, ge=-500.0, le=500.0, description="The same to the right.")
    hand_held: bool = Field(default=False, description="Held by hand, not on a tripod.")
    stabiliser_stops: float = Field(
        default=0.0, ge=0.0, le=10.0, description="What a stabiliser is worth by hand, in stops."
    )
    column_up: bool = Field(default=False, description="Whether the tripod's column stands up.")
    aspect: float | None = Field(
        default=None, gt=0.02, lt=50.0, description="Width over height of the picture; none: the sensor's own."
    )

    @model_validator(mode="after")
    def _width_with_its_distance(self) -> Self:
        if (self.framing_width_mm is None) != (self.framing_at_m is None):
            raise ValueError("framing_width_mm and framing_at_m are given together, such as 36 and 0.2")
        return self

    @property
    def shake_rad_s(self) -> float:
        """How fast hands turn the camera, by the rule of one over the focal length (optics/exposure_time.py)."""
        return HANDS_RAD_S / 2.0**self.stabiliser_stops if self.hand_held else 0.0

    def pose(self) -> Pose:
        """The camera's basis and place."""
        return camera_pose(
            height_m=self.height_m,
            bearing_rad=math.radians(self.bearing_deg),
            pitch_rad=math.radians(self.pitch_deg),
            roll_rad=math.radians(self.roll_deg),
        )
