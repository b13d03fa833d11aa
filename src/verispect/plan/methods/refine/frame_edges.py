"""Places of surfaces just beyond the frames' edges: there a grid passes from one frame's focus to another's."""

from __future__ import annotations

import numpy as np

from verispect.optics.types import Floats
from verispect.plan.frames.exposure import Exposure
from verispect.plan.scene.scene import Scene
from verispect.subject.mark import Need
from verispect.subject.surface import Patch, seen_from

# So far beyond an edge, as a share of the frame, that the frame itself does not show it.
_BEYOND = 1.0005
# Places along each edge.
_STEPS = np.linspace(-1.0, 1.0, 17)
_OUTLINE = np.concatenate(
    [np.column_stack([_STEPS, np.full(_STEPS.size, side)]) for side in (-1.0, 1.0)]
    + [np.column_stack([np.full(_STEPS.size, side), _STEPS]) for side in (-1.0, 1.0)]
)


def places_beyond_edges(dense: Scene, exposures: tuple[Exposure, ...]) -> Scene | None:
    """Those places in the wanted picture as points like the surfaces' own; None where there are none.

    Parameters
    ----------
    dense : Scene
        Its points lend need, weight and name to what is found on their surface.
    exposures : tuple of Exposure
        Of lenses that are not tilted.
    """
    # Areas are the surfaces that are not indifferent, in their order, and then the scans.
    surfaces = [surface for surface in dense.plan.surfaces if surface.need != Need.MAY]
    half = 0.5 * np.asarray(dense.plan.sensor_mm)
    places, rows = [], []
    for index, surface in enumerate(surfaces):
        mine = np.flatnonzero(dense.group == dense.mark_count + index)
        if mine.size == 0 or not dense.deciding[mine[0]]:
            continue
        for patch in seen_from(surface, dense.pose.pupil_m):
            found = np.concatenate([_on_patch(patch, exposure, half) for exposure in exposures])
            places.append(found)
            rows.append(np.full(len(found), mine[0]))
    if not places:
        return None
    more = dense.of_rows(np.concatenate(rows), np.concatenate(places))
    return more.of_rows(np.flatnonzero(~more.outside_picture & (more.depth_mm > 0.0)))


def _on_patch(patch: Patch, exposure: Exposure, half_mm: Floats) -> Floats:
    """Where the rays just beyond an exposure's edges meet a patch before the camera, world metres (P, 3)."""
    outline = -(np.asarray(exposure.sensor_centre_mm) + _BEYOND * half_mm * _OUTLINE) / exposure.state.pupil_scale_mm
    eye = exposure.pose.pupil_m
    rays = exposure.pose.to_world_m(1000.0 * np.column_stack([outline, np.ones(len(outline))])) - eye
    with np.errstate(divide="ignore", invalid="ignore"):
        far = float((patch.corner_m - eye) @ patch.outward) / (rays @ patch.outward)
    rays, far = rays[np.isfinite(far) & (far > 0.0)], far[np.isfinite(far) & (far > 0.0)]
    met = eye + rays * far[:, None]
    edges = np.stack([patch.across_m, patch.along_m])
    share = (met - patch.corner_m) @ edges.T / np.sum(edges**2, axis=1)
    found: Floats = met[np.all((share >= 0.0) & (share <= 1.0), axis=1)]
    return found
