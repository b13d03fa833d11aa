"""The final merge, in two passes: the finest levels weighted by their detail, those below by a regularised depth map.

Measured beforehand as the best of what was tried: energy to the eighth power on the two finest levels (rescaled, or
it leaves the range of single precision), below them weights from the frame number of most detail, smoothed along
the picture's own edges (Nayar & Nakagawa 1994; He, Sun & Tang 2013).
"""

from __future__ import annotations

from collections.abc import Callable
from typing import IO

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.prove.merge.layers import Layers, box, layers_of
from verispect.prove.merge.pyramid import Energy, Level, collapsed, energy, laplacian, levels_of

Map = NDArray[np.float32]
_FINE_LEVELS = 2
_POWER = 8.0
# Of the guided filter on the depth map: radius in its pixels, and how much of an edge counts as one.
_RADIUS, _EDGE = 6, 2e-3
# Half a window in which detail is summed up: for a map that is smoothed, and for one that keeps thin things.
_WINDOW, _FINE_WINDOW = 2, 1
# Values of detail that are looked at together, and rows that are summed together: memory, not speed.
_STRIP, _ROWS = 24_000_000, 256


class DepthMap:
    """First pass: at half size, which frame is sharpest where, and how surely."""

    def __init__(self, kept: IO[bytes]) -> None:
        """Detail of every frame goes into a file that is open for both: no memory holds that of a hundred."""
        self._kept, self._count = kept, 0
        self._shape = (0, 0)
        self._most, self._guide = np.empty((0, 0), np.float16), np.empty((0, 0, 3), np.int16)

    def add(self, picture: Level, there: NDArray[np.uint8] | None) -> None:
        """Take in one frame."""
        half = cv2.pyrDown(picture)
        fine = cv2.subtract(half, cv2.pyrUp(cv2.pyrDown(half), dstsize=(half.shape[1], half.shape[0])))
        own = energy(np.asarray(fine, np.int16), 1)
        if there is not None:
            mask = cv2.resize(there, (own.shape[1], own.shape[0]), interpolation=cv2.INTER_AREA) < 255
            own[mask] = 0.0
        self._kept.seek(0, 2)
        self._kept.write(np.sqrt(own).astype(np.float16).tobytes())
        amount = np.sqrt(box(own, _WINDOW)).astype(np.float16)
        if self._count == 0:
            self._shape, self._most, self._guide = (
                (amount.shape[0], amount.shape[1]),
                amount,
                np.asarray(half, np.int16),
            )
        else:
            better = amount > self._most
            self._most[better], self._guide[better] = amount[better], half[better]
        self._count += 1

    def layers(self, look: Callable[[], None] = lambda: None) -> Layers:
        """Which frame is sharpest where, label by label; `look` is called for each frame, and may raise to end it."""

        def detail(k: int) -> Map:
            look()
            return box(self._squares(k, 0, self._shape[0]), _FINE_WINDOW)

        return layers_of(detail, self._count, self._guide.astype(np.float32) / np.float32(32767.0))

    def _rows(self, top: int, bottom: int) -> NDArray[np.float32]:
        """Detail of all frames (frames, rows, columns) in some rows."""
        first, last = max(0, top - _WINDOW), min(self._shape[0], bottom + _WINDOW)
        found = np.empty((self._count, bottom - top, self._shape[1]), np.float32)
        for k in range(self._count):
            found[k] = np.sqrt(box(self._squares(k, first, last), _WINDOW)[top - first : bottom - first])
        return found

    def _squares(self, k: int, top: int, bottom: int) -> Map:
        """Of a frame's detail in some rows, pixel by pixel."""
        rows, columns = self._shape
        self._kept.seek(2 * columns * (k * rows + top))
        amount = np.frombuffer(self._kept.read(2 * columns * (bottom - top)), np.float16)
        return np.square(amount.reshape(bottom - top, columns).astype(np.float32))

    def settled(self, smooth: float) -> Map:
        """Frame number (rows, columns) at half size, real-valued, regularised; `smooth` 0 to 1."""
        number, middling = np.empty(self._shape, np.float32), np.empty(self._shape, np.float32)
        count = self._count
        step = max(1, _STRIP // max(1, count * self._shape[1]))
        for top in range(0, self._shape[0], step):
            rows = slice(top, min(top + step, self._shape[0]))
            number[rows], middling[rows] = _between_frames(self._rows(rows.start, rows.stop), count)
        peak, guide = self._most.astype(np.float32), self._guide[..., 1].astype(np.float32) / np.float32(32767.0)
        noise = float(np.median(peak)) * 0.05 + 1e-6
        trust = (peak / (peak + noise)) ** 2 * np.clip(peak / (middling + noise) - 1.0, 0.02, 4.0)
        number = np.asarray(cv2.medianBlur(number, 5), np.float32)
        radius = max(1, round(_RADIUS * (0.5 + smooth)))
        return _guided(number, guide, trust.astype(np.float32), radius)


def _between_frames(amount: NDArray[np.float32], count: int) -> tuple[Map, Map]:
    """Which frame has most detail, between frames by a parabola through three; and the middling detail."""
    best = amount.argmax(axis=0)
    number = best.astype(np.float32)
    if count >= 3:
        inner = np.clip(best, 1, count - 2)
        a, b, c = (np.take_along_axis(amount, inner[None] + k, axis=0)[0] for k in (-1, 0, 1))
        bend = a - 2 * b + c
        shift = np.where(bend < -1e-6, 0.5 * (a - c) / np.where(bend < -1e-6, bend, 1.0), 0.0)
        number = np.where(best == inner, inner + np.clip(shift, -0.5, 0.5), number).astype(np.float32)
    return number, np.asarray(np.median(amount, axis=0), np.float32)


def _guided(values: Map, guide: Map, trust: Map, radius: int) -> Map:
    """Weighted guided filter: what is untrusted takes the value of what looks like it nearby."""
    weight = box(trust, radius) + 1e-9
    mean_g, mean_v = box(trust * guide, radius) / weight, box(trust * values, radius) / weight
    cov = box(trust * guide * values, radius) / weight - mean_g * mean_v
    var = box(trust * guide * guide, radius) / weight - mean_g * mean_g
    a = cov / (var + _EDGE)
    b = mean_v - a * mean_g
    return box(a, radius) * guide + box(b, radius)


class FinalFusion:
    """Second pass: weighted sums level by level."""

    def __init__(self, depth: Map, frames: int, peaks: list[Energy]) -> None:
        self._depth, self._count, self._peaks = depth, frames, peaks
        self._sums: list[NDArray[np.float32]] = []
        self._weights: list[Map] = []
        self.used = np.zeros(frames)

    def add(self, index: int, picture: Level, there: NDArray[np.uint8] | None) -> None:
        """Take in one frame."""
        count = levels_of(picture.shape)
        pyramid = laplacian(picture, count)
        near = np.clip(1.0 - np.abs(self._depth - index), 0.0, 1.0).astype(np.float32)
        self.used[index] = float(near.mean())
        for k, level in enumerate(pyramid):
            size = (level.shape[1], level.shape[0])
            below = cv2.resize(
                near, size, interpolation=cv2.INTER_AREA if size[0] < near.shape[1] else cv2.INTER_LINEAR
            )
            if k < _FINE_LEVELS and k < count:
                relative = energy(level) / (self._peaks[k] + 1e-6)
                weight = np.power(np.clip(relative, 0.0, 1.0), 0.5 * _POWER) + 1e-4 * below
            else:
                weight = below + 1e-6
            if there is not None:
                weight = weight * (cv2.resize(there, size, interpolation=cv2.INTER_AREA) == 255) + 1e-12
            weight = np.asarray(weight, np.float32)
            if len(self._sums) <= k:
                self._sums.append(np.zeros(level.shape, np.float32))
                self._weights.append(np.zeros(level.shape[:2], np.float32))
            self._weights[k] += weight
            for top in range(0, size[1], _ROWS):
                rows = slice(top, top + _ROWS)
                self._sums[k][rows] += level[rows].astype(np.float32) * weight[rows, :, None]

    def picture(self) -> Level:
        """What is fused."""
        levels = [
            np.round(total / np.maximum(weight, 1e-20)[..., None]).astype(np.int16)
            for total, weight in zip(self._sums, self._weights, strict=True)
        ]
        return collapsed(levels)


class Peaks:
    """The most detail of any frame on the finest levels, gathered in the first pass."""

    def __init__(self) -> None:
        self.levels: list[Energy] = []

    def add(self, picture: Level) -> None:
        """Take in one frame."""
        pyramid = laplacian(picture, min(_FINE_LEVELS, levels_of(picture.shape)))
        for k, level in enumerate(pyramid[:-1]):
            own = energy(level)
            if len(self.levels) <= k:
                self.levels.append(own)
            else:
                np.maximum(self.levels[k], own, out=self.levels[k])
