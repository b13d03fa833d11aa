"""How a frame must have been focused to be drawn as large as it is, and how far that is from the plan."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from verispect.plan.frames.between import focused_from
from verispect.plan.frames.exposure import Exposure

# How a lens that focuses internally draws is looked at so far to either side of a focus; one that is drawn larger by
# less than this share of what it is refocused by tells nothing of its focus so.
_REFOCUSED_BY, _TELLING = 1e-3, 0.2


def refocused(exposure: Exposure, grown: float) -> Exposure:
    """A frame as its focus must have been to be drawn so much larger (a logarithm).

    As planned where it draws alike wherever it is focused, as some lenses that focus internally do.
    """
    state = exposure.state
    image = state.image_distance_mm
    if not exposure.breathes:
        return exposure.focused(image + grown * (image - state.focal_mm * (1 - state.pupil_magnification)))

    def larger(at_mm: float) -> float:
        return math.log(exposure.focused(at_mm).state.pupil_scale_mm / state.pupil_scale_mm)

    # By small steps: how it draws is told of a usual course alone, and goes one way only about where it stands.
    step = _REFOCUSED_BY * image
    slope = (larger(image + step) - larger(image - step)) / (2.0 * step)
    if abs(slope) * image < _TELLING:
        return exposure
    return exposure.focused(image + grown / slope)


def blurs_apart(planned: Exposure, taken: Exposure) -> float:
    """By how many allowed blurs the focus of a frame is off."""
    return disc_mm(planned, taken) / planned.allowed_blur_mm


def disc_mm(planned: Exposure, taken: Exposure) -> float:
    """By what disc a frame blurs what it should have rendered sharp."""
    state = planned.state
    off = abs(focused_from(taken, planned)[0] - state.image_distance_mm)
    return float(off / state.working_f_number)


def discs_between(exposures: Sequence[Exposure], pitch_mm: float) -> Callable[[int, int], float]:
    """By what disc one of some exposures blurs what another has sharp, pixels."""
    return lambda a, b: disc_mm(exposures[a], exposures[b]) / pitch_mm
