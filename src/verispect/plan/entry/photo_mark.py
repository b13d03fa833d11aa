"""What is clicked on the photograph, as marks: at a distance, on a surface, above another mark."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from verispect.errors import GeometryError, PlanError
from verispect.optics.types import Floats
from verispect.plan.document import Plan
from verispect.subject.camera import Camera
from verispect.subject.mark import Mark
from verispect.subject.photograph import HAND_PX, Level, Photograph, above, from_known_height, on_plane
from verispect.subject.surface import patches


class Stands(StrEnum):
    """What a place seen on the photograph stands on."""

    DISTANCE = "distance"
    GROUND = "ground"
    SURFACE = "surface"
    ABOVE = "above"


def direction_plus_minus_rad(photo: Photograph) -> float:
    """How surely a clicked direction is known up and down: the hand, and how the photograph is levelled."""
    return math.hypot(HAND_PX / photo.focal_px, math.radians(photo.pitch_plus_minus_deg))


def mark_seen(
    plan: Plan, direction: Floats, *, name: str, stands: Stands, distance_m: float = 5.0, index: int = 0
) -> Mark:
    """The mark of a clicked direction.

    Parameters
    ----------
    direction : ndarray, shape (3,)
        Unit, in the world.
    stands : "distance", "ground", "surface" or "above"
        What fixes its distance: a figure along the line of sight, the level ground, the surface of that
        index, or that it stands straight above the mark of that index.

    Raises
    ------
    PlanError, GeometryError
        If that does not fix it.
    """
    eye = np.array([0.0, plan.camera.height_m, 0.0])
    photo = plan.photograph or Photograph()
    angle = direction_plus_minus_rad(photo)
    off = 0.0
    if stands == Stands.DISTANCE:
        place = eye + distance_m * direction
    elif stands == Stands.GROUND:
        place, off = on_plane(
            direction, eye_m=eye, point_m=np.zeros(3), normal=np.array([0.0, 1.0, 0.0]), angle_plus_minus_rad=angle
        )
        # The eye's own height tells in proportion.
        if plan.camera.height_m > 0.0:
            distance = float(np.linalg.norm(place - eye))
            off = math.hypot(off, distance * plan.camera.height_plus_minus_m / plan.camera.height_m)
    elif stands == Stands.SURFACE:
        if not 0 <= index < len(plan.surfaces):
            raise PlanError("surface", "none", "add a surface first, or give a distance")
        patch = patches(plan.surfaces[index])[0]
        place, off = on_plane(
            direction, eye_m=eye, point_m=patch.corner_m, normal=patch.outward, angle_plus_minus_rad=angle
        )
        off = math.hypot(off, plan.surfaces[index].plus_minus_m)
    else:
        if not 0 <= index < len(plan.marks):
            raise PlanError("mark", "none", "catch the foot first, then what stands above it")
        foot = plan.marks[index]
        place = above(np.array([foot.x_m, foot.y_m, foot.z_m]), direction, eye_m=eye)
        off = foot.plus_minus_m
    x, y, z = (round(float(part), 3) for part in place)
    return Mark(name=name, x_m=x, y_m=y, z_m=z, plus_minus_m=round(float(off), 3))


@dataclass(frozen=True)
class Scaled:
    """What a known length on the photograph fixes: where its foot stands, and the height of the camera above it."""

    away_m: float
    height_m: float
    away_plus_minus_m: float
    height_plus_minus_m: float


def scaled_by(plan: Plan, foot: Floats, top: Floats, *, length_m: float) -> Scaled:
    """From an upright thing of known length, foot and top clicked.

    Raises
    ------
    GeometryError
        If it gives no scale.
    """
    away, height = from_known_height(foot, top, length_m=length_m)
    if height <= 0.0:
        raise GeometryError("its foot is seen above the camera's own height; this way works from above the foot")
    photo = plan.photograph or Photograph()
    hand = HAND_PX / photo.focal_px
    spread = np.zeros(2)
    for k in range(2):
        moved = []
        for sign in (1.0, -1.0):
            ends = [foot, top]
            ends[k] = _tipped(ends[k], sign * hand)
            moved.append(np.array(from_known_height(ends[0], ends[1], length_m=length_m)))
        spread += (0.5 * (moved[0] - moved[1])) ** 2
    off = np.sqrt(spread)
    return Scaled(away, height, float(off[0]), float(off[1]))


def _tipped(direction: Floats, angle_rad: float) -> Floats:
    """A direction tipped up by a small angle."""
    level = math.hypot(float(direction[0]), float(direction[2]))
    up = math.atan2(float(direction[1]), level) + angle_rad
    flat = np.array([direction[0], 0.0, direction[2]]) / max(level, 1e-12)
    found: Floats = flat * math.cos(up) + np.array([0.0, math.sin(up), 0.0])
    return found


def levelled(plan: Plan, level: Level, *, with_camera: bool) -> Plan:
    """The plan with its photograph levelled; and with the camera held as it was for it, where that is so."""
    photo = plan.photograph or Photograph()
    angles = {
        "pitch_deg": round(math.degrees(level.pitch_rad), 3),
        "roll_deg": round(math.degrees(level.roll_rad), 3),
        "pitch_plus_minus_deg": round(min(math.degrees(level.pitch_plus_minus_rad), 45.0), 3),
        "roll_plus_minus_deg": round(min(math.degrees(level.roll_plus_minus_rad), 45.0), 3),
    }
    parts: dict[str, object] = {"photograph": Photograph.model_validate(photo.model_dump() | angles)}
    if with_camera:
        parts["camera"] = Camera.model_validate(plan.camera.model_dump() | angles)
    return plan.model_copy(update=parts)
