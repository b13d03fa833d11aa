"""Surfaces: plane patches, and boxes of six of them, whose every point counts like a mark.

A patch starts at the middle of its near or lower edge, is so wide across and runs so far along; how it runs
is said by a bearing seen from above and a slope (0 level, 90 upright).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from verispect.errors import GeometryError
from verispect.optics.types import Floats
from verispect.subject.mark import Need


class Kind(StrEnum):
    """What a surface is called; only a box is more than one patch."""

    FLOOR = "floor"
    WALL = "wall"
    TABLE = "table"
    FACADE = "facade"
    SLOPE = "slope"
    BOX = "box"


_FAR_M = 1.0e6
# Three marks that span less than this share of their distance squared lie on a line.
_THIN = 1e-6


class Surface(BaseModel):
    """A plane patch or a box, in world metres."""

    model_config = ConfigDict(frozen=True, extra="allow", allow_inf_nan=False, defer_build=True)

    name: str = Field(max_length=200)
    kind: Kind = Kind.FLOOR
    need: Need = Need.MUST
    weight: float = Field(default=1.0, gt=0.0, le=1000.0)
    x_m: float = Field(default=0.0, ge=-_FAR_M, le=_FAR_M, description="Middle of its near or lower edge.")
    y_m: float = Field(default=0.0, ge=-_FAR_M, le=_FAR_M)
    z_m: float = Field(default=2.0, ge=-_FAR_M, le=_FAR_M)
    bearing_deg: float = Field(
        default=0.0, ge=-360.0, le=360.0, description="Which way it runs from that edge, seen from above."
    )
    slope_deg: float = Field(default=0.0, ge=-90.0, le=90.0, description="0 level, 90 upright.")
    width_m: float = Field(default=2.0, gt=0.0, le=_FAR_M)
    length_m: float = Field(default=5.0, gt=0.0, le=_FAR_M)
    height_m: float = Field(default=0.0, ge=0.0, le=_FAR_M, description="Of a box, off its foot.")
    plus_minus_m: float = Field(
        default=0.0, ge=0.0, le=_FAR_M, description="How surely its distance is known; almost surely within (95 %)."
    )
    soft_times: float = Field(default=3.0, gt=1.0, le=1000.0, description="Wanted soft: so many times the allowed.")
    detail_mm: float | None = Field(default=None, gt=0.0, description="Smallest detail to be rendered.")


@dataclass(frozen=True)
class Patch:
    """A parallelogram from a corner along two edges, metres; `outward` is its normal, of any length."""

    corner_m: Floats
    across_m: Floats
    along_m: Floats

    @cached_property
    def outward(self) -> Floats:
        """Normal: away from what lies behind the patch."""
        return np.cross(self.along_m, self.across_m)

    def corners(self) -> Floats:
        """The four corners in order, shape (4, 3)."""
        a, b, c = self.corner_m, self.across_m, self.along_m
        return np.stack([a, a + b, a + b + c, a + c])


def directions(surface: Surface) -> tuple[Floats, Floats]:
    """Unit vectors across a surface (to the right as it runs away) and along it."""
    bearing, slope = math.radians(surface.bearing_deg), math.radians(surface.slope_deg)
    sin, cos = math.sin(bearing), math.cos(bearing)
    across = np.array([cos, 0.0, -sin])
    along = np.array([sin * math.cos(slope), math.sin(slope), cos * math.cos(slope)])
    return across, along


def patches(surface: Surface) -> tuple[Patch, ...]:
    """The patch of a surface; of a box all six faces."""
    across, along = directions(surface)
    b, c = across * surface.width_m, along * surface.length_m
    foot = np.array([surface.x_m, surface.y_m, surface.z_m]) - 0.5 * b
    if surface.kind is not Kind.BOX or surface.height_m <= 0.0:
        return (Patch(foot, b, c),)
    # Along × across points up from a level foot.
    up = np.cross(along, across) * surface.height_m
    top = Patch(foot + up, b, c)
    front, back = Patch(foot, b, up), Patch(foot + b + c, -b, up)
    right, left = Patch(foot + b, c, up), Patch(foot + c, -c, up)
    return (top, Patch(foot + b, -b, c), front, back, right, left)


def seen_from(surface: Surface, eye_m: Floats) -> tuple[Patch, ...]:
    """The patches that face an eye: of a box the near faces, of a patch itself, from either side."""
    found = patches(surface)
    if len(found) == 1:
        return found
    return tuple(p for p in found if float(p.outward @ (eye_m - p.corner_m)) > 0.0)


def met_at(surface: Surface, eye: Floats, direction: Floats) -> float:
    """How far along a line of sight (a unit vector) a surface is met, m; infinite where it is not."""
    return min((_patch_at(patch, eye, direction) for patch in seen_from(surface, eye)), default=np.inf)


def _patch_at(patch: Patch, eye: Floats, direction: Floats) -> float:
    facing = float(patch.outward @ direction)
    if abs(facing) < 1e-12:
        return np.inf
    away = float(patch.outward @ (patch.corner_m - eye)) / facing
    at = eye + away * direction - patch.corner_m
    inside = all(0.0 <= float(at @ edge) <= float(edge @ edge) for edge in (patch.across_m, patch.along_m))
    return away if away > 0.0 and inside else np.inf


def through_three(places_m: Floats, *, name: str, need: Need = Need.MUST) -> Surface:
    """The patch through three marks, as large as they span, turned so that it runs up or away.

    Parameters
    ----------
    places_m : ndarray, shape (3, 3)

    Raises
    ------
    GeometryError
        If the marks lie on a line.
    """
    first, second, third = np.asarray(places_m, dtype=float)
    normal = np.cross(second - first, third - first)
    size = float(np.linalg.norm(normal))
    reach = max(float(np.sum((second - first) ** 2)), float(np.sum((third - first) ** 2)), 1e-12)
    if size < _THIN * reach:
        raise GeometryError("three marks on a line give no surface; take one that lies aside of it")
    normal = normal / size
    normal = normal if normal[1] > 1e-9 or (abs(normal[1]) <= 1e-9 and normal[2] < 0.0) else -normal
    slope = math.degrees(math.acos(min(1.0, float(normal[1]))))
    # Steepest way up; a level patch runs straight away, an upright one up.
    bearing = 0.0 if slope < 0.05 else math.degrees(math.atan2(-normal[0], -normal[2]))
    frame = Surface(name=name, bearing_deg=bearing, slope_deg=slope)
    across, along = directions(frame)
    places = np.asarray(places_m, dtype=float)
    s, t = places @ across, places @ along
    depth = float(np.mean(places @ np.cross(along, across)))
    foot = 0.5 * (s.min() + s.max()) * across + t.min() * along + depth * np.cross(along, across)
    kind = Kind.FLOOR if slope < 5.0 else Kind.WALL if slope > 85.0 else Kind.SLOPE
    return frame.model_copy(
        update={
            "kind": kind,
            "need": need,
            "x_m": float(foot[0]),
            "y_m": float(foot[1]),
            "z_m": float(foot[2]),
            "width_m": max(float(np.ptp(s)), 1e-3),
            "length_m": max(float(np.ptp(t)), 1e-3),
        }
    )
