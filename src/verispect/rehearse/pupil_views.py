"""A picture as the mean of many views, each through one point of the exit pupil: occlusion comes right by itself.

Worked out in square tiles; each takes as many views as its blur asks, and textures as coarse as the gaps between
the views (prefilter measured beforehand; docs/derivations/rehearse.md).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.blur import blur_axes_mm
from verispect.optics.convex import clipped
from verispect.optics.types import Floats
from verispect.rehearse.projection import Camera, jitter
from verispect.rehearse.scene_model import Model, Panel
from verispect.rehearse.wave_blur import pupil_share, waves_of_blur

Picture = NDArray[np.float32]
TILE = 128
# Views by the tile's largest blur in pixels; more where an edge is blurred widely.
_VIEWS = ((1.0, 8), (2.5, 16), (8.0, 32))
_VIEWS_ABOVE, _VIEWS_AT_EDGES = 24, 48
# Nothing nearer than so many focal lengths is drawn: it is inside the lens.
_NEAREST = 1.3
_FAR = 1e6


@dataclass(frozen=True)
class Quality:
    """How many views a tile may take: as measured, times `share`, at least `least`."""

    share: float = 1.0
    least: int = 4

    def views(self, blur_px: float, *, at_edge: bool) -> int:
        """For a tile whose largest blur is this."""
        found = next((count for limit, count in _VIEWS if blur_px < limit), _VIEWS_ABOVE)
        if at_edge and blur_px >= 2.5:
            found = _VIEWS_AT_EDGES
        return max(self.least, round(found * self.share))


FINE, QUICK = Quality(), Quality(share=0.25, least=2)


@dataclass(frozen=True)
class _Drawn:
    """A panel before one camera: its outline clipped to what lies before the lens."""

    panel: Panel
    basis_mm: Floats
    outline: Floats
    # Through the pupil's middle: outline in pixels, and from pixels to texels.
    edge_px: Floats
    to_texel: Floats
    spread_px: float
    smear_px: float = 0.0


def render(
    model: Model,
    camera: Camera,
    *,
    wavelength_mm: float,
    seed: int,
    quality: Quality = FINE,
    progress: Callable[[float], None] | None = None,
    is_cancelled: Callable[[], bool] | None = None,
) -> Picture | None:
    """Scene-linear picture (rows, columns, 3), float32; None where it was cancelled."""
    wide, high = camera.pixels
    drawn = [found for panel in model.panels if (found := _prepare(panel, camera)) is not None]
    picture = np.zeros((high, wide, 3), np.float32)
    tops = list(range(0, high, TILE))
    for number, top in enumerate(tops):
        if is_cancelled is not None and is_cancelled():
            return None
        for left in range(0, wide, TILE):
            box = (left, top, min(left + TILE, wide), min(top + TILE, high))
            picture[box[1] : box[3], box[0] : box[2]] = _tile(
                model, drawn, camera, box, wavelength_mm, seed + 7919 * number + left, quality
            )
        if progress is not None:
            progress((number + 1) / len(tops))
    return picture


def _prepare(panel: Panel, camera: Camera) -> _Drawn | None:
    state = camera.exposure.state
    origin = camera.to_lens_mm(panel.origin_m)
    turn = camera.exposure.pose.matrix * 1000.0
    basis = np.stack([turn @ panel.u_m, turn @ panel.v_m, origin], axis=1)
    # Clipped against the plane a·P = nearest; beyond it the image is real and upright for all of the pupil.
    axis = np.asarray(state.axis)
    texels = np.concatenate([panel.outline, np.ones((len(panel.outline), 1))], axis=1)
    outline = clipped(panel.outline, (texels @ basis.T) @ axis - _NEAREST * state.focal_mm)
    if len(outline) < 3:
        return None
    points = np.concatenate([outline, np.ones((len(outline), 1))], axis=1) @ basis.T
    onto = camera.onto_pixels(basis, camera.pupil_points_mm(1))[0]
    edge = _projected(onto, outline)
    if not np.all(np.isfinite(edge)):
        return None
    wide, high = camera.pixels
    spread = float(np.max(blur_axes_mm(points, state)[0])) / camera.pitch_mm
    low, top = edge.min(axis=0) - spread, edge.max(axis=0) + spread
    if top[0] < 0 or top[1] < 0 or low[0] > wide or low[1] > high:
        return None
    smear = _smear_px(panel, points, camera)
    return _Drawn(panel, basis, outline, edge, np.linalg.inv(onto), spread + smear, smear)


def _smear_px(panel: Panel, points_mm: Floats, camera: Camera) -> float:
    """How far a panel that moves across the view goes in the picture while the shutter is open."""
    if panel.speed_mm_s <= 0.0:
        return 0.0
    exposure = camera.exposure
    depth = max(float(np.median(points_mm[:, 2])), exposure.state.focal_mm)
    path = panel.speed_mm_s * exposure.shutter_s * exposure.state.image_distance_mm / depth
    return path / camera.pitch_mm


def _projected(onto: Floats, texels: Floats) -> Floats:
    seen = np.concatenate([texels, np.ones((len(texels), 1))], axis=1) @ onto.T
    with np.errstate(divide="ignore", invalid="ignore"):
        found: Floats = seen[:, :2] / seen[:, 2:]
    return found


@dataclass(frozen=True)
class _Layer:
    """A panel as one tile sees it."""

    drawn: _Drawn
    blur_px: tuple[float, float]
    whole: bool
    mip: int


def _tile(
    model: Model,
    drawn: list[_Drawn],
    camera: Camera,
    box: tuple[int, int, int, int],
    wavelength_mm: float,
    seed: int,
    quality: Quality,
) -> Picture:
    layers = _layers(drawn, camera, box)
    left, top, right, bottom = box
    blank = np.zeros((bottom - top, right - left, 4), np.float32)
    if not layers:
        return blank[..., :3]
    blur = max(max(layer.blur_px[0], layer.drawn.smear_px) for layer in layers)
    count = quality.views(blur, at_edge=any(not layer.whole for layer in layers))
    coarse = np.sqrt(max(1.0 - 3.0 / count, 0.25))
    offsets = jitter(count, seed) * coarse
    state = camera.exposure.state
    waves = float(np.max(waves_of_blur(blur * camera.pitch_mm, state.working_f_number, wavelength_mm)))
    pupil = camera.pupil_points_mm(count, shrink=float(coarse * pupil_share(waves)))
    offsets = offsets + camera.bend_px(pupil, (0.5 * (left + right), 0.5 * (top + bottom)))
    # Each view is of a moment of its own, in an order free of the pupil's.
    moments = (np.random.default_rng(seed + 1).permutation(count) + 0.5) / count - 0.5
    found = []
    for layer in layers:
        moved = offsets + np.stack([layer.drawn.smear_px * moments, np.zeros(count)], axis=1)
        found.append((layer, *_homographies(model, layer, camera, pupil, moved, (left, top), count)))
    total = np.zeros_like(blank)
    view = np.empty_like(blank)
    size = (right - left, bottom - top)
    for k in range(count):
        view[:] = 0.0
        for layer, texture, inverse, edges in found:
            warped = cv2.warpPerspective(
                texture, inverse[k], size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_WRAP
            )
            if layer.whole:
                view[:] = warped
                continue
            cv2.copyTo(warped, _cover(edges[k], size), view)
        cv2.accumulate(view, total)
    return total[..., :3] * np.float32(1.0 / count)


def _cover(edge: Floats, size: tuple[int, int]) -> NDArray[np.uint8]:
    """Which pixel centres of a tile lie in a convex polygon (N, 2), shape (rows, columns)."""
    wide, high = size
    column, row = np.arange(wide, dtype=np.float32), np.arange(high, dtype=np.float32)
    following = np.roll(edge, -1, axis=0)
    along = following - edge
    sign = 1.0 if np.sum(edge[:, 0] * following[:, 1] - following[:, 0] * edge[:, 1]) >= 0.0 else -1.0
    inside = np.ones((high, wide), bool)
    for (x0, y0), (dx, dy) in zip(edge, along, strict=True):
        # Positive within: a x + b y + c, least at one of the tile's corners.
        a, b = -sign * dy, sign * dx
        c = -(a * x0 + b * y0)
        if c + min(0.0, a * (wide - 1)) + min(0.0, b * (high - 1)) < 0.0:
            inside &= (np.float32(a) * column)[None] + (np.float32(b) * row + np.float32(c))[:, None] >= 0.0
    return inside.view(np.uint8)


def _layers(drawn: list[_Drawn], camera: Camera, box: tuple[int, int, int, int]) -> list[_Layer]:
    """What a tile sees, from back to front; what is hidden by a panel that fills the tile is left out."""
    left, top, right, bottom = box
    corners = np.array([[left, top], [right, top], [right, bottom], [left, bottom]], float) - 0.5
    middle = corners.mean(axis=0)
    found: list[_Layer] = []
    for item in drawn:
        margin = item.spread_px + 1.5
        low, high = item.edge_px.min(axis=0) - margin, item.edge_px.max(axis=0) + margin
        if high[0] < left or high[1] < top or low[0] > right or low[1] > bottom:
            continue
        seen = np.concatenate([np.vstack([corners, middle]), np.ones((5, 1))], axis=1) @ item.to_texel.T
        # On the plane's own horizon there is nothing of it.
        depth = np.where(np.abs(seen[:, 2:]) < 1e-12, 1e-12, seen[:, 2:])
        texels = seen[:, :2] / depth
        points = np.concatenate([texels, np.ones((5, 1))], axis=1) @ item.basis_mm.T
        ahead = points @ np.asarray(camera.exposure.state.axis) > camera.exposure.state.focal_mm
        if not ahead.any():
            continue
        long, short = blur_axes_mm(points[ahead], camera.exposure.state)
        blur = (float(long.max()) / camera.pitch_mm, float(short.min()) / camera.pitch_mm)
        reach = 0.5 * min(blur[0], item.spread_px) + 1.5
        distance = _inside_px(item.edge_px, corners)
        if distance.max() < -reach and not _crosses(item.edge_px, corners, reach):
            continue
        whole = bool(ahead.all() and distance.min() > reach)
        if whole:
            found = []
        found.append(_Layer(item, blur, whole, 0))
    return found


def _inside_px(edge: Floats, places: Floats) -> Floats:
    """How far places (M, 2) lie within a convex polygon (N, 2); negative outside."""
    along = np.roll(edge, -1, axis=0) - edge
    length = np.maximum(np.linalg.norm(along, axis=1), 1e-12)
    turned = np.sum(edge[:, 0] * np.roll(edge[:, 1], -1) - np.roll(edge[:, 0], -1) * edge[:, 1])
    sign = 1.0 if turned >= 0 else -1.0
    offset = places[:, None] - edge[None]
    found: Floats = sign * (along[None, :, 0] * offset[..., 1] - along[None, :, 1] * offset[..., 0]) / length[None]
    least: Floats = found.min(axis=1)
    return least


def _crosses(edge: Floats, corners: Floats, reach: float) -> bool:
    """Whether a polygon comes within reach of a box that none of its own corners lies in."""
    low, high = corners.min(axis=0) - reach, corners.max(axis=0) + reach
    part = edge
    for axis in (0, 1):
        for limit, sense in ((low[axis], 1.0), (high[axis], -1.0)):
            if len(part) < 3:
                return False
            part = clipped(part, sense * (part[:, axis] - limit))
    return len(part) >= 3


def _homographies(
    model: Model,
    layer: _Layer,
    camera: Camera,
    pupil: Floats,
    offsets: Floats,
    corner: tuple[int, int],
    count: int,
) -> tuple[Picture, Floats, Floats]:
    """The texture at the layer's mip, from tile pixels to its texels (K, 3, 3), the outline there (K, N, 2)."""
    item = layer.drawn
    onto = camera.onto_pixels(item.basis_mm, pupil)
    move = np.tile(np.eye(3), (len(onto), 1, 1))
    move[:, 0, 2], move[:, 1, 2] = offsets[:, 0] - corner[0], offsets[:, 1] - corner[1]
    onto = move @ onto
    mips = model.mips[item.panel.texture]
    level = _mip(item, layer, corner, count, len(mips))
    # Texel centres lie at halves on every level.
    scale = float(2**level)
    coarser = np.array([[1 / scale, 0, -0.5], [0, 1 / scale, -0.5], [0, 0, 1.0]])
    inverse = coarser[None] @ np.linalg.inv(onto)
    # Kept near the origin, so that wrapping does not lose digits.
    side = mips[level].shape[0]
    size = TILE / 2
    at = inverse @ np.array([size, size, 1.0])
    shift = np.floor(at[:, :2] / at[:, 2:] / side) * side
    inverse[:, 0] -= shift[:, :1] * inverse[:, 2]
    inverse[:, 1] -= shift[:, 1:] * inverse[:, 2]
    texels = np.concatenate([item.outline, np.ones((len(item.outline), 1))], axis=1)
    edges = np.einsum("kij,nj->kni", onto, texels)
    edges = np.clip(edges[..., :2] / np.maximum(edges[..., 2:] * np.sign(edges[..., 2:]), 1e-12)
                    * np.sign(edges[..., 2:]), -_FAR, _FAR)  # fmt: skip
    return mips[level], inverse, edges


def _mip(item: _Drawn, layer: _Layer, corner: tuple[int, int], count: int, levels: int) -> int:
    """The level whose texels fill the gaps between views: footprint of pixel and pupil over √views."""
    middle = np.array([corner[0] + TILE / 2, corner[1] + TILE / 2, 1.0])
    a = item.to_texel
    place = a @ middle
    jac = (a[:2, :2] - np.outer(place[:2] / place[2], a[2, :2])) / place[2]
    blur = 0.5 * (layer.blur_px[0] + layer.blur_px[1])
    cover = jac @ jac.T * (1.0 / 12.0 + blur * blur / 16.0)
    small, large = np.sqrt(12.0 * np.maximum(np.linalg.eigvalsh(cover), 1e-12))
    texel = max(np.sqrt(large * small / count), large / count)
    return int(np.clip(np.floor(np.log2(max(texel, 1.0)) + 0.25), 0, levels - 1))
