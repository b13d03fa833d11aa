"""The joined picture's own projection: flat, cylinder or sphere, and which frame shows what of it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from verispect.errors import FileError
from verispect.optics.types import Floats
from verispect.prove.expected import View

PROJECTIONS = ("flat", "cylinder", "sphere")
# A flat picture wider than this stretches its edges beyond use; a cylinder higher than that, from its middle.
_FLAT_DEG, _CYLINDER_DEG = 100.0, 60.0
_TURNS_BACK = 0.05
MOST_PIXELS = 20_000_000_000


@dataclass(frozen=True)
class Canvas:
    """A picture of all frames.

    Attributes
    ----------
    basis : ndarray, shape (3, 3)
        Rows right, up, forward of the joined picture in the world.
    scale_px : float
        Pixels for a tangent of 1, or for a radian.
    size : (int, int)
        Width and height.
    corner : (float, float)
        What the first pixel stands for: right and down of the middle, in pixels.
    """

    projection: str
    basis: Floats
    scale_px: float
    size: tuple[int, int]
    corner: tuple[float, float]

    def directions(self, left: int, top: int, right: int, bottom: int) -> Floats:
        """World directions (rows, columns, 3) of a part's pixels."""
        x = (np.arange(left, right) + self.corner[0]) / self.scale_px
        y = (np.arange(top, bottom) + self.corner[1]) / self.scale_px
        across, down = np.meshgrid(x, y)
        if self.projection == "flat":
            seen = np.stack([across, -down, np.ones_like(across)], axis=-1)
        elif self.projection == "cylinder":
            seen = np.stack([np.sin(across), -down, np.cos(across)], axis=-1)
        else:
            seen = np.stack([np.sin(across) * np.cos(down), -np.sin(down), np.cos(across) * np.cos(down)], axis=-1)
        found: Floats = seen @ self.basis
        return found

    def places_of(self, directions: Floats) -> Floats:
        """Columns and rows (K, 2) of world directions (K, 3); of a circle those nearest to one another."""
        seen = directions @ self.basis.T
        places = _flattened(self.projection, seen)
        if self.projection != "flat":
            places[:, 0] = places[0, 0] + np.remainder(places[:, 0] - places[0, 0] + math.pi, 2.0 * math.pi) - math.pi
        found: Floats = places * self.scale_px - self.corner
        return found

    def box_of(self, view: View, pixels: tuple[int, int]) -> tuple[int, int, int, int]:
        """Left, top, right, bottom of what a frame may show of this picture; more rather than less.

        A frame across the seam of a full circle reaches from end to end, one that shows a pole of the sphere to it.
        """
        rays = _edge_rays(view, pixels) @ self.basis.T
        wide, high = self.size
        if self.projection == "flat" and float(rays[:, 2].min()) <= 1e-6:
            return 0, 0, wide, high
        poles = _poles_in(view, pixels, self.basis)
        with np.errstate(divide="ignore", invalid="ignore"):
            places = _flattened(self.projection, np.concatenate([rays, poles]))
        places = places * self.scale_px - self.corner
        low, up = np.floor(places.min(axis=0)) - 2, np.ceil(places.max(axis=0)) + 3
        turn = 2.0 * math.pi * self.scale_px
        if self.projection != "flat" and (len(poles) or up[0] - low[0] > 0.5 * turn):
            low[0], up[0] = 0, wide
        return (
            int(np.clip(low[0], 0, wide)), int(np.clip(low[1], 0, high)),
            int(np.clip(up[0], 0, wide)), int(np.clip(up[1], 0, high)),
        )  # fmt: skip

    def homography_of(self, view: View) -> Floats | None:
        """From a frame's (column, row, 1) to this picture's; None where the projection is not flat."""
        if self.projection != "flat":
            return None
        scale = self.scale_px
        to_plane = np.array([[scale, 0, -self.corner[0]], [0, -scale, -self.corner[1]], [0, 0, 1.0]])
        found: Floats = to_plane @ self.basis @ view.rotation.T @ np.linalg.inv(view.to_pixels)
        whole: Floats = found / found[2, 2]
        return whole


def _flattened(projection: str, seen: Floats) -> Floats:
    """Directions in the canvas's basis (K, 3) to its plane, for a scale of 1."""
    x, y, z = seen.T
    if projection == "flat":
        return np.stack([x / z, -y / z], axis=1)
    if projection == "cylinder":
        return np.stack([np.arctan2(x, z), -y / np.hypot(x, z)], axis=1)
    return np.stack([np.arctan2(x, z), -np.arctan2(y, np.hypot(x, z))], axis=1)


