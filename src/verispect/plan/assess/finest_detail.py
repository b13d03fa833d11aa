"""The finest detail that a method renders on each mark, and how many final pixels it gets."""

from __future__ import annotations

import numpy as np

from verispect.optics.types import Floats
from verispect.plan.methods.candidate import Candidate

# Steps up to the pixel's own limit, and halvings of the one in which the contrast falls.
_STEPS = 96
_HALVINGS = 20


def finest_detail_mm(candidate: Candidate) -> Floats:
    """Half a line pair, on the mark itself and across the view, at which the contrast just reaches the floor.

    Returns
    -------
    ndarray, shape (M,)
        mm; infinite where nothing is rendered. Never finer than two pixels a line pair allow.
    """
    rendering, criterion = candidate.rendering, candidate.criterion
    if rendering is None or criterion is None:
        return np.full(candidate.scene.mark_count, np.inf)
    count = candidate.scene.mark_count
    scale = mm_on_subject_per_mm(candidate)
    steps = np.linspace(0.0, 0.5 / criterion.pixel_mm, _STEPS + 1)[1:, None]
    working = np.array([exposure.state.working_f_number for exposure in candidate.exposures])
    of_mark = working[rendering.exposure[:count]]
    blur, smear = rendering.blur_long_mm[:count], rendering.smear_mm[:count]
    residual = rendering.residual_mm[:count]
    marched = criterion.contrast_at(steps, blur, of_mark, smear, residual) < criterion.contrast_floor
    # The first fall counts: detail beyond it that comes back is false.
    first = np.where(marched.any(axis=0), np.argmax(marched, axis=0), _STEPS - 1)
    low, high = np.where(first > 0, steps[first - 1, 0], 0.0), steps[first, 0]
    for _ in range(_HALVINGS):
        middle = 0.5 * (low + high)
        enough = criterion.contrast_at(middle, blur, of_mark, smear, residual) >= criterion.contrast_floor
        low, high = np.where(enough, middle, low), np.where(enough, high, middle)
    fine = np.where(marched.any(axis=0), low, steps[-1, 0])
    with np.errstate(divide="ignore"):
        found: Floats = np.where(np.isfinite(blur) & (fine > 0.0), scale / (2.0 * fine), np.inf)
    return found


def mm_on_subject_per_mm(candidate: Candidate) -> Floats:
    """How much a mm on the sensor is on each mark, in the exposure that shows it best, shape (M,)."""
    rendering, scene = candidate.rendering, candidate.scene
    assert rendering is not None
    found = np.zeros(scene.mark_count)
    for index, exposure in enumerate(candidate.exposures):
        mine = rendering.exposure[: scene.mark_count] == index
        depth = exposure.pose.to_camera_mm(scene.world_m[: scene.mark_count][mine])[:, 2]
        found[mine] = depth / exposure.state.pupil_scale_mm
    return found


def pixels_per_mm(candidate: Candidate) -> Floats:
    """Final pixels to a mm on each mark, across the view, shape (M,)."""
    scale = mm_on_subject_per_mm(candidate)
    found: Floats = 1.0 / (scale * candidate.scene.plan.kit.body.pixel_mm)
    return found
