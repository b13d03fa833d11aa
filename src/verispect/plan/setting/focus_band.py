"""Where one may focus a single frame and keep every must sharp: as distances, and as things to focus on."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from verispect.optics.blur import pupil_cones
from verispect.optics.conjugates import object_for_image_distance_mm
from verispect.plan.methods.candidate import Candidate


@dataclass(frozen=True)
class FocusBand:
    """Focus settings that keep every must sharp at the stop taken.

    Attributes
    ----------
    near_m, far_m : float
        From the sensor mark along the lens's axis; `far_m` may be infinite.
    on : tuple of str
        Marks and areas on which focusing does it, the one nearest to the best focus first.
    """

    near_m: float
    far_m: float
    on: tuple[str, ...]


def focus_band(candidate: Candidate) -> FocusBand | None:
    """The band of a method of one frame; None for others, and where no focus keeps every must sharp.

    The frame holds a must i while |v − v_i| · rate_i stays within what is allowed of it: the band of v is what
    all these have in common. A thing lies in the band where its own v_i does.
    """
    problem, rendering = candidate.problem, candidate.rendering
    if candidate.frame_count != 1 or problem is None or rendering is None or not candidate.is_sharp:
        return None
    exposure, scene = candidate.exposures[0], candidate.scene
    everything = problem.looking(problem.pose, np.arange(len(scene.names)))
    cones = pupil_cones(everything.points_from_lens_mm(exposure.state), exposure.state)
    reach = rendering.allowed_mm / cones.long_rate
    musts = scene.deciding
    low = float(np.max((cones.sharp_at_mm - reach)[musts]))
    high = float(np.min((cones.sharp_at_mm + reach)[musts]))
    if not high >= low:
        return None
    mine = np.flatnonzero((cones.sharp_at_mm >= low) & (cones.sharp_at_mm <= high) & ~scene.outside_picture)
    order = mine[np.argsort(np.abs(cones.sharp_at_mm[mine] - exposure.state.image_distance_mm), kind="stable")]
    names = tuple(dict.fromkeys(scene.names[k] for k in order))
    return FocusBand(_scale_m(candidate, high), _scale_m(candidate, low), names)


def _scale_m(candidate: Candidate, v_mm: float) -> float:
    """What the scale reads from the sensor mark at an image distance along the sensor's normal."""
    exposure = candidate.exposures[0]
    axial = v_mm / exposure.state.axis[2]
    away = object_for_image_distance_mm(image_mm=axial, focal_mm=exposure.state.focal_mm)
    return (away + axial + exposure.lens.principal_separation_mm) / 1000.0 if math.isfinite(away) else math.inf
