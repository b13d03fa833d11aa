"""The softness of places anywhere, as a method renders them: what a drawing shows as a field."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from verispect.optics.blur import blur_axes_mm, image_centres_mm
from verispect.optics.criterion import Criterion
from verispect.optics.lens_state import from_principal_point
from verispect.optics.types import Floats
from verispect.plan.frames.exposure import Exposure

# Of a long series so many frames, evenly chosen, show what it holds.
_MOST_FRAMES = 40


def softness_at(
    world_m: Floats, exposures: Sequence[Exposure], criterion: Criterion, sensor_mm: tuple[float, float]
) -> Floats:
    """Least softness of still places (..., 3) over some exposures; NaN where none of them sees a place."""
    best = np.full(world_m.shape[:-1], np.nan)
    step = max(1, -(-len(exposures) // _MOST_FRAMES))
    half = 0.5 * np.asarray(sensor_mm) * (1.0 + 1e-9)
    for exposure in exposures[::step]:
        state = exposure.state
        points = from_principal_point(exposure.pose.to_camera_mm(world_m), state)
        with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
            long, _ = blur_axes_mm(points, state)
            off = np.abs(image_centres_mm(points, state) - np.asarray(exposure.sensor_centre_mm))
            seen = (points[..., 2] > state.focal_mm) & np.all(off <= half, axis=-1)
            softness = criterion.softness(long, state.working_f_number, 0.0, np.asarray(exposure.allowed_blur_mm))
        best = np.fmin(best, np.where(seen, softness, np.nan))
    return best
