"""What no frame of a series renders cleanly: the strip behind a near edge, hidden from a part of the pupil."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from verispect.optics.blur import blur_axes_mm
from verispect.optics.lens_state import FORWARD, focus_image_distance_mm, from_principal_point
from verispect.plan.methods.candidate import Candidate

# Of the picture's width: what lies farther from an edge than this is not behind it.
_BESIDE = 0.06
# Depths less apart than this are one thing.
_APART = 1.05
_MOST = 8


@dataclass(frozen=True)
class Halo:
    """A strip along a near edge.

    Attributes
    ----------
    edge, behind : str
        What hides, and what is seen beside it.
    px : float
        Its width in final pixels.
    by_stop : tuple of (f_number, px)
        The same at the full stops of the lens: the strip narrows as the pupil does, and frames grow fewer.
    """

    edge: str
    behind: str
    px: float
    by_stop: tuple[tuple[float, float], ...] = ()


def halos(candidate: Candidate) -> list[Halo]:
    """The widest strips of a merged series by the marks and areas of the plan, the worst first.

    Notes
    -----
    From the pupil's rim one looks round an edge: on something behind it a strip of half the edge's blur figure,
    with the lens focused on what is behind, is seen by a part of the pupil only. Focused there it is mixed with
    the blurred edge; focused on the edge it is blurred itself.
    """
    if not candidate.method.merges or candidate.frame_count < 2 or candidate.rendering is None:
        return []
    scene = candidate.scene
    points, names = scene.points_mm, np.array(scene.names)
    usable = np.flatnonzero((points[:, 2] > 0.0) & ~scene.outside_picture)
    tangents = points[usable, :2] / points[usable, 2:]
    width = 2.0 * float(scene.half_picture()[0])
    found: dict[tuple[str, str], float] = {}
    for place, near in zip(tangents, usable, strict=True):
        behind = (np.hypot(*(tangents - place).T) <= _BESIDE * width) & (points[usable, 2] > _APART * points[near, 2])
        for far in usable[behind]:
            if names[far] != names[near]:
                pair = (str(names[near]), str(names[far]))
                found[pair] = max(found.get(pair, 0.0), _strip_px(candidate, int(near), int(far)))
    worst = sorted(found.items(), key=lambda item: -item[1])[:_MOST]
    planned = candidate.exposures[0].state.f_number
    stops = _full_stops(candidate)
    return [
        Halo(edge, behind, px, tuple((stop, px * planned / stop) for stop in stops)) for (edge, behind), px in worst
    ]


def _full_stops(candidate: Candidate) -> list[float]:
    """The lens's stops, a stop apart, from the widest, that diffraction does not spoil."""
    problem, criterion = candidate.problem, candidate.criterion
    assert problem is not None
    assert criterion is not None
    growth = candidate.exposures[0].state.working_f_number / candidate.exposures[0].state.f_number
    stops = [float(stop) for stop in problem.stops[::3]]
    return [stop for stop in stops if np.isfinite(criterion.allowed_still_mm(stop * growth))]


def _strip_px(candidate: Candidate, near: int, far: int) -> float:
    assert candidate.rendering is not None
    # A cell of a grid looks at them from the side.
    exposure = candidate.exposures[int(candidate.rendering.exposure[near])]
    state = exposure.state
    points = from_principal_point(exposure.pose.to_camera_mm(candidate.scene.world_m[[near, far]]), state)
    if state.axis == FORWARD:
        # Focused back there a lens that breathes has another focal length than on the edge.
        state = replace(state, focal_mm=exposure.lens.breathing_at(float(points[1, 2])).focal_mm)
    v = float(focus_image_distance_mm(points[1], focal_mm=state.focal_mm, axis=state.axis))
    if not np.isfinite(v) or v <= 0.0:
        return 0.0
    focused = replace(state, image_distance_mm=v)
    blur = float(blur_axes_mm(points[0], focused)[0])
    return 0.5 * blur / candidate.scene.plan.kit.body.pixel_mm
