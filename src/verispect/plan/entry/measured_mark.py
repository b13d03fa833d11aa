"""Ways to add a mark, as small forms: what is typed, and the mark that comes of it in a plan."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from verispect.errors import PlanError
from verispect.kit.lens import Lens
from verispect.kit.mounted_lens import Optic, focal_range, optic_at
from verispect.optics.conjugates import image_distance_for_scale_mm
from verispect.optics.types import Floats
from verispect.plan.document import Plan
from verispect.subject.mark import Mark
from verispect.subject.measuring import Caught, at_infinity, by_distance, by_laser, by_map, by_tape, direction

# A reading of the focus is as sure as the depth of field with the lens wide open, at this many pixels of blur.
_SEEN_PIXELS = 2.0


class Way(BaseModel):
    """A way to catch a place. `caught` says where it is in a plan."""

    model_config = ConfigDict(frozen=True, allow_inf_nan=False, defer_build=True)

    name: str = Field(default="", max_length=200)

    def caught(self, plan: Plan) -> Caught:
        """The place; PlanError where the plan lacks something for it."""
        raise NotImplementedError

    def mark(self, plan: Plan) -> Mark:
        """The mark, named by number where no name was typed."""
        found = self.caught(plan)
        x, y, z = (float(part) for part in found.place_m)
        name = self.name or f"Mark {len(plan.marks) + 1}"
        return Mark(name=name, x_m=x, y_m=y, z_m=z, plus_minus_m=found.plus_minus_m)


class Tape(Way):
    """Along the ground, to the side, up."""

    away_m: float = Field(default=3.0, ge=-1e5, le=1e5)
    side_m: float = Field(default=0.0, ge=-1e5, le=1e5)
    height_m: float = Field(default=0.0, ge=-1e5, le=1e5)

    def caught(self, plan: Plan) -> Caught:
        """The place."""
        return by_tape(away_m=self.away_m, side_m=self.side_m, height_m=self.height_m)


class Laser(Way):
    """Slope distance, inclination and bearing, from the camera or from a spot beside it."""

    slope_m: float = Field(default=5.0, gt=0.0, le=1e5)
    inclination_deg: float = Field(default=0.0, ge=-90.0, le=90.0)
    bearing_deg: float = Field(default=0.0, ge=-180.0, le=180.0)
    stands: Literal["camera", "spot"] = "camera"
    spot_side_m: float = Field(default=0.0, ge=-1e4, le=1e4)
    spot_height_m: float = Field(default=1.5, ge=-1e4, le=1e4)
    spot_away_m: float = Field(default=0.0, ge=-1e4, le=1e4)

    def caught(self, plan: Plan) -> Caught:
        """The place."""
        spot = np.array([self.spot_side_m, self.spot_height_m, self.spot_away_m])
        return by_laser(
            slope_m=self.slope_m,
            inclination_rad=math.radians(self.inclination_deg),
            bearing_rad=math.radians(self.bearing_deg),
            from_m=_pupil(plan) if self.stands == "camera" else spot,
        )


class FocusScale(Way):
    """What the lens's distance scale shows when the thing is sharp, reckoned from the sensor mark."""

    lens: str = ""
    scale_m: float = Field(default=3.0, gt=0.0, le=1e5)
    bearing_deg: float = Field(default=0.0, ge=-180.0, le=180.0)
    inclination_deg: float = Field(default=0.0, ge=-90.0, le=90.0)

    def caught(self, plan: Plan) -> Caught:
        """The place."""
        optic = _optic(plan, self.lens)
        image = image_distance_for_scale_mm(
            scale_m=self.scale_m, focal_mm=optic.focal_mm, separation_mm=optic.principal_separation_mm
        )
        return _focused(plan, optic, image, self.bearing_deg, self.inclination_deg)


class Extension(Way):
    """How far the lens stands ahead of its infinity focus on a bed, when the thing is sharp."""

    lens: str = ""
    extension_mm: float = Field(default=1.0, gt=0.0, le=5000.0)
    bearing_deg: float = Field(default=0.0, ge=-180.0, le=180.0)
    inclination_deg: float = Field(default=0.0, ge=-90.0, le=90.0)

    def caught(self, plan: Plan) -> Caught:
        """The place."""
        optic = _optic(plan, self.lens)
        return _focused(
            plan, optic, optic.shortest_image_mm + self.extension_mm, self.bearing_deg, self.inclination_deg
        )


