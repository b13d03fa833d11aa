"""From a scan's own frame to the world of the plan: unit, which way is up, where the camera stands."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from verispect.optics.types import Floats
from verispect.quantities import LENGTHS_M


class Placing(BaseModel):
    """How a scan lies before the camera. Its figures are in the scan's own unit and axes.

    The scan's axes are taken to be right-handed, as almost all are. Seen from above, bearing 0 looks along
    y where z is up, and along −z where y is up.
    """

    model_config = ConfigDict(frozen=True, allow_inf_nan=False, defer_build=True)

    unit: Literal["m", "cm", "mm", "ft", "in"] = "m"
    up: Literal["z", "y"] = "z"
    stand_x: float = Field(default=0.0, ge=-1e9, le=1e9, description="The ground under the camera, x.")
    stand_y: float = Field(default=0.0, ge=-1e9, le=1e9)
    stand_z: float = Field(default=0.0, ge=-1e9, le=1e9)
    bearing_deg: float = Field(default=0.0, ge=-360.0, le=360.0, description="Which way away is, clockwise.")
    voxel_m: float = Field(default=0.02, gt=0.0, le=1000.0, description="One point is kept in a cube this wide.")
    nearest_m: float = Field(default=0.0, ge=0.0, le=1e6, description="Nothing nearer to the stand is kept.")
    farthest_m: float = Field(default=1000.0, gt=0.0, le=1e6, description="Nothing farther from it is kept.")
    lowest_m: float = Field(default=-1000.0, ge=-1e6, le=1e6)
    highest_m: float = Field(default=1000.0, ge=-1e6, le=1e6)
    only_ahead: bool = Field(default=True, description="Nothing behind the camera is kept.")

    def to_world_m(self, places: Floats) -> Floats:
        """Places (P, 3) of the scan in the world: x right, y up, z away."""
        d = (places - np.array([self.stand_x, self.stand_y, self.stand_z])) * LENGTHS_M[self.unit]
        east, north, up = (d[:, 0], d[:, 1], d[:, 2]) if self.up == "z" else (d[:, 0], -d[:, 2], d[:, 1])
        turn = math.radians(self.bearing_deg)
        sin, cos = math.sin(turn), math.cos(turn)
        return np.column_stack([cos * east - sin * north, up, sin * east + cos * north])

    def cropped(self, world_m: Floats) -> Floats:
        """The places that are wanted."""
        reach = np.hypot(world_m[:, 0], world_m[:, 2])
        kept = (reach >= self.nearest_m) & (reach <= self.farthest_m)
        kept &= (world_m[:, 1] >= self.lowest_m) & (world_m[:, 1] <= self.highest_m)
        if self.only_ahead:
            kept &= world_m[:, 2] > 0.0
        found: Floats = world_m[kept & np.all(np.isfinite(world_m), axis=1)]
        return found
