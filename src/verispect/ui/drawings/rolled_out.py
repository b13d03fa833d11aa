"""What goes all round, rolled out flat: a circle as a cylinder, a sphere by bearing and height."""

from __future__ import annotations

import math

import numpy as np

from verispect.optics.types import Bools, Floats
from verispect.plan.document import Plan
from verispect.subject.camera import Around
from verispect.ui.drawings.view import Box
from verispect.ui.state.session import Shown

# Steps along an edge, so that it bows as it does rolled out.
_STEPS = 16


def goes_round(plan: Plan) -> bool:
    """Whether the plan wants more than a flat picture holds."""
    return plan.camera.around != Around.PICTURE


def extent(plan: Plan, scale: float) -> Box:
    """Left, right, low and high end of all that is wanted, in the drawing's units."""
    low, high = plan.elevations_rad
    if plan.camera.around == Around.CIRCLE:
        low, high = math.tan(low), math.tan(high)
    return -math.pi * scale, math.pi * scale, low * scale, high * scale


def places_of(shown: Shown, directions: Floats, scale: float) -> Floats:
    """Where directions of the world (..., 3), of any length, lie; the camera's bearing is in the middle."""
    forward = shown.scene.pose.forward
    bearing = math.atan2(forward[0], forward[2])
    level = np.hypot(directions[..., 0], directions[..., 2])
    across = (np.arctan2(directions[..., 0], directions[..., 2]) - bearing + math.pi) % math.tau - math.pi
    if shown.scene.plan.camera.around == Around.CIRCLE:
        up = directions[..., 1] / np.maximum(level, 1e-9)
    else:
        up = np.arctan2(directions[..., 1], level)
    return np.stack([across, up], axis=-1) * scale


def seen_of(shown: Shown, directions: Floats, scale: float) -> tuple[Floats, Bools]:
    """Places of directions (K, 3) that follow one another, and which are wanted: none just across the seam."""
    places = places_of(shown, directions, scale)
    _, _, low, high = extent(shown.scene.plan, scale)
    seen: Bools = (places[:, 1] >= low) & (places[:, 1] <= high)
    seen[1:] &= np.abs(np.diff(places[:, 0])) <= math.pi * scale
    return places, seen


def direction_of(shown: Shown, place: Floats, scale: float) -> Floats:
    """The world's direction (3,), a unit vector, of a place (2,)."""
    forward = shown.scene.pose.forward
    turn = math.atan2(forward[0], forward[2]) + float(place[0]) / scale
    up = float(place[1]) / scale
    height = math.atan(up) if shown.scene.plan.camera.around == Around.CIRCLE else min(max(up, -1.57), 1.57)
    return np.array(
        [math.sin(turn) * math.cos(height), math.sin(height), math.cos(turn) * math.cos(height)], dtype=float
    )


def outlines(shown: Shown, corners: Floats, scale: float) -> list[Floats]:
    """A closed outline through directions (K, 3), cut where it leaves at one side and comes in at the other."""
    following = np.roll(corners, -1, axis=0)
    share = np.arange(_STEPS)[:, None] / _STEPS
    run = np.concatenate([a + share * (b - a) for a, b in zip(corners, following, strict=True)] + [corners[:1]])
    places = places_of(shown, run, scale)
    jumps = np.flatnonzero(np.abs(np.diff(places[:, 0])) > math.pi * scale) + 1
    return [part for part in np.split(places, jumps) if len(part) > 1]
