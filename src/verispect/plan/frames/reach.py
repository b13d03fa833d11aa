"""How deep one exposure is sharp along the view, as a focusing scale would read it."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from verispect.optics.conjugates import hyperfocal_mm
from verispect.optics.depth_of_field import limits_along_ray_mm
from verispect.plan.frames.exposure import Exposure


@dataclass(frozen=True)
class Reach:
    """Distances from the sensor mark, in metres, along the view; infinite where there is no end.

    Attributes
    ----------
    near_m, far_m : float
        Between them a still mark has no more than the allowed blur.
    hyperfocal_m : float
        Focused there at this stop, untilted, everything from about half of it to infinity is sharp.
    """

    near_m: float
    far_m: float
    hyperfocal_m: float


def reach_of(exposure: Exposure) -> Reach | None:
    """The reach of an exposure by its own allowed blur; None where no blur at all would do.

    Notes
    -----
    Limits from the exact blur figure (`optics.depth_of_field`); hyperfocal H = f²/(N c) + f, whatever the
    pupils. A scale reads object distance and image distance and what separates the principal points.
    """
    state, allowed = exposure.state, exposure.allowed_blur_mm
    if not math.isfinite(allowed) or allowed <= 0.0:
        return None
    near, _, far = limits_along_ray_mm(np.array([0.0, 0.0, 1.0]), state.ideal_on_axis, allowed)
    behind = state.image_distance_mm + exposure.lens.principal_separation_mm
    hyperfocal = hyperfocal_mm(focal_mm=state.focal_mm, f_number=state.f_number, circle_mm=allowed)
    at_hyperfocal = state.focal_mm + allowed * state.f_number + exposure.lens.principal_separation_mm
    return Reach((near + behind) / 1000.0, (far + behind) / 1000.0, (hyperfocal + at_hyperfocal) / 1000.0)
