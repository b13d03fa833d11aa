"""Joining a grid into one picture, tile by tile: evened in brightness, the sharper frame preferred in overlaps."""

from __future__ import annotations

import itertools
import math
import resource
import time
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import Cancelled, FileError
from verispect.optics.types import Floats
from verispect.plan.frames.exposure import Exposure
from verispect.prove.expected import View, view_of
from verispect.prove.intake import Coded, Frame, described, frames_in, grey_linear, in_order, linear_of, read_coded
from verispect.prove.join.canvas import Canvas, canvas_for, frame_maps
from verispect.prove.join.crop import crop_of
from verispect.prove.join.gains import gains_of
from verispect.prove.join.pointing import Pair, corrected, pair_report, pairs_of

Progress = Callable[[float, str], None]
_WORKING_PIXELS = 700_000
_TILE = 768
_APRON = 48
# Width of the soft seams of the slow part, in pixels, and the window of the detail that is compared.
_SLOW = 12.0
_DETAIL = 9
_PREFER = 4.0


@dataclass
class Joined:
    """A joined picture, 16 bits, and how it came about."""

    pixels: Coded
    frames: list[dict[str, Any]]
    pairs: list[dict[str, Any]]
    crop: tuple[int, int, int, int]
    seconds: float
    canvas: Canvas
    doubtful: list[dict[str, Any]] = field(default_factory=list)
    first: Frame | None = None

    def report(self) -> dict[str, Any]:
        """The contract's JSON."""
        return {
            "format": "verispect-merge",
            "version": 1,
            "frames": self.frames,
            "pairs": self.pairs,
            "crop": list(self.crop),
            "depth": None,
            "projection": self.canvas.projection,
            "seconds": round(self.seconds, 3),
            "peak_memory_mb": round(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024.0, 1),
            "doubtful": self.doubtful,
        }


class _Store:
    """Frames read when needed, the last few kept."""

    def __init__(self, read: Callable[[int], Coded], most: int) -> None:
        self._read, self._most = read, most
        self._kept: OrderedDict[int, Coded] = OrderedDict()

    def __getitem__(self, k: int) -> Coded:
        if k in self._kept:
            self._kept.move_to_end(k)
            return self._kept[k]
        found = self._kept[k] = self._read(k)
        while len(self._kept) > self._most:
            self._kept.popitem(last=False)
        return found


def cells_of(exposures: Sequence[Exposure]) -> list[list[int]]:
    """Exposures that follow one another from one place and pose of a grid."""

    def place(k: int) -> tuple[float, ...]:
        exposure = exposures[k]
        return (*np.round(exposure.pose.forward, 9).tolist(), *np.round(exposure.sensor_centre_mm, 6).tolist())

    return [list(group) for _, group in itertools.groupby(range(len(exposures)), key=place)]


