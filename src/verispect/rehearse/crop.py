"""A small part of the picture about a mark as two methods would take it, at one scale of the print."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.plan.methods.candidate import Candidate
from verispect.rehearse import pupil_views
from verispect.rehearse.projection import looking_at
from verispect.rehearse.pupil_views import FINE, Quality
from verispect.rehearse.scene_model import Model, build_model
from verispect.rehearse.sensor_noise import exposed, srgb_16
from verispect.rehearse.wave_blur import diffracted

# More pixels of a frame than this each way are not worked out for a part that is shown small.
_MOST_PX = 900


@dataclass(frozen=True)
class Crop:
    """A part of the print.

    Attributes
    ----------
    pixels : ndarray, shape (n, n, 3), uint8
    exposure : int
        Of the method, which shows the mark sharpest.
    softness : float
        As planned.
    pixels_per_mm : float
        Of the frame, to a mm on the print.
    """

    pixels: NDArray[np.uint8]
    exposure: int
    softness: float
    pixels_per_mm: float


def crop_about(
    model: Model, candidate: Candidate, mark: int, *, print_mm: float, shown_px: int, quality: Quality = FINE
) -> Crop | None:
    """So many mm of the print about a mark, shown in so many pixels; None where no frame of the method shows it."""
    rendering, scene = candidate.rendering, candidate.scene
    if rendering is None or candidate.criterion is None or not bool(rendering.inside[mark]):
        return None
    index = int(rendering.exposure[mark])
    exposure, plan = candidate.exposures[index], scene.plan
    state = exposure.state
    # A tangent is so large on the print, whatever lens draws it.
    on_print = plan.framing_mm * plan.enlargement()
    pitch = plan.kit.body.pixel_mm
    pixels_per_mm = state.pupil_scale_mm / pitch / on_print
    side = max(8, round(print_mm * pixels_per_mm))
    # What is shown much smaller is taken with larger pixels at once.
    times = max(1.0, side / _MOST_PX)
    side, pitch = round(side / times), pitch * times
    camera = looking_at(exposure, scene.world_m[mark], side, pitch)
    wavelength = candidate.criterion.lights[len(candidate.criterion.lights) // 2][0]
    picture = pupil_views.render(model, camera, wavelength_mm=wavelength, seed=index, quality=quality)
    if picture is None:
        return None
    picture = diffracted(picture, working_f_number=state.working_f_number, wavelength_mm=wavelength, pitch_mm=pitch)
    picture = exposed(picture, body=plan.kit.body, pixel_mm=pitch, gain=1.0, seed=(1, index), noise=True)
    coded = (srgb_16(picture) >> 8).astype(np.uint8)
    how = cv2.INTER_AREA if shown_px < side else cv2.INTER_CUBIC
    shown = cv2.resize(coded, (shown_px, shown_px), interpolation=how)
    return Crop(np.asarray(shown, np.uint8), index, float(rendering.softness[mark]), pixels_per_mm)


def two_crops(
    candidates: tuple[Candidate, Candidate],
    mark: int,
    print_mm: float,
    shown_px: int,
    *,
    progress: Callable[[float], None],
    is_cancelled: Callable[[], bool],
) -> list[Crop | None]:
    """The same part of the print by two methods of one scene."""
    model = build_model(candidates[0].scene)
    found: list[Crop | None] = []
    for number, candidate in enumerate(candidates):
        if is_cancelled():
            return []
        progress(0.5 * number)
        found.append(crop_about(model, candidate, mark, print_mm=print_mm, shown_px=shown_px))
    return found
