"""A picture as the mean of many views, each through one point of the exit pupil: occlusion comes right by itself.

Worked out in square tiles; each takes as many views as its blur asks, and textures as coarse as the gaps between
the views (prefilter measured beforehand; docs/derivations/rehearse.md).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.blur import blur_axes_mm
from verispect.optics.convex import clipped
from verispect.optics.lens_state import LensState
from verispect.optics.types import Floats
from verispect.rehearse.projection import Camera, jitter
from verispect.rehearse.scene_model import Model, Panel
from verispect.rehearse.textures import UNIT, Mip
from verispect.rehearse.wave_blur import pupil_radii, waves_of_blur
from verispect.rehearse.windows import Windows

Picture = NDArray[np.float32]
# Left, top, right, bottom.
Box = tuple[int, int, int, int]
# Side of a tile, and of one of a large picture, where blurs change less from pixel to pixel.
_TILE, _LARGE_TILE, _LARGE = 128, 192, 12_000_000
# Views by the tile's largest blur in pixels; more where an edge is blurred widely.
_VIEWS = ((1.0, 8), (2.5, 16), (4.5, 18), (math.inf, 24))
_VIEWS_AT_EDGES = ((1.0, 8), (2.5, 16), (4.5, 22), (8.0, 30), (math.inf, 40))
# Depths and blurs of a tile are alike up to this ratio; or where nothing is blurred by as much as so many pixels.
_EVEN, _SHARP_PX = 1.25, 0.7
# Of the spread of views at least so much is left, whatever their texture is filtered by.
_LEAST_LEFT = 0.25
# Points of the pupil's rim that a blur is told by.
_RIM = 12
# Views reach as far beyond the rim of the blur's half, by which wave spreads wider than geometry.
_REACH = 0.75
# Nothing nearer than so many focal lengths is drawn: it is inside the lens.
_NEAREST = 1.3
# Rays fall from the pupil to the image by so much of a focal length at the least: what a picture shows falls by one.
_LEAST_FALL = 0.1
# Corners farther off than this are brought nearer, which turns the edges that end there: a view has none so far off.
_FAR = 1e10
# Texels that are cut out of a texture for one tile, 48 MB: reading across its border is many times as slow.
_MOST_CUT = 6_000_000
# Where all is blurred widely a tile is worked out on a net: places of it beyond the tile, and its widest pitch; so
# many times finer than its least blur, by so many times the views. What is too coarse is drawn at the same places in
# every frame, and lies still where the picture grows.
_BEYOND, _MOST_PITCH, _FINER, _MORE_VIEWS = 2, 16, 6.0, 4


@dataclass(frozen=True)
class Quality:
    """How many views a tile may take: as measured, times `share`, at least `least`."""

    share: float = 1.0
    least: int = 4

    def views(self, blur_px: float, *, at_edge: bool) -> int:
        """For a tile whose largest blur is this."""
        steps = _VIEWS_AT_EDGES if at_edge else _VIEWS
        found = next((count for limit, count in steps if blur_px < limit), steps[-1][1])
        return max(self.least, round(found * self.share))


FINE, QUICK = Quality(), Quality(share=0.33, least=2)


@dataclass(frozen=True)
class _Drawn:
    """A panel before one camera: its outline clipped to what lies before the lens.

    Attributes
    ----------
    sides : ndarray, shape (N, 3)
        Of the outline: times (column, row, 1) how far within a side a place lies, in pixels.
    low_px, high_px : ndarray, shape (2,)
        Beyond these pixels there is nothing of it in any view.
    """

    panel: Panel
    basis_mm: Floats
    outline: Floats
    # Through the pupil's middle: outline in pixels, and from pixels to texels.
    edge_px: Floats
    sides: Floats
    to_texel: Floats
    spread_px: float
    low_px: Floats
    high_px: Floats
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
    side = _LARGE_TILE if wide * high >= _LARGE else _TILE
    tops = list(range(0, high, 2 * side))
    windows = Windows()
    for number, top in enumerate(tops):
        if is_cancelled is not None and is_cancelled():
            return None
        for left in range(0, wide, 2 * side):
            for box, layers in _tiles(
                drawn, camera, (left, top, min(left + 2 * side, wide), min(top + 2 * side, high))
            ):
                own = seed + 7919 * (box[1] // side) + box[0]
                if layers:
                    into = picture[box[1] : box[3], box[0] : box[2]]
                    _draw_tile(model, layers, camera, box, wavelength_mm, own, quality, windows, into)
        if progress is not None:
            progress((number + 1) / len(tops))
    return picture


def _tiles(drawn: Sequence[_Drawn], camera: Camera, box: Box) -> Iterator[tuple[Box, list[_Layer]]]:
    """A large tile where it sees one panel that is blurred alike all over, else its four quarters.

    How a lens bends the focus is taken as it is in a tile's middle: then only small tiles will do.
    """
    layers = _layers(drawn, camera, box)
    is_one = len(layers) == 1 and layers[0].whole and layers[0].even and camera.exposure.state.bend is None
    if not layers or is_one:
        yield box, layers
        return
    left, top, right, bottom = box
    seen = [layer.drawn for layer in layers]
    across, down = -(-(right - left) // 2), -(-(bottom - top) // 2)
    for y in range(top, bottom, down):
        for x in range(left, right, across):
            part = (x, y, min(x + across, right), min(y + down, bottom))
            yield part, _layers(seen, camera, part)


def _prepare(panel: Panel, camera: Camera) -> _Drawn | None:
    state = camera.exposure.state
    origin = camera.to_lens_mm(panel.origin_m)
    turn = camera.exposure.pose.matrix * 1000.0
    basis = np.stack([turn @ panel.u_m, turn @ panel.v_m, origin], axis=1)
    # Clipped against the plane a·P = nearest; beyond it the image is real and upright for all of the pupil.
    axis = np.asarray(state.axis)
    outline = clipped(panel.outline, (_ones_beside(panel.outline) @ basis.T) @ axis - _NEAREST * state.focal_mm)
    onto = camera.onto_pixels(basis, camera.pupil_points_mm(1))[0]
    # What a tilted lens sees far aside its rays take past the sensor's plane: there the picture would be turned over.
    towards = _ones_beside(outline) @ (-onto[2] - _LEAST_FALL * state.focal_mm * _image_shares(basis, state))
    outline = clipped(outline, towards)
    if len(outline) < 3:
        return None
    points = _ones_beside(outline) @ basis.T
    edge = _projected(onto, outline)
    if not np.all(np.isfinite(edge)):
        return None
    wide, high = camera.pixels
    spread = float(np.max(blur_axes_mm(points, state)[0])) / camera.pitch_mm
    low, top = edge.min(axis=0) - spread, edge.max(axis=0) + spread
    if top[0] < 0 or top[1] < 0 or low[0] > wide or low[1] > high:
        return None
    smear = _smear_px(panel, points, camera)
    margin = spread + smear + 1.5
    low, high_px = edge.min(axis=0) - margin, edge.max(axis=0) + margin
    return _Drawn(panel, basis, outline, edge, _sides(edge), np.linalg.inv(onto), spread + smear, low, high_px, smear)


def _smear_px(panel: Panel, points_mm: Floats, camera: Camera) -> float:
    """How far a panel that moves across the view goes in the picture while the shutter is open."""
    if panel.speed_mm_s <= 0.0:
        return 0.0
    exposure = camera.exposure
    depth = max(float(np.median(points_mm[:, 2])), exposure.state.focal_mm)
    path = panel.speed_mm_s * exposure.shutter_s * exposure.state.image_distance_mm / depth
    return path / camera.pitch_mm


def _ones_beside(texels: Floats) -> Floats:
    return np.concatenate([texels, np.ones((len(texels), 1))], axis=1)


def _image_shares(basis_mm: Floats, state: LensState) -> Floats:
    """How far beyond the focal plane (u, v, 1) lies along the axis, mm: what its image is divided by (3,)."""
    found: Floats = np.asarray(state.axis) @ basis_mm - state.focal_mm * np.array([0.0, 0.0, 1.0])
    return found


def _projected(onto: Floats, texels: Floats) -> Floats:
    seen = _ones_beside(texels) @ onto.T
    with np.errstate(divide="ignore", invalid="ignore"):
        found: Floats = seen[:, :2] / seen[:, 2:]
    return found


@dataclass(frozen=True)
class _Layer:
    """A panel as one tile sees it."""

    drawn: _Drawn
    blur_px: tuple[float, float]
    whole: bool
    even: bool


def _draw_tile(
    model: Model,
    layers: list[_Layer],
    camera: Camera,
    box: Box,
    wavelength_mm: float,
    seed: int,
    quality: Quality,
    windows: Windows,
    into: Picture,
) -> None:
    blur = max(max(layer.blur_px[0], layer.drawn.smear_px) for layer in layers)
    net = _Net.over(box, min(layer.blur_px[1] for layer in layers))
    count = quality.views(blur, at_edge=any(not layer.whole for layer in layers))
    count *= _MORE_VIEWS if net.pitch > 1 else 1
    # Each view is of a moment of its own, in an order free of the pupil's.
    moments = (np.random.default_rng(seed + 1).permutation(count) + 0.5) / count - 0.5
    found: list[tuple[Mip, Floats, int, _Part | None]] = []
    for layer in layers:
        mips = model.mips[layer.drawn.panel.texture]
        level, filtered = _mip(layer, box, count, len(mips))
        pupil, offsets = _aimed(layer, camera, box, count, filtered, wavelength_mm, seed if net.pitch == 1 else None)
        moved = offsets + np.stack([layer.drawn.smear_px * moments, np.zeros(count)], axis=1)
        texture, inverse, edges, border = _homographies(
            mips[level], level, layer, camera, pupil, moved, net, windows, len(found)
        )
        part = None if layer.whole else _Part.of(edges, net.size)
        if part is None or part.size[0] > 0:
            found.append((texture, inverse if part is None else inverse @ part.from_corner, border, part))
    view = np.zeros((net.size[1], net.size[0], 4), np.uint16)
    total = np.zeros(view.shape, np.float32)
    # What lies wholly behind all else is drawn straight into the view.
    grounded = bool(found) and found[0][3] is None
    warp = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    for k in range(count):
        if not grounded:
            view[:] = 0.0
        for texture, inverse, border, part in found:
            if part is None:
                cv2.warpPerspective(texture, inverse[k], net.size, dst=view, flags=warp, borderMode=border)
                continue
            cv2.warpPerspective(texture, inverse[k], part.size, dst=part.drawn, flags=warp, borderMode=border)
            cv2.copyTo(part.drawn, part.inside(k), view[part.place])
        cv2.accumulate(view, total)
    total *= np.float32(UNIT / count)
    net.fill(total, into)


@dataclass(frozen=True)
class _Part:
    """The part of a tile that a panel covers in any view, and what of it in each.

    Attributes
    ----------
    first, last : ndarray of int16, shape (K, rows, 1)
        Of every view and row, from the part's left.
    drawn : ndarray, shape (rows, columns, 4)
        Room for one view of it.
    """

    corner: tuple[int, int]
    size: tuple[int, int]
    first: NDArray[np.int16]
    last: NDArray[np.int16]
    column: NDArray[np.int16]
    drawn: Mip

    @classmethod
    def of(cls, edges: Floats, size: tuple[int, int]) -> _Part:
        """Of a panel's outline in every view (K, N, 2)."""
        first, last = _runs(edges, size)
        there = first <= last
        rows = np.flatnonzero(there.any(axis=(0, 2)))
        if not rows.size:
            return cls((0, 0), (0, 0), first, last, first[0, 0], np.empty((0, 0, 4), np.uint16))
        top, bottom = int(rows[0]), int(rows[-1]) + 1
        left, right = int(first[there].min()), int(last[there].max()) + 1
        return cls(
            (left, top), (right - left, bottom - top), first[:, top:bottom] - left, last[:, top:bottom] - left,
            np.arange(right - left, dtype=np.int16), np.empty((bottom - top, right - left, 4), np.uint16),
        )  # fmt: skip

    @property
    def from_corner(self) -> Floats:
        """From the part's pixels to the tile's (3, 3)."""
        return np.array([[1.0, 0, self.corner[0]], [0, 1.0, self.corner[1]], [0, 0, 1.0]])

    @property
    def place(self) -> tuple[slice, slice]:
        """Its rows and columns in the tile."""
        (left, top), (wide, high) = self.corner, self.size
        return slice(top, top + high), slice(left, left + wide)

    def inside(self, k: int) -> NDArray[np.uint8]:
        """What of it the panel covers in a view."""
        found: NDArray[np.bool_] = (self.column >= self.first[k]) & (self.column <= self.last[k])
        return found.view(np.uint8)


