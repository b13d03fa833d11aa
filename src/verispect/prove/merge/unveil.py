"""Behind the edge of a near thing its blur veils what is far, in the very frame that is sharp there: taken off.

Where the merged picture shows the near thing sharp, and how far it is out of focus in the far thing's frame is known
from the plan, its blur over the far thing is reckoned: a share α of its light F. What is left of the frame is
(frame − αF) / (1 − α). Only where the merge took that frame anyway; thin lens and even discs, linear light.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.prove.intake import coded_of, linear_of
from verispect.prove.merge.layers import Layers, Map
from verispect.prove.merge.pyramid import Level

# Blurs below this veil nothing; those far above are worked out at a part of the size in which they are so wide.
_LEAST_BLUR_PX, _WORKED_PX = 1.25, 12.0
# Shares of the veil that are too small to see, and too large to look through.
_LEAST_VEIL, _MOST_VEIL = 0.01, 0.8
# What rests on so little detail is no near thing; and so unlike may the merge be to the frame, of the scale of tones.
_LEAST_SURE, _UNLIKE = 0.05, 0.04
_TILE, _SEAM = 128, 1.0
# Labels of fewer pixels in a tile are strays.
_FEWEST = 6


@dataclass(frozen=True)
class Focusing:
    """How a series was focused.

    Attributes
    ----------
    image_mm : tuple of float
        Image distance of each frame, in order, only growing or only shrinking.
    px_per_mm : float
        Diameter of the blur per mm of defocus on the image's side.
    """

    image_mm: tuple[float, ...]
    px_per_mm: float

    @property
    def serves(self) -> bool:
        """Whether frames follow one another in focus, as the labels between them take it."""
        steps = [b - a for a, b in pairwise(self.image_mm)]
        return len(steps) > 1 and (min(steps) > 0.0 or max(steps) < 0.0)

    def blur_px(self, near: int, own: int) -> float:
        """Of what is sharp in one frame, in another; negative where it lies behind."""
        return (self.image_mm[near] - self.image_mm[own]) * self.px_per_mm


class Veil:
    """What veils what, known once all frames were looked at; then the light of each place's own frame is kept."""

    def __init__(self, layers: Layers, focusing: Focusing, shape: tuple[int, int]) -> None:
        """`shape` is that of the whole picture, of which the layers have half the size."""
        self._focusing = focusing
        size = (shape[1], shape[0])
        # In few bytes: they are held beside all that is fused.
        self._sure = cv2.resize(layers.sure, size, interpolation=cv2.INTER_LINEAR) > _LEAST_SURE
        number = cv2.resize(layers.number, size, interpolation=cv2.INTER_NEAREST)
        self._number = np.asarray(number, np.float16)
        self._own = np.zeros((*shape, 3), np.uint16)

    def add(self, index: int, picture: Level) -> None:
        """Take in one frame, as it is laid over the first."""
        for top in range(0, picture.shape[0], _TILE):
            rows = slice(top, top + _TILE)
            near = np.clip(1.0 - np.abs(self._number[rows].astype(np.float32) - index), 0.0, 1.0)
            if near.any():
                light = np.maximum(picture[rows], 0).astype(np.float32) * near[..., None]
                self._own[rows] += np.round(light).astype(np.uint16)

    def taken_off(self, picture: Level, look: Callable[[float], None] = lambda _share: None) -> tuple[Level, float]:
        """The merged picture without the veils, and of how much of it something was taken off.

        `look` is told the share done, row by row of tiles, and may raise to end it.
        """
        found, share = picture.copy(), 0.0
        high, wide = picture.shape[:2]
        for top in range(0, high, _TILE):
            look(top / high)
            for left in range(0, wide, _TILE):
                share += self._tile(picture, found, (top, left, min(top + _TILE, high), min(left + _TILE, wide)))
        return found, share / (high * wide)

    def _tile(self, picture: Level, found: Level, box: tuple[int, int, int, int]) -> float:
        """Work out one tile; how many of its pixels are changed."""
        top, left, bottom, right = box
        high, wide = picture.shape[:2]
        reach = self._reach(box)
        if reach is None:
            return 0.0
        first, start = max(0, top - reach), max(0, left - reach)
        about = (slice(first, min(high, bottom + reach)), slice(start, min(wide, right + reach)))
        inner = (slice(top - first, bottom - first), slice(left - start, right - start))
        labels = np.round(self._number[about]).astype(int)
        coded = np.clip(picture[about], 0, 32767).astype(np.uint16) * np.uint16(2)
        light, sure = linear_of(coded), self._sure[about]
        veil, over = self._over(labels, sure, light, inner)
        seen = (veil > _LEAST_VEIL) & (veil < _MOST_VEIL) & sure[inner]
        if not seen.any():
            return 0.0
        own = self._own[box[0] : box[2], box[1] : box[3]] * np.uint16(2)
        clear = (linear_of(own) - over) / (1.0 - np.minimum(veil, _MOST_VEIL))[..., None]
        unlike = np.abs(own.astype(np.float32) - coded[inner]).max(axis=2) / np.float32(65535.0)
        unlike = cv2.GaussianBlur(unlike, (0, 0), _SEAM)
        weight = cv2.GaussianBlur(seen.astype(np.float32), (0, 0), _SEAM) * seen * np.exp(-((unlike / _UNLIKE) ** 2))
        mixed = light[inner] * (1.0 - weight[..., None]) + np.maximum(clear, 0.0) * weight[..., None]
        changed = weight > 0.0
        new = (coded_of(mixed) >> np.uint16(1)).astype(np.int16)
        found[top:bottom, left:right][changed] = new[changed]
        return float(changed.sum())

    def _reach(self, box: tuple[int, int, int, int]) -> int | None:
        """How far about a tile something can veil what is in it; None where nothing does."""
        farthest = round(max(abs(self._focusing.blur_px(0, -1)), 1.0) / 2) + 2
        top, left, bottom, right = box
        about = slice(max(0, top - farthest), bottom + farthest), slice(max(0, left - farthest), right + farthest)
        # What is not sure neither veils nor is seen through.
        known = self._number[about][self._sure[about]]
        if not known.size:
            return None
        blur = abs(self._focusing.blur_px(round(float(known.min())), round(float(known.max()))))
        return None if blur < _LEAST_BLUR_PX else math.ceil(blur / 2) + 2

    def _over(
        self, labels: NDArray[np.int_], sure: NDArray[np.bool_], light: Map, inner: tuple[slice, slice]
    ) -> tuple[Map, Map]:
        """Share of the light at each place of a tile that nearer things take in its own frame, and that light."""
        own_labels = labels[inner]
        veil = np.zeros(own_labels.shape, np.float32)
        over = np.zeros((*own_labels.shape, 3), np.float32)
        first, start = inner[0].start, inner[1].start
        nears = {near: (labels == near) & sure for near in _many(labels[sure])}
        for own in _many(own_labels):
            mine = own_labels == own
            for near, mask in nears.items():
                blur = self._focusing.blur_px(near, own)
                if blur < _LEAST_BLUR_PX:
                    continue
                reach = math.ceil(blur / 2) + 1
                # Only where the blur of the one can lie over the other.
                rows, columns = (
                    slice(max(low, near_low - reach - offset), min(high, near_high + reach - offset))
                    for (low, high), (near_low, near_high), offset in zip(
                        _ends(mine), _ends(mask), (first, start), strict=True)
                )  # fmt: skip
                if rows.start >= rows.stop or columns.start >= columns.stop:
                    continue
                top, left = max(0, rows.start + first - reach), max(0, columns.start + start - reach)
                wider = (slice(top, rows.stop + first + reach), slice(left, columns.stop + start + reach))
                shown = mask[wider].astype(np.float32)
                spread = _spread(np.dstack([light[wider] * shown[..., None], shown]), blur)
                down, across = rows.start + first - top, columns.start + start - left
                part = spread[down : down + rows.stop - rows.start, across : across + columns.stop - columns.start]
                part = part * mine[rows, columns, None]
                veil[rows, columns] += part[..., 3]
                over[rows, columns] += part[..., :3]
        return np.minimum(veil, 1.0), over


