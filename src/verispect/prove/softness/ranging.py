"""The camera as a rangefinder: how far away a mark is, from the image distance at which it is sharp."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from verispect.optics.blur import bend_mm
from verispect.optics.lens_state import focus_image_distance_mm, from_principal_point
from verispect.optics.types import Floats
from verispect.plan.frames.exposure import Exposure

_FARTHEST = 1.0e4


@dataclass(frozen=True)
class Ranged:
    """A mark's distance from the entrance pupil as the frames show it, and how far off the focus was of it.

    Attributes
    ----------
    distance_m, plus_minus_m, planned_m : float
        Along the line of sight.
    off_mm, off_plus_minus_mm : float
        Image distance at which the mark is sharp, less the one reckoned for its place in the plan: what the mark's
        distance and the setting of the focus are off, together.
    place_m : (float, float, float)
        Where that is in the world.
    """

    distance_m: float
    plus_minus_m: float
    planned_m: float
    off_mm: float
    off_plus_minus_mm: float
    place_m: tuple[float, float, float]


def ranged(exposure: Exposure, world_m: Floats, sharp_at_mm: float, plus_minus_mm: float) -> Ranged | None:
    """The distance of a mark of the plan from where it is sharp; None where that may be at infinity.

    Parameters
    ----------
    exposure : Exposure
        Whose lens, tilt and place it was seen with; its own focus does not count.
    world_m : ndarray, shape (3,)
        Where the plan has the mark.
    sharp_at_mm, plus_minus_mm : float
        Image distance, along the sensor's normal.
    """
    state = exposure.state
    seen = exposure.pose.to_camera_mm(world_m)
    from_front = from_principal_point(seen, state)
    bend = float(bend_mm(seen[None], state)[0])
    planned = float(focus_image_distance_mm(from_front, focal_mm=state.focal_mm, axis=state.axis))
    shares = [
        _share(seen, from_front - seen, exposure, sharp_at_mm - bend + off)
        for off in (-plus_minus_mm, 0.0, plus_minus_mm)
    ]
    if any(not 0.0 < share < _FARTHEST for share in shares) or not np.isfinite(planned):
        return None
    away = float(np.linalg.norm(seen)) / 1000.0
    pupil = exposure.pose.pupil_m
    place = pupil + shares[1] * (np.asarray(world_m, float) - pupil)
    return Ranged(
        distance_m=shares[1] * away,
        plus_minus_m=0.5 * abs(shares[0] - shares[2]) * away,
        planned_m=away,
        off_mm=sharp_at_mm - bend - planned,
        off_plus_minus_mm=plus_minus_mm,
        place_m=(float(place[0]), float(place[1]), float(place[2])),
    )


def _share(seen_mm: Floats, ahead_mm: Floats, exposure: Exposure, image_mm: float) -> float:
    """Of the planned distance, where on its line of sight from the pupil a point is sharp at an image distance.

    v = f n·P / (a·P − f) with P = c + r q, solved for r.
    """
    state = exposure.state
    axis = np.asarray(state.axis)
    above = image_mm * (float(axis @ ahead_mm) - state.focal_mm) - state.focal_mm * float(ahead_mm[2])
    below = state.focal_mm * float(seen_mm[2]) - image_mm * float(axis @ seen_mm)
    return above / below if abs(below) > 1e-12 else float("inf")
