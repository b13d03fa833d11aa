"""The finest detail that a method renders on each mark, and how many final pixels it gets."""

from __future__ import annotations

import numpy as np

from verispect.optics.types import Floats
from verispect.plan.methods.candidate import Candidate

# Steps up to the pixel's own limit: as many as leave none of a blur's rings out, which are 3.2 wide in π times the
# frequency times the blur, within bounds. How often, and into how many, that of the fall is parted.
_OF_A_RING = 1.2
_FEWEST_STEPS, _MOST_STEPS = 8, 96
_ROUNDS = 4
_PARTS = 16


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
    working = np.array([exposure.state.working_f_number for exposure in candidate.exposures])
    of_mark = working[rendering.exposure[:count]]
    blur, smear = rendering.blur_long_mm[:count], rendering.smear_mm[:count]
    residual = rendering.residual_mm[:count]
    finest = 0.5 / criterion.pixel_mm
    spread = blur + smear + residual
    widest = np.max(spread, initial=0.0, where=np.isfinite(spread))
    parts = int(np.clip(np.pi * finest * widest / _OF_A_RING, _FEWEST_STEPS, _MOST_STEPS))
    steps = np.linspace(0.0, finest, parts + 1)[1:, None]
    falls = criterion.contrast_at(steps, blur, of_mark, smear, residual) < criterion.contrast_floor
    fallen = falls.any(axis=0)
    # The first fall counts: detail beyond it that comes back is false.
    first = np.where(fallen, np.argmax(falls, axis=0), parts - 1)
    low, width = np.where(first > 0, steps[first - 1, 0], 0.0), steps[0, 0]
    # Few rounds of many parts: what takes the time is calling, not reckoning.
    within = np.arange(1, _PARTS)[:, None] / _PARTS
    for _ in range(_ROUNDS):
        falls = criterion.contrast_at(low + within * width, blur, of_mark, smear, residual) < criterion.contrast_floor
        whole = np.where(falls.any(axis=0), np.argmax(falls, axis=0), _PARTS - 1)
        low, width = low + whole * width / _PARTS, width / _PARTS
    fine = np.where(fallen, low, steps[-1, 0])
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