def join(
    places: Sequence[Path],
    *,
    exposures: Sequence[Exposure],
    sensor_wide_mm: float,
    basis: Floats | None = None,
    rotations: dict[int, Floats] | None = None,
    projection: str | None = None,
    progress: Progress | None = None,
    is_cancelled: Callable[[], bool] | None = None,
    merge_cell: Callable[[list[Path], list[Exposure]], Coded] | None = None,
) -> Joined:
    """Join frames of a grid.

    Parameters
    ----------
    exposures : sequence of Exposure
        As planned, one a frame in order.
    basis : ndarray, shape (3, 3), optional
        The wanted picture's own view.
    rotations : dict, optional
        How exposures really looked, where that is known.
    merge_cell : callable, optional
        Merges the frames of one cell, for a grid of series.

    Raises
    ------
    FileError, Cancelled
    """
    begin = time.monotonic()
    say = progress or (lambda _share, _text: None)
    stop = is_cancelled or (lambda: False)
    frames = in_order([described(path) for path in frames_in(places)])
    if len({frame.pixels for frame in frames}) > 1:
        raise FileError("frames of different sizes cannot be joined; give those of one camera and setting")
    if len(frames) != len(exposures):
        raise FileError(
            "{there} frames, but the plan's method has {planned} exposures; give those of one run, none left out",
            there=len(frames), planned=len(exposures),
        )  # fmt: skip
    pixels = frames[0].pixels
    pitch = sensor_wide_mm / pixels[0]
    cells = cells_of(exposures)
    views = [view_of(exposures[c[0]], pixels, pitch, (rotations or {}).get(c[0])) for c in cells]

    def read(cell: int) -> Coded:
        members = cells[cell]
        if len(members) == 1 or merge_cell is None:
            return read_coded(frames[members[0]])
        return merge_cell([frames[k].path for k in members], [exposures[k] for k in members])

    store = _Store(read, most=max(2, min(8, 1_500_000_000 // (pixels[0] * pixels[1] * 6))))
    greys, smalls = _small(store, len(cells), pixels, say, stop)
    pairs = pairs_of(views, greys, pixels, is_cancelled=stop,
                     progress=lambda share: say(0.25 + 0.25 * share, "comparing neighbours"))  # fmt: skip
    if stop():
        raise Cancelled
    planned = views
    views = corrected(views, pairs)
    gains = gains_of(views, smalls, pairs, pixels)
    canvas = canvas_for(views, pixels, projection, basis)
    result, covered, shares = _painted(canvas, views, gains, store, pixels, say, stop)
    files = [frames[cell[0]].path.name for cell in cells]
    told = [
        {
            "file": files[k],
            "used_share": round(float(shares[k]), 5),
            "matrix": None if (to := canvas.homography_of(view)) is None else to.tolist(),
            "rotation": view.rotation.tolist(),
            "moved_deg": round(_apart_deg(view, planned[k]), 5),
            "gain_stops": round(float(gains[k]), 5),
            "residual_px": _worst(pairs, k),
        }
        for k, view in enumerate(views)
    ]
    doubtful = [
        {"box": [0, 0, canvas.size[1], canvas.size[0]],
         "says": f"{files[k]} has nothing to join on; it lies where the plan has it"}
        for k in range(len(cells))
        if not any(pair.trusted for pair in pairs if k in (pair.a, pair.b)) and len(cells) > 1
    ]  # fmt: skip
    say(1.0, "joined")
    return Joined(
        result, told, [pair_report(pair, files) for pair in pairs], crop_of(covered),
        time.monotonic() - begin, canvas, doubtful, frames[0],
    )  # fmt: skip


def _apart_deg(view: View, other: View) -> float:
    trace = float(np.trace(view.rotation @ other.rotation.T))
    return math.degrees(math.acos(min(max(0.5 * (trace - 1.0), -1.0), 1.0)))


def _worst(pairs: Sequence[Pair], k: int) -> float | None:
    found = [pair.residual_px for pair in pairs if k in (pair.a, pair.b) and math.isfinite(pair.residual_px)]
    return max(found) if found else None


def _small(
    store: _Store, count: int, pixels: tuple[int, int], say: Progress, stop: Callable[[], bool]
) -> tuple[list[NDArray[np.float32]], list[NDArray[np.float32]]]:
    """Brightness at the working size, and small pictures in colour."""
    divide = 1
    while pixels[0] * pixels[1] / divide**2 > _WORKING_PIXELS:
        divide *= 2
    greys, smalls = [], []
    for k in range(count):
        if stop():
            raise Cancelled
        say(0.25 * k / count, f"reading frame {k + 1} of {count}")
        coded = store[k]
        greys.append(grey_linear(coded, divide))
        step = max(1, min(pixels) // 150)
        size = (pixels[0] // step, pixels[1] // step)
        smalls.append(np.asarray(cv2.resize(linear_of(coded), size, interpolation=cv2.INTER_AREA), np.float32))
    return greys, smalls


def _painted(
    canvas: Canvas,
    views: Sequence[View],
    gains: Floats,
    store: _Store,
    pixels: tuple[int, int],
    say: Progress,
    stop: Callable[[], bool],
) -> tuple[Coded, NDArray[np.bool_], Floats]:
    """The picture, where frames cover it, and each frame's share of its detail."""
    wide, high = canvas.size
    result, covered = np.zeros((high, wide, 3), np.uint16), np.zeros((high, wide), bool)
    used = np.zeros(len(views))
    tops = list(range(0, high, _TILE))
    for number, top in enumerate(tops):
        for left in range(0, wide, _TILE):
            if stop():
                raise Cancelled
            box = (left, top, min(left + _TILE, wide), min(top + _TILE, high))
            place = (slice(box[1], box[3]), slice(box[0], box[2]))
            result[place], covered[place], part = _tile(canvas, views, gains, store, pixels, box)
            used += part
        say(0.5 + 0.5 * (number + 1) / len(tops), "joining")
    return result, covered, used / max(float(used.sum()), 1e-9)


def _tile(
    canvas: Canvas,
    views: Sequence[View],
    gains: Floats,
    store: _Store,
    pixels: tuple[int, int],
    box: tuple[int, int, int, int],
) -> tuple[Coded, NDArray[np.bool_], Floats]:
    """One tile: the slow part of neighbours blended softly, the detail of the sharper."""
    left, top, right, bottom = box
    directions = canvas.directions(left - _APRON, top - _APRON, right + _APRON, bottom + _APRON)
    shape = directions.shape[:2]
    slow, slow_weight = np.zeros((*shape, 3), np.float32), np.full(shape, 1e-9, np.float32)
    fine, fine_weight = np.zeros((*shape, 3), np.float32), np.full(shape, 1e-20, np.float32)
    weights: dict[int, NDArray[np.float32]] = {}
    for k, view in enumerate(views):
        column, row = frame_maps(view, directions)
        # How far within the frame, as a share of its half: 0 at the border.
        inside = np.minimum(
            1.0 - np.abs(2.0 * column / (pixels[0] - 1) - 1.0), 1.0 - np.abs(2.0 * row / (pixels[1] - 1) - 1.0)
        )
        if float(inside.max()) <= 0.0:
            continue
        part = cv2.remap(store[k], column, row, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101)
        light = np.asarray(part, np.float32)
        if abs(float(gains[k])) > 1e-4:
            light = _brightened(light, float(gains[k]))
        border = np.clip(inside, 0.0, 1.0).astype(np.float32)
        eased = np.asarray(cv2.GaussianBlur(light, (0, 0), _SLOW), np.float32)
        detail = light - eased
        luma = detail @ np.array([0.25, 0.5, 0.25], np.float32)
        strength = np.asarray(cv2.boxFilter(luma * luma, -1, (_DETAIL, _DETAIL)), np.float32) / 65535.0**2
        sharper = border * np.power(strength + 1e-7, 0.5 * _PREFER)
        slow += eased * border[..., None]
        slow_weight += border
        fine += detail * sharper[..., None]
        fine_weight += sharper
        weights[k] = sharper
    whole = slow / slow_weight[..., None] + fine / fine_weight[..., None]
    whole[slow_weight < 1e-6] = 0.0
    middle = (slice(_APRON, shape[0] - _APRON), slice(_APRON, shape[1] - _APRON))
    used = np.zeros(len(views))
    for k, weight in weights.items():
        used[k] = float((weight[middle] / fine_weight[middle]).sum())
    return np.clip(np.round(whole[middle]), 0, 65535).astype(np.uint16), slow_weight[middle] >= 1e-6, used


def _brightened(coded: NDArray[np.float32], stops: float) -> NDArray[np.float32]:
    """Coded values made brighter in linear light."""
    x = np.clip(coded / 65535.0, 0.0, 1.0)
    linear = np.where(x <= 0.04045, x / 12.92, ((x + 0.055) / 1.055) ** 2.4) * 2.0**stops
    curved = np.where(
        linear <= 0.0031308, 12.92 * linear, 1.055 * np.power(np.maximum(linear, 1e-9), 1 / 2.4) - 0.055
    )
    return np.asarray(curved * 65535.0, np.float32)