@dataclass(frozen=True)
class _Net:
    """Where a tile is worked out: at every pixel, or, where all is blurred widely, at every second, fourth, eighth.

    Attributes
    ----------
    pitch : int
        Pixels from one place to the next, a power of two.
    size : (int, int)
        Places across and down, with those beyond the tile that the filling in needs.
    """

    box: Box
    pitch: int
    size: tuple[int, int]

    @classmethod
    def over(cls, box: Box, least_blur_px: float) -> _Net:
        """For a tile in which nothing is blurred less than this."""
        wide, high = box[2] - box[0], box[3] - box[1]
        pitch = min(_MOST_PITCH, 2 ** int(math.log2(max(least_blur_px / _FINER, 1.0))))
        if pitch == 1:
            return cls(box, 1, (wide, high))
        return cls(box, pitch, (-(-wide // pitch) + 2 * _BEYOND, -(-high // pitch) + 2 * _BEYOND))

    @property
    def onto(self) -> Floats:
        """From the picture's pixels to places of the net (3, 3)."""
        if self.pitch == 1:
            return np.array([[1.0, 0, -self.box[0]], [0, 1.0, -self.box[1]], [0, 0, 1.0]])
        share, first = 1.0 / self.pitch, 0.5 * (self.pitch - 1) - _BEYOND * self.pitch
        return np.array(
            [[share, 0, -(self.box[0] + first) * share], [0, share, -(self.box[1] + first) * share], [0, 0, 1.0]]
        )

    def fill(self, places: Picture, into: Picture) -> None:
        """The tile's own pixels, from what was found at the places; of its four channels the first three."""
        if self.pitch == 1:
            cv2.cvtColor(places, cv2.COLOR_BGRA2BGR, dst=into)
            return
        size = (self.size[0] * self.pitch, self.size[1] * self.pitch)
        whole = np.asarray(cv2.resize(places[..., :3], size, interpolation=cv2.INTER_CUBIC), np.float32)
        edge, (left, top, right, bottom) = _BEYOND * self.pitch, self.box
        np.maximum(whole[edge : edge + bottom - top, edge : edge + right - left], 0.0, out=into)


def _runs(edges: Floats, size: tuple[int, int]) -> tuple[NDArray[np.int16], NDArray[np.int16]]:
    """First and last pixel centre of each row (K, rows, 1) that lies in convex polygons (K, N, 2).

    A row of pixels meets a polygon in one run; each side bounds all rows' runs at once, from the left or the right.
    """
    wide, high = size
    x0, y0 = edges[..., 0], edges[..., 1]
    x1, y1 = np.roll(x0, -1, axis=1), np.roll(y0, -1, axis=1)
    sign = np.where((x0 * y1 - x1 * y0).sum(axis=1, keepdims=True) >= 0.0, 1.0, -1.0)
    # Positive within: a x + b y + c.
    a, b = -sign * (y1 - y0), sign * (x1 - x0)
    c = -(a * x0 + b * y0)
    # Sides that cut no tile of any view bound nothing.
    cuts = np.any(c + np.minimum(0.0, a * (wide - 1)) + np.minimum(0.0, b * (high - 1)) < 0.0, axis=0)
    first, last = np.zeros((len(edges), high)), np.full((len(edges), high), wide - 1.0)
    row = np.arange(high)
    for side in np.flatnonzero(cuts):
        rest = b[:, side, None] * row + c[:, side, None]
        slope = a[:, side, None]
        level = np.abs(slope) < 1e-12
        at = -rest / np.where(level, 1.0, slope)
        np.maximum(first, np.where(level | (slope < 0.0), 0.0, np.ceil(at)), out=first)
        np.minimum(last, np.where(level | (slope > 0.0), np.where(level & (rest < 0.0), -1.0, wide), np.floor(at)),
                   out=last)  # fmt: skip
    # Beyond a tile on either side all columns are alike outside.
    first, last = np.clip(first, -1.0, wide), np.clip(last, -1.0, wide)
    return first.astype(np.int16)[..., None], last.astype(np.int16)[..., None]


def _layers(drawn: Sequence[_Drawn], camera: Camera, box: Box) -> list[_Layer]:
    """What a tile sees, from back to front; what is hidden by a panel that fills the tile is left out."""
    left, top, right, bottom = box
    corners = np.array([[left, top], [right, top], [right, bottom], [left, bottom]], float) - 0.5
    middle = corners.mean(axis=0)
    flat = np.concatenate([np.vstack([corners, middle]), np.ones((5, 1))], axis=1)
    axis, focal = np.asarray(camera.exposure.state.axis), camera.exposure.state.focal_mm
    found: list[_Layer] = []
    for item in drawn:
        (left_most, top_most), (right_most, lowest) = item.low_px, item.high_px
        if right_most < left or lowest < top or left_most > right or top_most > bottom:
            continue
        seen = flat @ item.to_texel.T
        # On the plane's own horizon there is nothing of it.
        depth = np.where(np.abs(seen[:, 2:]) < 1e-12, 1e-12, seen[:, 2:])
        texels = seen[:, :2] / depth
        points = np.concatenate([texels, np.ones((5, 1))], axis=1) @ item.basis_mm.T
        ahead = points @ axis > focal
        if not ahead.any():
            continue
        long, short = blur_axes_mm(points[ahead], camera.exposure.state)
        blur = (float(long.max()) / camera.pitch_mm, float(short.min()) / camera.pitch_mm)
        reach = _REACH * min(blur[0], item.spread_px) + 1.5
        distance = (flat[:4] @ item.sides.T).min(axis=1)
        if distance.max() < -reach and not _crosses(item.edge_px, corners, reach):
            continue
        whole = bool(ahead.all() and distance.min() > reach)
        if whole:
            found = []
        far, near = np.abs(depth).max(), np.abs(depth).min()
        even = bool(far <= _EVEN * near and long.max() <= max(_EVEN * long.min(), _SHARP_PX * camera.pitch_mm))
        found.append(_Layer(item, blur, whole, even))
    return found


def _sides(edge: Floats) -> Floats:
    """Of a convex polygon (N, 2) its sides (N, 3): a x + b y + c is how far a place lies within, negative outside."""
    x, y = edge.T
    next_x, next_y = np.roll(x, -1), np.roll(y, -1)
    along_x, along_y = next_x - x, next_y - y
    sign = 1.0 if np.sum(x * next_y - next_x * y) >= 0 else -1.0
    scale = sign / np.maximum(np.hypot(along_x, along_y), 1e-12)
    found: Floats = np.stack([-along_y, along_x, along_y * x - along_x * y], axis=1) * scale[:, None]
    return found


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


def _aimed(
    layer: _Layer, camera: Camera, box: Box, count: int, filtered_px2: float, wavelength_mm: float, seed: int | None
) -> tuple[Floats, Floats]:
    """Where on the pupil a layer's views are taken from (K, 3), and how far in the picture each is moved (K, 2).

    Each layer has rings of its own, for the wave makes of its blur what it makes of no other. What its texture is
    filtered by, pixels squared, is spread less. Without a seed views are not moved about within their pixel.
    """
    middle = 0.5 * (box[0] + box[2]), 0.5 * (box[1] + box[3])
    blur = _blur_px(layer, camera, middle)
    waves = float(waves_of_blur(blur * camera.pitch_mm, camera.exposure.state.working_f_number, wavelength_mm))
    radii = pupil_radii(waves, count)
    spread = (1.0 / 12.0 if seed is not None else 0.0) + blur * blur / 8.0 * float(np.mean(radii**2))
    left = math.sqrt(max(1.0 - filtered_px2 / max(spread, 1e-12), _LEAST_LEFT))
    pupil = camera.pupil_points_mm(count, radii=left * radii)
    offsets = np.zeros((count, 2)) if seed is None else jitter(pupil, seed) * left
    return pupil, offsets + camera.bend_px(pupil, middle)


def _blur_px(layer: _Layer, camera: Camera, middle: tuple[float, float]) -> float:
    """How wide a layer is blurred in a tile's middle; by views through the rim where the lens bends the focus."""
    if camera.exposure.state.bend is None:
        return 0.5 * sum(layer.blur_px)
    rim = camera.pupil_points_mm(_RIM, radii=np.ones(_RIM))
    seen = camera.onto_pixels(layer.drawn.basis_mm, rim) @ (layer.drawn.to_texel @ np.array([*middle, 1.0]))
    places = seen[:, :2] / seen[:, 2:] + camera.bend_px(rim, middle)
    return 2.0 * float(np.mean(np.hypot(*(places - places.mean(axis=0)).T)))


def _homographies(
    texture: Mip,
    level: int,
    layer: _Layer,
    camera: Camera,
    pupil: Floats,
    offsets: Floats,
    net: _Net,
    windows: Windows,
    room: int,
) -> tuple[Mip, Floats, Floats, int]:
    """The texture at the layer's mip, from tile pixels to its texels (K, 3, 3), the outline there (K, N, 2).

    And what lies beyond the texture's border: itself again, or, where all that the tile sees was cut out, nothing.
    """
    item = layer.drawn
    onto = camera.onto_pixels(item.basis_mm, pupil)
    move = np.tile(np.eye(3), (len(onto), 1, 1))
    move[:, 0, 2], move[:, 1, 2] = offsets[:, 0], offsets[:, 1]
    onto = net.onto @ move @ onto
    # Texel centres lie at halves on every level.
    scale = float(2**level)
    coarser = np.array([[1 / scale, 0, -0.5], [0, 1 / scale, -0.5], [0, 0, 1.0]])
    inverse = coarser[None] @ np.linalg.inv(onto)
    # Kept near the origin, so that wrapping does not lose digits.
    side = texture.shape[0]
    half = 0.5 * np.array(net.size)
    at = inverse @ np.array([*half, 1.0])
    shift = np.floor(at[:, :2] / at[:, 2:] / side) * side
    inverse[:, 0] -= shift[:, :1] * inverse[:, 2]
    inverse[:, 1] -= shift[:, 1:] * inverse[:, 2]
    texels = np.concatenate([item.outline, np.ones((len(item.outline), 1))], axis=1)
    edges = np.einsum("kij,nj->kni", onto, texels)
    edges = np.clip(edges[..., :2] / np.maximum(edges[..., 2:] * np.sign(edges[..., 2:]), 1e-12)
                    * np.sign(edges[..., 2:]), -_FAR, _FAR)  # fmt: skip
    border = cv2.BORDER_WRAP
    seen = _seen_texels(inverse, net.size)
    if seen is not None:
        low, high = seen
        texture, border = windows.cut(texture, low, high, room), cv2.BORDER_CONSTANT
        inverse[:, 0] -= low[0] * inverse[:, 2]
        inverse[:, 1] -= low[1] * inverse[:, 2]
    return texture, inverse, edges, border


def _seen_texels(inverse: Floats, size: tuple[int, int]) -> tuple[NDArray[np.int64], NDArray[np.int64]] | None:
    """First and last texel, across and down, that any view of a tile reads; None for too many, or past a horizon."""
    wide, high = size
    corners = np.array([[-1.0, -1, 1], [wide, -1, 1], [wide, high, 1], [-1, high, 1]])
    at = np.einsum("kij,nj->kni", inverse, corners)
    depth = at[..., 2]
    if float(depth.min()) <= 1e-9 < float(depth.max()) or float(np.abs(depth).min()) < 1e-12:
        return None
    texels = at[..., :2] / depth[..., None]
    low = np.floor(texels.min(axis=(0, 1))).astype(np.int64) - 1
    high = np.ceil(texels.max(axis=(0, 1))).astype(np.int64) + 2
    return None if float(np.prod((high - low).astype(float))) > _MOST_CUT else (low, high)


def _mip(layer: _Layer, box: Box, count: int, levels: int) -> tuple[int, float]:
    """The level whose texels fill the gaps between views: footprint of pixel and pupil over √views.

    And by how much it is blurred more than the finest, pixels squared.
    """
    middle = np.array([0.5 * (box[0] + box[2]), 0.5 * (box[1] + box[3]), 1.0])
    a = layer.drawn.to_texel
    place = a @ middle
    jac = (a[:2, :2] - np.outer(place[:2] / place[2], a[2, :2])) / place[2]
    blur = 0.5 * (layer.blur_px[0] + layer.blur_px[1])
    cover = jac @ jac.T * (1.0 / 12.0 + blur * blur / 16.0)
    small, large = np.sqrt(12.0 * np.maximum(np.linalg.eigvalsh(cover), 1e-12))
    texel = max(np.sqrt(large * small / count), large / count)
    level = int(np.clip(np.floor(np.log2(max(texel, 1.0)) + 0.25), 0, levels - 1))
    # A texel's mean spreads by a twelfth of its square, reading between two of them by a sixth.
    filtered = 0.25 * (4.0**level - 1.0) / max(abs(float(np.linalg.det(jac))), 1e-12)
    return level, filtered
