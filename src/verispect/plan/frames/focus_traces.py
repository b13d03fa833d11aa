"""What the drawings show of a lens state: its plane, wedge and hinge line cut by the drawings' planes."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from verispect.errors import GeometryError
from verispect.optics.convex import clipped
from verispect.optics.lens_state import depth_planes, hinge_line, plane_of_sharp_focus
from verispect.optics.types import Floats
from verispect.plan.frames.exposure import Exposure


@dataclass(frozen=True)
class Section:
    """A plane of the world to draw in: `origin` plus across · `across` plus up · `up`, all in metres.

    Attributes
    ----------
    origin, across, up : ndarray, shape (3,)
        `across` and `up` are unit vectors.
    """

    origin: Floats
    across: Floats
    up: Floats

    def place(self, points_m: Floats) -> Floats:
        """World points (..., 3) projected into the drawing, (..., 2)."""
        placed: Floats = (np.asarray(points_m) - self.origin) @ self._axes
        return placed

    @cached_property
    def normal(self) -> Floats:
        """Unit vector across the section."""
        crossed: Floats = np.cross(self.across, self.up)
        return crossed

    @cached_property
    def _axes(self) -> Floats:
        return np.stack([self.across, self.up], axis=1)

    def lift(self, places: Floats) -> Floats:
        """Drawing places (..., 2) as world points (..., 3) in the section's plane."""
        lifted: Floats = self.origin + places[..., :1] * self.across + np.asarray(places)[..., 1:] * self.up
        return lifted


@dataclass(frozen=True)
class Trace:
    """A line a · across + b · up = c in a drawing."""

    a: float
    b: float
    c: float

    def clipped(self, box: tuple[float, float, float, float]) -> Floats | None:
        """The part within (left, right, bottom, top), shape (2, 2), or None."""
        left, right, bottom, top = box
        corner = np.array([[left, bottom], [right, bottom], [right, top], [left, top]])
        side = corner @ np.array([self.a, self.b]) - self.c
        crossings = []
        for k in range(4):
            first, second = side[k], side[(k + 1) % 4]
            if first * second < 0.0 or (first == 0.0 and second != 0.0):
                share = first / (first - second)
                crossings.append(corner[k] + share * (corner[(k + 1) % 4] - corner[k]))
        return np.array(crossings[:2]) if len(crossings) >= 2 else None


@dataclass(frozen=True)
class FocusTraces:
    """The plane of sharp focus and its wedge in one section; None where it does not exist there."""

    plane: Trace
    near: Trace | None
    far: Trace | None
    hinge: Floats | None

    def sharp_region(self, box: tuple[float, float, float, float]) -> list[Floats]:
        """The wedge before the lens within a box, as polygons (K, 2)."""
        if self.near is None or self.far is None:
            return []
        left, right, bottom, top = box
        whole = np.array([[left, bottom], [right, bottom], [right, top], [left, top]])
        polygon = _cut(_cut(whole, self.near, keep_below=False), self.far, keep_below=True)
        return [polygon] if len(polygon) >= 3 else []


def elevation_section(exposure: Exposure) -> Section:
    """The vertical plane through the camera along its bearing: distance across, height up."""
    forward = exposure.pose.forward
    level = np.array([forward[0], 0.0, forward[2]])
    length = float(np.linalg.norm(level))
    level = level / length if length > 1e-9 else np.array([0.0, 0.0, 1.0])
    return Section(origin=np.zeros(3), across=level, up=np.array([0.0, 1.0, 0.0]))


def focus_traces(exposure: Exposure, section: Section) -> FocusTraces:
    """Plane, wedge and hinge of an exposure, cut by a section."""
    near = far = None
    if np.isfinite(exposure.allowed_blur_mm):
        near_g, far_g = depth_planes(exposure.state, exposure.allowed_blur_mm)
        near, far = _trace(near_g, exposure, section), _trace(far_g, exposure, section)
    return FocusTraces(
        plane=_trace(plane_of_sharp_focus(exposure.state), exposure, section),
        near=near,
        far=far,
        hinge=_hinge(exposure, section),
    )


def _trace(g: Floats, exposure: Exposure, section: Section) -> Trace:
    world = (g * 1000.0) @ exposure.pose.matrix
    constant = 1.0 - float(world @ (section.origin - exposure.position_m))
    return Trace(float(world @ section.across), float(world @ section.up), constant)


def _hinge(exposure: Exposure, section: Section) -> Floats | None:
    """Where the hinge line pierces the section; None for a straight lens or a line along the section."""
    try:
        foot, direction = hinge_line(exposure.state)
    except GeometryError:
        return None
    pose = exposure.pose
    foot_m = exposure.position_m + foot @ pose.matrix / 1000.0
    run = direction @ pose.matrix
    slope = float(run @ section.normal)
    if abs(slope) < 0.2:
        return None
    reached = foot_m + run * float((section.origin - foot_m) @ section.normal) / slope
    return section.place(reached)


def _cut(polygon: Floats, trace: Trace, *, keep_below: bool) -> Floats:
    """The part of a polygon on one side of a trace."""
    side = polygon @ np.array([trace.a, trace.b]) - trace.c
    return clipped(polygon, -side if keep_below else side)
