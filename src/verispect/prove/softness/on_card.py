"""Softness measured where a picture is only rehearsed: on a slanted edge put in the mark's place.

What a scene shows at a mark need not be measurable. A card with an edge there, taken by the same exposure through
the exact wave and the sensor's noise, always is; it is measured as one in a photograph would be.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from verispect.optics.blur import blur_axes_mm
from verispect.plan.frames.rendering import residual_mm
from verispect.plan.methods.candidate import Candidate
from verispect.prove.softness.edges import find_edge
from verispect.prove.softness.mark_softness import EDGE_HALF, by_edge
from verispect.rehearse.cards import edge_picture
from verispect.rehearse.projection import looking_at
from verispect.rehearse.sensor_noise import exposed

# A wider blur is taken with larger pixels, so that the block holds the edge and what is even on both its sides.
_MOST_BLUR_PX = 8.0


def measured_on_card(candidate: Candidate, mark: int) -> tuple[float, float] | None:
    """Softness of a mark and its ±, in the frame that shows it sharpest; None where no frame shows it.

    The card stands still and alone: what hides a part of the blur is not in it, nor what the mark's own movement
    smears; how much blur that leaves to be allowed is reckoned as planned.
    """
    rendering, scene, criterion = candidate.rendering, candidate.scene, candidate.criterion
    if rendering is None or criterion is None or not bool(rendering.inside[mark]):
        return None
    index = int(rendering.exposure[mark])
    exposure, body = candidate.exposures[index], scene.plan.kit.body
    place, side = scene.world_m[mark], 2 * EDGE_HALF + 1
    camera = looking_at(exposure, place, side, body.pixel_mm)
    blur_px = float(blur_axes_mm(camera.to_lens_mm(place)[None], exposure.state)[0][0]) / body.pixel_mm
    pitch = body.pixel_mm * max(1.0, blur_px / _MOST_BLUR_PX)
    camera = looking_at(exposure, place, side, pitch)
    own = float(residual_mm(scene, exposure, np.array([mark]))[0])
    picture = edge_picture(camera, place, residual_mm=own, wavelengths_mm=criterion.lights)
    if picture is None:
        return None
    grey = exposed(picture[..., None], body=body, pixel_mm=pitch, gain=1.0, seed=(1, index), noise=True)[..., 0]
    edge = find_edge(np.ascontiguousarray(grey))
    return None if edge is None else by_edge(candidate, rendering, mark, index, edge, pitch)


def two_measured(
    candidates: tuple[Candidate, Candidate],
    mark: int,
    *,
    progress: Callable[[float], None],
    is_cancelled: Callable[[], bool],
) -> list[tuple[float, float] | None]:
    """The same of two methods; empty where it was given up."""
    found: list[tuple[float, float] | None] = []
    for candidate in candidates:
        if is_cancelled():
            return []
        found.append(measured_on_card(candidate, mark))
        progress(len(found) / len(candidates))
    return found
