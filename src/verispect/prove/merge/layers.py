"""Which frame is sharpest at each place, label by label, with thin things kept whole.

A guided filter on the frame's number itself gives a thin post the mean of what it stands before. Here the share of
every frame in the detail is smoothed along the picture's own edges, and the largest taken after that (cost-volume
filtering: Hosni, Rhemann, Bleyer, Rother & Gelautz 2013).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Map = NDArray[np.float32]
Colour = NDArray[np.float32]
# Radii in pixels of the half size, and of a half of that; how much of an edge counts as one; what the wider count.
_RADII, _EDGE, _WIDER = (4, 8, 30), 1e-3, (0.1, 0.02)
# Detail so many times that of a place where no frame shows any can be trusted; of noise so much is taken off.
_TRUSTED, _NOISE = 20.0, 3.0


@dataclass(frozen=True)
class Layers:
    """At half size.

    Attributes
    ----------
    number : ndarray, shape (rows, columns)
        Which frame is sharpest, between frames by a parabola.
    sure : ndarray, shape (rows, columns)
        How much of it rests on detail close by, 0 to 1.
    """

    number: Map
    sure: Map


def layers_of(detail: Callable[[int], Map], count: int, guide: Colour) -> Layers:
    """Label every place.

    Parameters
    ----------
    detail : callable
        Mean square of the detail of a frame (rows, columns); asked twice for each.
    guide : ndarray, shape (rows, columns, 3)
        A picture of the scene, 0 to 1.
    """
    first = detail(0)
    total, most, least = first.copy(), first.copy(), first
    for k in range(1, count):
        own = detail(k)
        total += own
        np.maximum(most, own, out=most)
        np.minimum(least, own, out=least)
    noise = float(np.median(least)) + 1e-12
    trust = np.clip(most / (_TRUSTED * noise), 0.0, 1.0) / (total + count * _NOISE * noise)
    size, small = (guide.shape[1], guide.shape[0]), (guide.shape[1] // 2 or 1, guide.shape[0] // 2 or 1)
    coarse = np.asarray(cv2.resize(guide, small, interpolation=cv2.INTER_AREA), np.float32)
    close, wider = Along(guide, _RADII[0], _EDGE), [Along(coarse, radius, _EDGE) for radius in _RADII[1:]]
    rows, columns = guide.shape[:2]
    best, number = np.full((rows, columns), -np.inf, np.float32), np.zeros((rows, columns), np.int16)
    before, after = np.zeros((2, rows, columns), np.float32)
    sure, last = np.zeros((rows, columns), np.float32), np.zeros((rows, columns), np.float32)
    for k in range(count):
        share = np.asarray(detail(k) * trust, np.float32)
        score = close(share)
        sure += np.maximum(score, 0.0)
        halved = np.asarray(cv2.resize(share, small, interpolation=cv2.INTER_AREA), np.float32)
        for along, weight in zip(wider, _WIDER, strict=True):
            score = score + np.float32(weight) * cv2.resize(along(halved), size, interpolation=cv2.INTER_LINEAR)
        np.copyto(after, score, where=number == k - 1)
        better = score > best
        number[better], best[better], before[better], after[better] = k, score[better], last[better], -np.inf
        last = score
    return Layers(number + _shift(before, best, after, (number > 0) & (number < count - 1)), np.clip(sure, 0.0, 1.0))


def _shift(before: Map, best: Map, after: Map, inner: NDArray[np.bool_]) -> Map:
    """Where a parabola through three scores is highest, from the middle one; 0 at the ends."""
    with np.errstate(invalid="ignore"):
        bend = before - 2.0 * best + after
        bent = inner & np.isfinite(bend) & (bend < -1e-9)
        found = 0.5 * (before - after) / np.where(bent, bend, 1.0)
    return np.where(bent, np.clip(found, -0.5, 0.5), 0.0).astype(np.float32)


class Along:
    """Smooths maps along the edges of a picture in colour: the guided filter of He, Sun & Tang (2013)."""

    def __init__(self, guide: Colour, radius: int, edge: float) -> None:
        self._radius = radius
        self._guide = [np.ascontiguousarray(guide[..., c]) for c in range(3)]
        self._means = [box(part, self._radius) for part in self._guide]
        spread = {
            (a, b): box(self._guide[a] * self._guide[b], self._radius)
            - self._means[a] * self._means[b] + np.float32(edge if a == b else 0.0)
            for a in range(3) for b in range(a, 3)
        }  # fmt: skip
        self._inverse = _inverse(spread)

    def __call__(self, values: Map) -> Map:
        """The map smoothed."""
        mean = box(values, self._radius)
        with_guide = [
            box(part * values, self._radius) - own * mean for part, own in zip(self._guide, self._means, strict=True)
        ]
        found = mean
        slopes = []
        for row in range(3):
            slope = sum(self._inverse[min(row, c), max(row, c)] * with_guide[c] for c in range(3))
            found = found - slope * self._means[row]
            slopes.append(slope)
        smoothed = box(np.asarray(found, np.float32), self._radius)
        for slope, part in zip(slopes, self._guide, strict=True):
            smoothed += box(np.asarray(slope, np.float32), self._radius) * part
        return smoothed


def box(values: Map, radius: int) -> Map:
    """Means over squares of 2 radius + 1."""
    side = 2 * radius + 1
    return np.asarray(cv2.boxFilter(values, -1, (side, side), borderType=cv2.BORDER_REFLECT_101), np.float32)


def _inverse(spread: dict[tuple[int, int], Map]) -> dict[tuple[int, int], Map]:
    """Of symmetric 3 × 3 matrices, place by place."""
    a, b, c = spread[0, 0], spread[0, 1], spread[0, 2]
    d, e, f = spread[1, 1], spread[1, 2], spread[2, 2]
    minors = {
        (0, 0): d * f - e * e, (0, 1): c * e - b * f, (0, 2): b * e - c * d,
        (1, 1): a * f - c * c, (1, 2): b * c - a * e, (2, 2): a * d - b * b,
    }  # fmt: skip
    whole = a * minors[0, 0] + b * minors[0, 1] + c * minors[0, 2]
    return {key: minor / whole for key, minor in minors.items()}