def _many(labels: NDArray[np.int_]) -> list[int]:
    """The labels that are more than strays."""
    found: list[int] = np.flatnonzero(np.bincount(labels.ravel()) >= _FEWEST).tolist()
    return found


def _ends(mask: NDArray[np.bool_]) -> tuple[tuple[int, int], tuple[int, int]]:
    """First and behind the last row and column that hold any of a mask."""
    rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    return (int(rows[0]), int(rows[-1]) + 1), (int(columns[0]), int(columns[-1]) + 1)


def _spread(values: Map, blur_px: float) -> Map:
    """Convolved with an even disc; wide ones at a part of the size."""
    divide = 2 ** max(0, int(math.log2(blur_px / _WORKED_PX)))
    rows, columns = values.shape[:2]
    if divide > 1:
        size = (-(-columns // divide), -(-rows // divide))
        values = np.asarray(cv2.resize(values, size, interpolation=cv2.INTER_AREA), np.float32)
    kernel = disc(round(blur_px / divide, 2))
    found = np.asarray(cv2.filter2D(values, -1, kernel, borderType=cv2.BORDER_REFLECT_101), np.float32)
    if divide > 1:
        found = np.asarray(cv2.resize(found, (columns, rows), interpolation=cv2.INTER_LINEAR), np.float32)
    return found


@lru_cache(maxsize=512)
def disc(diameter: float) -> Map:
    """An even disc of a diameter in pixels, summing to 1, its rim by areas."""
    fine, half = 8, math.ceil(diameter / 2.0)
    side = (2 * half + 1) * fine
    at = (np.arange(side) + 0.5) / fine - side / (2.0 * fine)
    within = np.hypot(at[:, None], at[None]) <= diameter / 2.0
    found = within.reshape(2 * half + 1, fine, 2 * half + 1, fine).mean(axis=(1, 3)).astype(np.float32)
    return np.asarray(found / found.sum(), np.float32)
