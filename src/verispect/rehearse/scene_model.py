"""The plan's scene as textured plane polygons: its surfaces, a placard at each mark, ground and backdrop."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace

import numpy as np

from verispect.optics.convex import clipped
from verispect.optics.pose import camera_pose
from verispect.optics.types import Floats
from verispect.plan.scene.scene import Scene
from verispect.rehearse import textures
from verispect.rehearse.textures import Mip
from verispect.subject.camera import Around
from verispect.subject.surface import patches

# Of the picture's height, a placard's side; and of its distance, so much in front of the mark it never stands.
_PLACARD = 0.1
# The backdrop stands so many times as far as the farthest mark.
_BEYOND = 1.6
_EPSILON_M = 1e-6


@dataclass(frozen=True)
class Panel:
    """A convex polygon on a plane, with a texture that repeats over it.

    Attributes
    ----------
    name : str
    origin_m, u_m, v_m : ndarray, shape (3,)
        The place of texel (0, 0) and the steps of one texel.
    outline : ndarray, shape (N, 2)
        The polygon in texels.
    texture : int
        Which of the model's textures it bears.
    speed_mm_s : float
        How fast it moves across the view.
    placard : int or None
        Which mark it stands at.
    """

    name: str
    origin_m: Floats
    u_m: Floats
    v_m: Floats
    outline: Floats
    texture: int
    speed_mm_s: float = 0.0
    placard: int | None = None

    def places_m(self, texels: Floats) -> Floats:
        """World places (..., 3) of texels (..., 2)."""
        found: Floats = self.origin_m + texels[..., :1] * self.u_m + texels[..., 1:] * self.v_m
        return found

    @property
    def corners_m(self) -> Floats:
        """World places of the outline (N, 3)."""
        return self.places_m(self.outline)

    @property
    def normal(self) -> Floats:
        """Unit normal, of either sense."""
        found: Floats = np.cross(self.u_m, self.v_m)
        return found / np.linalg.norm(found)


@dataclass(frozen=True)
class Model:
    """Panels from back to front as the entrance pupil sees them, with the mips of their textures."""

    panels: tuple[Panel, ...]
    mips: tuple[list[Mip], ...] = field(repr=False)


def build_model(scene: Scene, *, seed: int = 1) -> Model:
    """The scene of a plan as panels, ordered for its camera."""
    bank: list[list[Mip]] = []

    def bear(kind: str, number: int = 0) -> int:
        bank.append(textures.painted(kind, number, seed))
        return len(bank) - 1

    panels = _backdrops(scene, bear("backdrop"))
    ground = _ground(scene, bear("ground"))
    if ground is not None:
        panels.append(ground)
    for number, surface in enumerate(scene.plan.surfaces):
        paint = bear(str(surface.kind), number + 1)
        for patch in patches(surface):
            panels.append(
                _panel(surface.name, patch.corner_m, patch.across_m, patch.along_m, paint, _tile_m(surface))
            )
    for number, mark in enumerate(scene.plan.marks):
        placard = _placard(scene, number, mark.name, bear("placard", number))
        panels.append(replace(placard, speed_mm_s=mark.speed_mm_s, placard=number))
    return Model(tuple(back_to_front(panels, scene.pose.pupil_m)), tuple(bank))


def _tile_m(surface: object) -> float:
    """How large one repeat of the texture is."""
    return 2.0 if getattr(surface, "kind", "") not in ("table", "box") else 0.8


def _panel(name: str, corner: Floats, across: Floats, along: Floats, paint: int, tile_m: float) -> Panel:
    wide, long = float(np.linalg.norm(across)), float(np.linalg.norm(along))
    texel = tile_m / textures.SIDE
    outline = np.array([[0, 0], [wide, 0], [wide, long], [0, long]]) / texel
    return Panel(name, np.asarray(corner, float), across / wide * texel, along / long * texel, outline, paint)


def _goes_round(scene: Scene) -> bool:
    return scene.plan.camera.around != Around.PICTURE


def _backdrops(scene: Scene, paint: int) -> list[Panel]:
    """What stands behind everything: a plane across the view, or for what goes all round a room about the camera."""
    if not _goes_round(scene):
        return [_backdrop(scene, paint)]
    half = max(float(scene.depth_mm.max()) / 1000.0, 1.0) * _BEYOND
    pupil, up = scene.pose.pupil_m, np.array([0.0, 1.0, 0.0])
    found = []
    for quarter in range(4):
        turn = math.radians(scene.plan.camera.bearing_deg + 90.0 * quarter)
        ahead = np.array([math.sin(turn), 0.0, math.cos(turn)])
        right = np.array([ahead[2], 0.0, -ahead[0]])
        corner = pupil + half * (ahead - right - up)
        found.append(_panel(f"Wall {quarter + 1}", corner, 2 * half * right, 2 * half * up, paint, half / 2))
    for name, side in (("Ceiling", 1.0), ("Floor", -1.0)):
        corner = pupil + half * np.array([-1.0, side, -1.0])
        across, along = np.array([2 * half, 0.0, 0.0]), np.array([0.0, 0.0, 2 * half])
        found.append(_panel(name, corner, across, along, paint, half / 2))
    return found


def _backdrop(scene: Scene, paint: int) -> Panel:
    """A plane across the view behind everything, wide enough for frames that turn."""
    depth = max(float(scene.points_mm[:, 2].max()) / 1000.0, 1.0) * _BEYOND
    half = 6.0 * depth * max(float(np.max(scene.half_picture() + np.abs(scene.picture_centre()))), 0.2)
    pose = scene.pose
    middle = pose.pupil_m + depth * pose.forward
    corner = middle - half * pose.right - half * pose.up
    return _panel("Backdrop", corner, 2 * half * pose.right, 2 * half * pose.up, paint, half / 2)


def _ground(scene: Scene, paint: int) -> Panel | None:
    """Level ground under the camera as far as the backdrop; none where it stands on none, or looks straight down."""
    height = scene.plan.camera.height_m
    lowest = float(scene.world_m[:, 1].min())
    if height < 0.3 or lowest < -0.05 * height or any(s.kind == "floor" for s in scene.plan.surfaces):
        lowest = min(lowest, 0.0) - 0.02 * max(height, 0.1)
    else:
        lowest = 0.0
    level = np.array([scene.pose.forward[0], 0.0, scene.pose.forward[2]])
    if np.linalg.norm(level) < 0.2 or scene.pose.pupil_m[1] - lowest < 0.05:
        return None
    level /= np.linalg.norm(level)
    right = np.array([level[2], 0.0, -level[0]])
    depth = max(float(scene.depth_mm.max()) / 1000.0, 1.0) * _BEYOND * 0.999
    start = np.array([0.0, lowest, 0.0]) - 4 * depth * right
    if _goes_round(scene):
        return _panel(
            "Ground", np.array([-depth, lowest, -depth]), np.array([2 * depth, 0, 0]), np.array([0, 0, 2 * depth]),
            paint, 2.0,
        )  # fmt: skip
    return _panel("Ground", start, 8 * depth * right, depth * level, paint, 2.0)


def _placard(scene: Scene, number: int, name: str, paint: int) -> Panel:
    """A board that faces the camera, its middle at the mark."""
    place, depth = scene.world_m[number], float(scene.depth_mm[number]) / 1000.0
    side = 2.0 * float(scene.half_picture()[1]) * depth * _PLACARD
    right, up = scene.pose.right, scene.pose.up
    if _goes_round(scene):
        towards = place - scene.pose.pupil_m
        facing = camera_pose(height_m=0.0, bearing_rad=math.atan2(towards[0], towards[2]))
        right, up = facing.right, facing.up
    corner = place - 0.5 * side * right + 0.5 * side * up
    return _panel(name, corner, side * right, -side * up, paint, side)


def back_to_front(panels: list[Panel], eye_m: Floats) -> list[Panel]:
    """Panels in an order in which each may be painted over those before; what interleaves is cut along planes.

    A tree of dividing planes (Fuchs, Kedem & Naylor 1980; from memory).
    """
    if len(panels) <= 1:
        return list(panels)
    root, *rest = panels
    normal, through = root.normal, root.corners_m[0]
    if float((eye_m - through) @ normal) < 0.0:
        normal = -normal
    behind: list[Panel] = []
    before: list[Panel] = []
    for panel in rest:
        heights = (panel.corners_m - through) @ normal
        scale = _EPSILON_M + 1e-9 * float(np.abs(panel.corners_m).max())
        if heights.min() >= -scale:
            before.append(panel)
        elif heights.max() <= scale:
            behind.append(panel)
        else:
            before.append(_cut(panel, heights, keep_positive=True))
            behind.append(_cut(panel, heights, keep_positive=False))
    return [*back_to_front(behind, eye_m), root, *back_to_front(before, eye_m)]


def _cut(panel: Panel, heights: Floats, *, keep_positive: bool) -> Panel:
    signs = heights if keep_positive else -heights
    return replace(panel, outline=clipped(panel.outline, signs))