def _edge_rays(view: View, pixels: tuple[int, int]) -> Floats:
    wide, high = pixels
    run = np.linspace(0.0, 1.0, 33)
    x = np.concatenate([run, np.ones(33), run[::-1], np.zeros(33)]) * (wide - 1)
    y = np.concatenate([np.zeros(33), run, np.ones(33), run[::-1]]) * (high - 1)
    x, y = view.undrawn(x, y)
    rays = np.linalg.inv(view.to_pixels) @ np.stack([x, y, np.ones_like(x)])
    found = (view.rotation.T @ rays).T
    unit: Floats = found / np.linalg.norm(found, axis=1, keepdims=True)
    return unit


def _poles_in(view: View, pixels: tuple[int, int], basis: Floats) -> Floats:
    """Straight up and straight down (0 to 2, 3), in the basis, where a frame shows them."""
    found = []
    for pole in (basis[1], -basis[1]):
        column, row = frame_maps(view, pole[None, None])
        if 0 <= column[0, 0] <= pixels[0] - 1 and 0 <= row[0, 0] <= pixels[1] - 1:
            found.append(basis @ pole)
    return np.array(found).reshape(-1, 3)


def _own_basis(views: Sequence[View]) -> Floats:
    """The frames' mean view; of a full circle, which has none, that of its middle frame."""
    up = np.sum([view.rotation[1] for view in views], axis=0)
    if np.linalg.norm(up) < 0.1 * len(views):
        up = views[len(views) // 2].rotation[1]
    up = up / np.linalg.norm(up)
    forward = np.mean([view.rotation[2] for view in views], axis=0)
    forward = forward - (forward @ up) * up
    if np.linalg.norm(forward) < 0.2:
        forward = views[len(views) // 2].rotation[2]
        forward = forward - (forward @ up) * up
    forward = forward / np.linalg.norm(forward)
    return np.stack([np.cross(up, forward), up, forward])


def canvas_for(
    views: Sequence[View], pixels: tuple[int, int], projection: str | None, basis: Floats | None
) -> Canvas:
    """The canvas that takes in every frame.

    Parameters
    ----------
    projection : str or None
        None takes the flat one where it serves, else the cylinder, else the sphere.
    basis : ndarray, shape (3, 3), optional
        The wanted picture's own view; else the frames' mean.

    Raises
    ------
    FileError
        Where the frames look too far round for the projection.
    """
    if basis is None:
        basis = _own_basis(views)
    rays = np.concatenate([_edge_rays(view, pixels) for view in views]) @ basis.T
    widest = math.degrees(2.0 * float(np.max(np.abs(np.arctan2(rays[:, 0], rays[:, 2])))))
    if projection is None:
        steepest = math.degrees(float(np.max(np.arcsin(np.clip(np.abs(rays[:, 1]), 0.0, 1.0)))))
        flat = widest < _FLAT_DEG and float(rays[:, 2].min()) > 0.2
        projection = "flat" if flat else "cylinder" if steepest < _CYLINDER_DEG else "sphere"
    if projection == "flat" and float(rays[:, 2].min()) < 0.1:
        raise FileError("the frames look {wide:.0f}° round; a flat picture cannot show that: take cylinder or sphere",
                        wide=widest)  # fmt: skip
    scale = max(view.scale_px for view in views)
    if projection == "sphere":
        rays = np.concatenate([rays, *(_poles_in(view, pixels, basis) for view in views)])
    places = _flattened(projection, rays) * scale
    low, high = np.floor(places.min(axis=0)), np.ceil(places.max(axis=0))
    size = (int(high[0] - low[0]) + 1, int(high[1] - low[1]) + 1)
    if projection != "flat":
        # A full circle ends where it began, and nothing of it is shown twice.
        size = (min(size[0], int(2.0 * math.pi * scale)), size[1])
    if size[0] * size[1] > MOST_PIXELS:
        raise FileError("the joined picture would have {wide} × {high} pixels, more than can be made here",
                        wide=size[0], high=size[1])  # fmt: skip
    return Canvas(projection, basis, scale, size, (float(low[0]), float(low[1])))


def frame_maps(view: View, directions: Floats) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Columns and rows of a frame for directions (rows, columns, 3); far outside where it does not see them."""
    seen = directions @ view.rotation.T
    depth = seen[..., 2]
    ahead = depth > 1e-6
    safe = np.where(ahead, depth, 1.0)
    across, down = seen[..., 0] / safe, -seen[..., 1] / safe
    if view.bend:
        slant = across**2 + down**2
        # Where lines are bent so far that the picture would come back upon itself nothing is seen.
        ahead = ahead & (1.0 + 3.0 * view.bend * slant > _TURNS_BACK)
        across, down = (part * (1.0 + view.bend * slant) for part in (across, down))
    column = np.where(ahead, view.scale_px * across + view.centre_px[0], -1e6)
    row = np.where(ahead, view.scale_px * down + view.centre_px[1], -1e6)
    return column.astype(np.float32), row.astype(np.float32)