class MapPlace(Way):
    """A latitude, longitude and elevation; the plan's site is where the camera stands."""

    latitude_deg: float = Field(default=0.0, ge=-90.0, le=90.0)
    longitude_deg: float = Field(default=0.0, ge=-180.0, le=180.0)
    elevation_m: float = Field(default=0.0, ge=-500.0, le=9000.0)

    def caught(self, plan: Plan) -> Caught:
        """The place."""
        site = plan.site
        if site is None:
            raise PlanError("site", "nothing", "say first where the camera stands: latitude, longitude, elevation")
        return by_map(
            latitude_deg=self.latitude_deg,
            longitude_deg=self.longitude_deg,
            elevation_m=self.elevation_m,
            camera_latitude_deg=site.latitude_deg,
            camera_longitude_deg=site.longitude_deg,
            ground_m=site.elevation_m,
            away_azimuth_rad=math.radians(site.away_azimuth_deg),
        )


class Infinity(Way):
    """A direction alone: horizon, Moon, stars."""

    bearing_deg: float = Field(default=0.0, ge=-180.0, le=180.0)
    inclination_deg: float = Field(default=0.0, ge=-89.0, le=89.0)

    def caught(self, plan: Plan) -> Caught:
        """The place."""
        return at_infinity(
            bearing_rad=math.radians(self.bearing_deg),
            inclination_rad=math.radians(self.inclination_deg),
            from_m=_pupil(plan),
        )


WAYS: dict[str, type[Way]] = {
    "tape": Tape,
    "laser": Laser,
    "focus scale": FocusScale,
    "extension": Extension,
    "map": MapPlace,
    "infinity": Infinity,
}


def _pupil(plan: Plan) -> Floats:
    return np.array([0.0, plan.camera.height_m, 0.0])


def _optic(plan: Plan, name: str) -> Optic:
    lenses: tuple[Lens, ...] = plan.kit.lenses
    lens = next((lens for lens in lenses if lens.name == name), lenses[0] if lenses and not name else None)
    if lens is None:
        have = ", ".join(lens.name for lens in lenses) or "none"
        raise PlanError("lens", "{name!r}", "name a lens of the kit: {have}", name=name, have=have)
    short, long = focal_range(lens)
    body = plan.kit.body
    focal = min(max(plan.whole_focal_mm, short), long)
    return optic_at(lens, focal, back_tilt_deg=body.back_tilt_deg, back_shift_mm=body.back_shift_mm)


def _focused(plan: Plan, optic: Optic, image_mm: float, bearing_deg: float, inclination_deg: float) -> Caught:
    """The place on which a straight lens is focused, in a direction from the entrance pupil.

    A plane of sharp focus stands across the camera's view; the distance along another direction is longer.
    """
    f = optic.focal_mm
    if image_mm <= f * (1.0 + 1e-9):
        raise PlanError("focus", "infinity", "take the way 'infinity' for things that are there")
    object_mm = f * image_mm / (image_mm - f)
    # From the principal point to the entrance pupil, which lies f(1 − 1/p) ahead of it.
    depth_m = (object_mm - f * (1.0 - 1.0 / optic.pupil_magnification)) / 1000.0
    towards = direction(bearing_rad=math.radians(bearing_deg), inclination_rad=math.radians(inclination_deg))
    ahead = float(towards @ plan.camera.pose().forward)
    if ahead <= 0.05:
        raise PlanError(
            "bearing",
            "{bearing_deg:g}°",
            "the lens must see it: within 87° of the camera's view",
            bearing_deg=bearing_deg,
        )
    widest = float(optic.stops()[0])
    blur = _SEEN_PIXELS * plan.kit.body.pixel_mm
    # Half the depth of field: the blur c at the sensor, carried to the object by u²/f² · N.
    half_m = blur * widest * (object_mm / f) ** 2 / 1000.0
    return by_distance(
        distance_m=depth_m / ahead, towards=towards, from_m=_pupil(plan), plus_minus_m=min(half_m, depth_m) / ahead
    )
