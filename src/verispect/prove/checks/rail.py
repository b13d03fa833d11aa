"""What is another matter on a rail, where the camera goes and its focus stays: how things grow, where it stood."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from verispect.optics.conjugates import object_for_image_distance_mm
from verispect.optics.types import Floats
from verispect.plan.frames.between import blur_per_defocus
from verispect.plan.frames.exposure import Exposure
from verispect.plan.methods.candidate import Candidate
from verispect.prove.expected import ahead_m, focus_from_pupil_m
from verispect.prove.report import Fault, FrameReport
from verispect.prove.verdict import set_to

# What is not sharp grows by another share of its distance than what is, by which frames are laid over one another: of
# what that may shift in the corner so much may be left, and less of a step than this is not told from it.
_UNLIKE_DEPTHS, _OF_A_STEP = 0.05, 0.5
# Where hardly anything in focus has texture what stands before or behind it tells how frames lie. It grows by up to
# so much more or less of a step; from so much of it on, and so large a share of itself, it is that, and shifts so
# many times as far.
_NEARER_GROWS, _OUT_OF_FOCUS, _LEAST, _TIMES_FARTHER = 0.4, 0.15, 2e-3, 3.0
# A rail looks aside by this at the most, five degrees.
_ASKEW = math.tan(math.radians(5.0))


def comes_nearer(taken: Sequence[Exposure]) -> Floats:
    """By what share of its distance each frame came nearer, since the one before, to what it is focused on (n,)."""
    steps = [abs(ahead_m(one, before)) for one, before in zip(taken, [taken[0], *taken[:-1]], strict=True)]
    found: Floats = np.array(steps) / np.array([focus_from_pupil_m(one) for one in taken])
    return found


def askew_px(exposures: Sequence[Exposure], pitch_mm: float) -> float:
    """How far a rail that is not quite along the view, as none is, shifts what is sharp between two frames."""
    if len(exposures) < 2:
        return 0.0
    state = exposures[0].state
    drawn = (state.image_distance_mm / state.focal_mm - 1.0) / pitch_mm
    return _ASKEW * step_mm(exposures) * drawn


def shifted_by_depths_px(taken: Sequence[Exposure], others: Sequence[bool], reach_px: float) -> Floats:
    """How far frames may seem to be shifted because unlike depths grow unlike (n,).

    `others` lie by what is not sharp; `reach_px` is from the middle of a frame to its corner.
    """
    found: Floats = _UNLIKE_DEPTHS * reach_px * comes_nearer(taken) * np.where(others, _TIMES_FARTHER, 1.0)
    return found


def aside_by_depth_px(taken: Sequence[Exposure], number: int, away_px: float) -> float:
    """How far a thing away from the middle may stand aside in one of frames for its depth; 0 where none is `taken`.

    Where nothing else tells, frames are laid by what is so far off that it does not grow at all.
    """
    return away_px * float(comes_nearer(taken)[number : number + 2].max()) if taken else 0.0


def step_mm(exposures: Sequence[Exposure]) -> float:
    """From one place of a rail to the next."""
    return 1000.0 * abs(ahead_m(exposures[-1], exposures[0])) / max(len(exposures) - 1, 1)


def grows_by_depth(planned: Floats) -> Floats:
    """By how much more or less than planned frames may grow in each step because something else is seen (n - 1,)."""
    found: Floats = _NEARER_GROWS * np.abs(np.diff(planned))
    return found


def laid_by_other_depths(scales: Floats, planned: Floats) -> NDArray[np.bool_]:
    """Which frames lie over the one before by what is not in focus there (n,), as how they grew tells."""
    off, steps = (np.abs(np.diff(part, prepend=part[:1])) for part in (scales - planned, planned))
    found: NDArray[np.bool_] = off > np.maximum(_OUT_OF_FOCUS * steps, _LEAST)
    found[:1] = False
    return found


def misplaced(
    candidate: Candidate, exposure: Exposure, grown: float, report: FrameReport, least_blurs: float
) -> bool:
    """Whether a frame that is drawn larger than planned (a logarithm) was taken from elsewhere; it is then said."""
    state = exposure.state
    nearer_mm = 1000.0 * grown * focus_from_pupil_m(exposure)
    away = object_for_image_distance_mm(image_mm=state.image_distance_mm, focal_mm=state.focal_mm)
    on_image = nearer_mm * (state.focal_mm / (away - state.focal_mm)) ** 2
    blurs = abs(on_image) * blur_per_defocus(exposure) / exposure.allowed_blur_mm
    if blurs < least_blurs or abs(nearer_mm) < _OF_A_STEP * step_mm(candidate.exposures):
        return False
    pose = exposure.pose
    moved = replace(pose, pupil_m=pose.pupil_m + nearer_mm / 1000.0 * pose.forward)
    report.as_found = replace(exposure, pose=moved)
    report.faults.append(
        Fault("missed-focus", float(blurs),
              f"taken {abs(nearer_mm):.2g} mm too {'near' if nearer_mm > 0.0 else 'far back'}, by {blurs:.1f} "
              "allowed blurs: the rail stood elsewhere than planned",
              f"take it again, {set_to(candidate, exposure)}")
    )  # fmt: skip
    return True
