"""The stretch of each mark's own ray that is sharp: what no section can show of what lies to its side."""

from __future__ import annotations

import numpy as np

from verispect.optics.lens_state import depth_planes, from_principal_point
from verispect.optics.types import Floats
from verispect.plan.frames.exposure import Exposure
from verispect.plan.frames.rendering import Rendering
from verispect.plan.scene.scene import Scene

# Stands for no end: farther than anything that is drawn.
_ENDLESS_MM = 1.0e8


def sharp_stretches(scene: Scene, exposures: tuple[Exposure, ...], rendering: Rendering) -> Floats:
    """Ends of the sharp part of every mark's ray through the lens, in the exposure that shows it best.

    Returns
    -------
    ndarray, shape (M, 2, 3)
        World, m: near end, far end; NaN where none of the ray is sharp. By the faces of the wedge of depth of
        field (docs/derivations/blur.md, 6), with what motion and the lens leave of the allowed blur.
    """
    count = scene.mark_count
    found = np.full((count, 2, 3), np.nan)
    for index, exposure in enumerate(exposures):
        mine = np.flatnonzero(rendering.exposure[:count] == index)
        if not mine.size:
            continue
        state = exposure.state.ideal_on_axis
        points = from_principal_point(exposure.pose.to_camera_mm(scene.world_m[mine]), state)
        rays = points / np.linalg.norm(points, axis=1, keepdims=True)
        for row, mark in enumerate(mine):
            allowed = float(rendering.allowed_mm[mark])
            if not np.isfinite(allowed) or allowed <= 0.0:
                continue
            near, far = depth_planes(state, allowed)
            ends = np.array([rays[row] @ near, rays[row] @ far])
            lengths = np.where(ends > 1.0 / _ENDLESS_MM, 1.0 / np.where(ends > 0.0, ends, 1.0), np.inf)
            if np.isinf(lengths).all():
                continue
            for end, length in enumerate(np.sort(lengths)):
                along = min(float(length), _ENDLESS_MM) * rays[row] / 1000.0
                found[mark, end] = exposure.position_m + along @ exposure.pose.matrix
    return found
