"""Laplacian pyramids of 16-bit colour, fused as frames come in (Burt & Adelson 1983; Burt & Kolczynski 1993).

Whole pictures are held as 16-bit integers of half the range, so that a frame of 60 megapixels and what is fused
of all before it stay within two gigabytes.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Level = NDArray[np.int16]
Energy = NDArray[np.float32]
_LUMA = np.array([[0.25, 0.5, 0.25]], np.float32)
_LEAST_SIDE = 24
# Rows worked on at once where something of floating point is made of a level.
_STRIP = 512


def levels_of(shape: tuple[int, ...]) -> int:
    """How many levels a picture of a shape has above its coarsest."""
    count = 0
    side = float(min(shape[:2]))
    while side / 2 >= _LEAST_SIDE and count < 10:
        side /= 2
        count += 1
    return count


def laplacian(picture: Level, count: int) -> list[Level]:
    """Differences from fine to coarse, and last what is left."""
    found = []
    current = picture
    for _ in range(count):
        smaller = cv2.pyrDown(current)
        size = (current.shape[1], current.shape[0])
        found.append(cv2.subtract(current, cv2.pyrUp(smaller, dstsize=size)))
        current = np.asarray(smaller, np.int16)
    found.append(current)
    return found  # type: ignore[return-value]


def collapsed(levels: list[Level]) -> Level:
    """The picture of its pyramid."""
    current = levels[-1]
    for level in reversed(levels[:-1]):
        up = cv2.pyrUp(current, dstsize=(level.shape[1], level.shape[0]))
        current = np.asarray(cv2.add(up, level), np.int16)
    return current


def energy(level: Level, window: int = 5) -> Energy:
    """Local strength of detail: the mean square of the luma over a window, shape (rows, columns)."""
    rows = level.shape[0]
    found = np.empty(level.shape[:2], np.float32)
    margin = window // 2
    for top in range(0, rows, _STRIP):
        low, high = max(top - margin, 0), min(top + _STRIP + margin, rows)
        luma = cv2.transform(level[low:high].astype(np.float32), _LUMA)
        square = cv2.multiply(luma, luma, dst=luma)
        mean = cv2.boxFilter(square, -1, (window, window), borderType=cv2.BORDER_REFLECT_101)
        end = min(top + _STRIP, rows)
        found[top:end] = mean[top - low : end - low]
    return found


class ProofFusion:
    """One pass: at every place and level the coefficients of the frame with the most detail there."""

    def __init__(self) -> None:
        self._levels: list[Level] = []
        self._energies: list[Energy] = []
        self._base: NDArray[np.float32] | None = None
        self._weight: NDArray[np.float32] | None = None
        self.choice: NDArray[np.uint16] | None = None
        self.frames = 0

    def add(self, picture: Level, there: NDArray[np.uint8] | None) -> None:
        """Take in one frame, laid over the reference; `there` is 0 where it shows nothing."""
        count = levels_of(picture.shape)
        pyramid = laplacian(picture, count)
        shown = shown_at(there, [(level.shape[0], level.shape[1]) for level in pyramid[:-1]])
        if not self._levels:
            self._levels = [level.copy() for level in pyramid[:-1]]
            self._energies = [_seen(energy(level), part) for level, part in zip(pyramid[:-1], shown, strict=True)]
            base = pyramid[-1].astype(np.float32)
            self._weight = _base_weight(self._energies[-1], base.shape)
            self._base = base * self._weight[..., None]
            self.choice = np.zeros(self._energies[min(1, len(self._energies) - 1)].shape, np.uint16)
        else:
            strongest: Energy | None = None
            for k, level in enumerate(pyramid[:-1]):
                own = _seen(energy(level), shown[k])
                better = cv2.compare(own, self._energies[k], cv2.CMP_GT)
                cv2.copyTo(level, better, self._levels[k])
                cv2.copyTo(own, better, self._energies[k])
                if k == min(1, len(self._energies) - 1) and self.choice is not None:
                    self.choice[better > 0] = self.frames
                strongest = own
            assert strongest is not None
            assert self._base is not None
            assert self._weight is not None
            base = pyramid[-1].astype(np.float32)
            weight = _base_weight(strongest, base.shape)
            self._base += base * weight[..., None]
            self._weight += weight
        self.frames += 1

    def picture(self) -> Level:
        """What is fused so far."""
        assert self._base is not None
        assert self._weight is not None
        base = np.round(self._base / np.maximum(self._weight, 1e-12)[..., None]).astype(np.int16)
        return collapsed([*self._levels, base])

    def shares(self) -> list[float]:
        """Share of the picture taken from each frame."""
        assert self.choice is not None
        counts = np.bincount(self.choice.ravel(), minlength=self.frames)
        return [float(part) for part in counts / counts.sum()]


def shown_at(there: NDArray[np.uint8] | None, shapes: list[tuple[int, int]]) -> list[NDArray[np.uint8] | None]:
    """Of each size, one half of the other, where a frame shows everything: 255, or 0 where some of it is missing."""
    found: list[NDArray[np.uint8] | None] = []
    mask = there
    for shape in shapes:
        if mask is not None and mask.shape != shape:
            smaller = cv2.resize(mask, (shape[1], shape[0]), interpolation=cv2.INTER_AREA)
            mask = np.asarray(cv2.inRange(smaller, 255, 255), np.uint8)
        found.append(mask)
    return found


def _seen(own: Energy, shown: NDArray[np.uint8] | None) -> Energy:
    """Energy where the frame shows something; less than nothing elsewhere, and as far as a window reaches."""
    if shown is None:
        return own
    missing = cv2.bitwise_not(cv2.erode(shown, np.ones((5, 5), np.uint8)))
    return np.asarray(cv2.copyTo(np.full_like(own, -1.0), np.asarray(missing, np.uint8), own), np.float32)


def _base_weight(strength: Energy, shape: tuple[int, ...]) -> NDArray[np.float32]:
    """How much each frame's coarsest level counts: by the detail just above it."""
    small = cv2.resize(np.maximum(strength, 0.0), (shape[1], shape[0]), interpolation=cv2.INTER_AREA)
    gone = cv2.resize((strength < 0).astype(np.float32), (shape[1], shape[0]), interpolation=cv2.INTER_AREA) > 0.5
    weight = (small + 1.0) ** 2
    weight[gone] = 1e-9
    return np.asarray(weight, np.float32)
