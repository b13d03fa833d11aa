"""What is another matter on a rail, where the camera goes and its focus stays: how things grow, where it stood."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

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
UNLIKE_DEPTHS, _OF_A_STEP = 0.05, 0.5


def comes_nearer(taken: Sequence[Exposure]) -> Floats:
    """By what share of its distance each frame came nearer, since the one before, to what it is focused on (n,)."""
    steps = [abs(ahead_m(one, before)) for one, before in zip(taken, [taken[0], *taken[:-1]], strict=True)]
    found: Floats = np.array(steps) / np.array([focus_from_pupil_m(one) for one in taken])
    return found


def step_mm(exposures: Sequence[Exposure]) -> float:
    """From one place of a rail to the next."""
    return 1000.0 * abs(ahead_m(exposures[-1], exposures[0])) / max(len(exposures) - 1, 1)


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
