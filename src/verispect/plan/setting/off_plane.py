"""How far above and below a leaning plane things are still sharp, and which stop each thing off it needs."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from verispect.optics.blur import blur_axes_mm
from verispect.optics.f_stops import marked
from verispect.optics.lens_state import from_principal_point, plane_of_sharp_focus
from verispect.plan.frames.rendering import render
from verispect.plan.methods.candidate import Candidate
from verispect.sentence import Sentence

_FARTHEST_M = 500.0
_HALVINGS = 44
_FEW = 4


@dataclass(frozen=True)
class Slice:
    """At one distance along the view, in the middle of the picture.

    Attributes
    ----------
    distance_m : float
        From the entrance pupil along the camera's own axis.
    above_mm, below_mm : float
        From the plane up and down, across the view, to where it is just sharp; inf where there is no end.
    """

    distance_m: float
    above_mm: float
    below_mm: float


@dataclass(frozen=True)
class StandsOff:
    """A must off the plane: by how many mm, square to it, and the widest stop that still holds it; None: none."""

    name: str
    off_mm: float
    f_number: float | None


@dataclass(frozen=True)
class OffPlane:
    """Both for one tilted frame."""

    slices: tuple[Slice, ...]
    marks: tuple[StandsOff, ...]

    @property
    def says(self) -> list[Sentence]:
        """The same in sentences."""
        said = [
            Sentence(
                "{d:.2f} m away it is sharp from {below} below the plane to {above} above it",
                {"d": part.distance_m, "below": _mm(part.below_mm), "above": _mm(part.above_mm)},
            )
            for part in self.slices
        ]
        # The farthest off decide the stop.
        for one in sorted(self.marks, key=lambda one: -(one.f_number or math.inf))[:_FEW]:
            values: dict[str, object] = {"mark": one.name, "off": _mm(abs(one.off_mm))}
            if one.f_number is None:
                said.append(Sentence("{mark} lies {off} off the plane: no stop holds it", values))
            else:
                values["stop"] = marked(one.f_number)
                said.append(Sentence("{mark} lies {off} off the plane and needs f/{stop}", values))
        return said


def _mm(value: float) -> Sentence:
    if not math.isfinite(value):
        return Sentence("no end")
    return Sentence("{n:.0f} mm", {"n": value}) if value < 2000.0 else Sentence("{n:.1f} m", {"n": value / 1000.0})


def off_plane(candidate: Candidate) -> OffPlane | None:
    """For one tilted frame; None for other methods."""
    if not candidate.method.tilts or candidate.frame_count != 1 or candidate.criterion is None:
        return None
    scene, exposure = candidate.scene, candidate.exposures[0]
    if math.hypot(*exposure.state.axis[:2]) < 1e-6:
        return None
    deciding = np.flatnonzero(scene.deciding).tolist()
    marks = [k for k in deciding if k < scene.mark_count]
    depths = sorted(float(scene.points_mm[k, 2]) / 1000.0 for k in marks or deciding)
    near, far = depths[0], min(depths[-1], _FARTHEST_M)
    wanted = (near,) if far < 1.2 * near else (near, math.sqrt(near * far), far)
    slices = tuple(found for distance in wanted if (found := _slice(candidate, distance)) is not None)
    return OffPlane(slices, tuple(_stands_off(candidate, k) for k in marks))


def _slice(candidate: Candidate, distance_m: float) -> Slice | None:
    """Along the upright line of the picture's middle at a distance; None where the plane does not cross it ahead."""
    exposure = candidate.exposures[0]
    state, allowed = exposure.state, exposure.allowed_blur_mm
    g = plane_of_sharp_focus(state.ideal_on_axis)
    start = from_principal_point(np.array([0.0, 0.0, 1000.0 * distance_m]), state)
    if abs(g[1]) < 1e-12 or not math.isfinite(allowed):
        return None
    height = float((1.0 - g @ start) / g[1])

    def softness(up: float) -> float:
        point = start + np.array([0.0, up, 0.0])
        return float(blur_axes_mm(point[None], state)[0][0]) / allowed

    def end(way: float) -> float:
        low, high = 0.0, 1.0
        while softness(height + way * high) <= 1.0:
            low, high = high, 2.0 * high
            if high > 1e7:
                return math.inf
        for _ in range(_HALVINGS):
            middle = 0.5 * (low + high)
            low, high = (middle, high) if softness(height + way * middle) <= 1.0 else (low, middle)
        return low

    return Slice(distance_m, end(1.0), end(-1.0))


def _stands_off(candidate: Candidate, mark: int) -> StandsOff:
    scene, exposure, problem, criterion = (
        candidate.scene, candidate.exposures[0], candidate.problem, candidate.criterion,
    )  # fmt: skip
    assert problem is not None
    assert criterion is not None
    g = plane_of_sharp_focus(exposure.state.ideal_on_axis)
    point = from_principal_point(exposure.pose.to_camera_mm(scene.world_m[mark]), exposure.state)
    off = float((1.0 - g @ point) / np.linalg.norm(g))
    alone = scene.of_rows(np.array([mark]))
    for stop in problem.stops.tolist():
        opened = problem.exposure(exposure.state.at(stop), exposure.sensor_centre_mm)
        if float(render(alone, [opened], criterion).softness[0]) <= 1.0:
            return StandsOff(scene.names[mark], off, stop)
    return StandsOff(scene.names[mark], off, None)
