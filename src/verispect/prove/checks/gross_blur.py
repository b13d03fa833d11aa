"""By what a frame is blurred that shows hardly any of the detail its neighbours do: a long motion, or a wide disc.

Told by the powers of what both show, whole frequencies at once: a motion takes sinc²(f L cos(θ − φ)), a disc
(2 J₁(π f d) / (π f d))². Small shakes and small errors of focus are told elsewhere, tile by tile.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats

Grey = NDArray[np.float32]
# A frame shows hardly any of another's detail where it has less than so much of its power, and of the other one
# beside it less than so much. So many places of a series' frame show less than that of both, of those that show at
# least so much of what is usual.
_OF_DETAIL, _OF_ONE, _PLACES, _TELLS = 0.25, 0.5, 0.25, 0.1
# A place of a frame that is in focus there alone shows so many times as much as the others do.
_SHARPER = 2.0
# The second differences of second differences, which hardly anything but noise has; noise is that of so many of the
# emptiest places, and less detail than such a part of it is none.
_SECOND = np.asarray([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
_EMPTIEST, _PLAIN = 0.2, 0.2
# Sides of tiles, the widest that fit; of the picture's frequencies, cycles a pixel, the rings from and to, and how
# many, and how many directions.
_TILES, _FROM, _TO, _RINGS, _WAYS = (256, 128), 0.01, 0.3, 10, 18
# Noise is that of the finest; a bin tells where the sharp frame has so many times as much, and so many must.
_FINEST, _ABOVE, _TOLD = 0.47, 5.0, 0.3
# Lengths and diameters tried, pixels, and how many each; directions of a motion, degrees.
_LEAST_PX, _MOST_PX, _SIZES, _EVERY_DEG = 8.0, 120.0, 24, 10
# Shorter ones than this are as like as not another focus and what the scene shows most of.
_SURE_PX = 12.0
# What a blur leaves unexplained, nepers a bin, and how much less than the other kind or none; and that of a motion no
# longer than so many pixels. Planted motions left 0.10 to 0.25 and 0.13 to 0.54; of a good frame of posts one of 11
# to 13 pixels left 0.45 and 0.65.
_EXPLAINS, _BETTER, _SHORT_BETTER, _SHORT_PX = 0.6, 0.8, 0.62, 16.0
# No bin is known better or worse than to so much.
_LEAST_LOG = -7.0


@dataclass(frozen=True)
class Blur:
    """A motion of `size_px` along a direction, degrees clockwise from the horizontal; None where it is a disc."""

    size_px: float
    direction_deg: float | None


def detail(picture: Grey, where: NDArray[np.bool_] | None = None) -> float:
    """The power of a part's fine detail above its noise, against its light."""
    fine, light, noise = _fine(picture), picture, _noise(picture)
    if where is not None:
        fine, light = fine[where], light[where]
    if not fine.size:
        return 0.0
    return max(float(np.mean(fine * fine)) - noise, _PLAIN * noise) / max(float(light.mean()) ** 2, 1e-12)


def lacks_detail(own: float, others: float) -> bool:
    """Whether one frame shows far less of what two share than the other."""
    return own < _OF_DETAIL * others


def lacks_beside(own: float, others: Sequence[float]) -> bool:
    """Whether a frame of a series, by its detail as a whole, may be blurred by far beside two others."""
    return own < _OF_ONE * min(others) and lacks_detail(own, max(others))


def lacks_at_places(own: Grey, others: Sequence[Grey]) -> bool:
    """Whether many places of a frame of a series show far less than each of those beside it in focus does.

    What is nearer or farther than a frame was focused is sharper in one of those beside it, and less sharp in the
    other. Where nothing stands at a good frame's focus up to nine in ten of its places alone lack so, but then the
    whole frame shows as much as the others.
    """
    power = [_by_place(picture) for picture in (own, *others)]
    least = np.min(power[1:], axis=0)
    tells = least >= _TELLS * np.median(least)
    return bool(tells.any() and np.mean(power[0][tells] < _OF_ONE * least[tells]) >= _PLACES)


def sharper_anywhere(own: Grey, *others: Grey) -> bool:
    """Whether any place of a frame shows more than each of the others does, as where it alone is in focus."""
    power = [_by_place(picture) for picture in (own, *others)]
    most = np.max(power[1:], axis=0)
    return bool(np.any((power[0] > _SHARPER * most) & (most >= _TELLS * np.median(most))))


def blurred_by(soft: Grey, sharp: Grey) -> Blur | None:
    """What blurs one picture against another of the same, a few pixels aside; None where neither kind explains it."""
    size = next((side for side in _TILES if min(soft.shape) >= side), None)
    if size is None:
        return None
    rule = _rule(size)
    (lost, noise_lost), (kept, noise_kept) = (_powers(picture, rule) for picture in (soft, sharp))
    content = np.maximum(kept - noise_kept, 0.0)
    tells = rule.summed(content) > _ABOVE * noise_kept * rule.counts
    if tells.mean() < _TOLD:
        return None
    found, floor = rule.summed(lost)[tells], (noise_lost * rule.counts)[tells]

    def misfit(taken: Floats) -> float:
        logs = np.log(found / (rule.summed(content * taken)[tells] + floor))
        # How bright both are is known, but not to the last.
        return float(np.mean(np.abs(logs - np.clip(np.median(logs), -0.3, 0.3))))

    discs, lines = _tried(size)
    disc = min((misfit(left), px) for px, left in discs)
    line = min((misfit(left), px, way) for px, way, left in lines)
    line = min(
        (misfit(rule.motion(line[1] * times, line[2] + aside)), line[1] * times, line[2] + aside)
        for times in (0.86, 0.93, 1.0, 1.07, 1.15)
        for aside in (-6.0, -3.0, 0.0, 3.0, 6.0)
    )
    least, other = min(disc[0], line[0]), min(max(disc[0], line[0]), misfit(np.ones_like(content)))
    blur = Blur(disc[1], None) if disc[0] < line[0] else Blur(line[1], line[2] % 180.0)
    better = _SHORT_BETTER if blur.direction_deg is not None and blur.size_px < _SHORT_PX else _BETTER
    return blur if least <= min(_EXPLAINS, better * other) and blur.size_px >= _SURE_PX else None


def agreed(told: Sequence[Blur], least: int) -> Blur | None:
    """What most of several neighbours tell, and so many at the least."""

    def alike(one: Blur, other: Blur) -> bool:
        if (one.direction_deg is None) != (other.direction_deg is None):
            return False
        apart = math.radians((one.direction_deg or 0.0) - (other.direction_deg or 0.0))
        return math.cos(2.0 * apart) > 0.8 and abs(math.log(one.size_px / other.size_px)) < 0.5

    if not told:
        return None
    best = max(told, key=lambda one: sum(alike(one, other) for other in told))
    near = [one for one in told if alike(best, one)]
    if len(near) < least or 2 * len(near) <= len(told):
        return None
    size = math.exp(float(np.mean([math.log(one.size_px) for one in near])))
    return Blur(size, best.direction_deg)


def _fine(picture: Grey) -> Grey:
    return np.asarray(cv2.Laplacian(cv2.GaussianBlur(picture, (0, 0), 1.0), cv2.CV_32F), np.float32)


def _noise(picture: Grey) -> float:
    """What noise makes of the power of fine detail: as the emptiest places have it (Immerkær 1996)."""
    finest = cv2.filter2D(picture, cv2.CV_32F, _SECOND)
    by_place = cv2.resize(finest * finest, (24, 16), interpolation=cv2.INTER_AREA)
    return float(np.quantile(by_place, _EMPTIEST)) / float((_SECOND**2).sum()) * _passes()


@cache
def _passes() -> float:
    """How much of the power of white noise is left in fine detail."""
    dot = np.zeros((31, 31), np.float32)
    dot[15, 15] = 1.0
    return float((_fine(dot) ** 2).sum())


def _by_place(picture: Grey) -> Floats:
    """Power of fine detail above its noise, against light, at a few places, as an array of rows and columns."""
    fine = _fine(picture)
    power, light = (
        cv2.resize(np.asarray(part, np.float32), (12, 8), interpolation=cv2.INTER_AREA)
        for part in (fine * fine, picture)
    )
    noise = _noise(picture)
    return np.asarray(np.maximum(power - noise, _PLAIN * noise) / np.maximum(light**2, 1e-12), float)


def _powers(picture: Grey, rule: _Rule) -> tuple[Floats, float]:
    """Mean powers of its tiles, half over one another, where they count, and of noise; for a mean light of 1."""
    size, (rows, columns) = rule.size, picture.shape
    tops, lefts = (sorted({*range(0, side - size + 1, size // 2), side - size}) for side in (rows, columns))
    total = np.zeros((size, size // 2 + 1))
    for top in tops:
        for left in lefts:
            tile = picture[top : top + size, left : left + size]
            total += np.abs(np.fft.rfft2((tile - tile.mean()) * rule.window)) ** 2
    total /= len(tops) * len(lefts) * max(float(picture.mean()) ** 2, 1e-12)
    return total[rule.inside], float(total[rule.outer].mean())


class _Rule(NamedTuple):
    """Of a tile's side: its window, where frequencies count and where the finest are; of those that count, cycles a
    pixel across and down and which bin of rings and directions each is in; and how many are in each.
    """

    size: int
    window: Floats
    across: Floats
    down: Floats
    outer: NDArray[np.bool_]
    bins: NDArray[np.intp]
    inside: NDArray[np.bool_]
    counts: Floats

    def summed(self, power: Floats) -> Floats:
        """Powers in bins."""
        found = np.bincount(self.bins, weights=power, minlength=_RINGS * _WAYS)
        summed: Floats = np.maximum(np.asarray(found, float), math.exp(_LEAST_LOG) * 1e-9)
        return summed

    def motion(self, length_px: float, direction_deg: float) -> Floats:
        """What an even motion leaves of every frequency's power."""
        way = math.radians(direction_deg)
        found: Floats = np.sinc(length_px * (self.across * math.cos(way) + self.down * math.sin(way))) ** 2
        return found

    def disc(self, diameter_px: float) -> Floats:
        """What a disc leaves."""
        from scipy.special import j1  # slow to import, and rarely needed

        at = np.maximum(math.pi * diameter_px * np.hypot(self.across, self.down), 1e-9)
        found: Floats = (2.0 * j1(at) / at) ** 2
        return found


@cache
def _tried(size: int) -> tuple[list[tuple[float, Floats]], list[tuple[float, float, Floats]]]:
    """The blurs that are tried first in tiles of a side: discs by diameter, motions by length and direction.

    Some 18 MB of the larger tiles, worked out once.
    """
    rule, sizes = _rule(size), np.geomspace(_LEAST_PX, min(_MOST_PX, 0.5 * size), _SIZES).tolist()
    ways = np.arange(0.0, 180.0, _EVERY_DEG).tolist()
    lines = [(px, way, rule.motion(px, way)) for px in sizes[::2] for way in ways]
    return [(px, rule.disc(px)) for px in sizes], lines


@cache
def _rule(size: int) -> _Rule:
    down, across = np.meshgrid(np.fft.fftfreq(size), np.fft.rfftfreq(size), indexing="ij")
    radius = np.hypot(across, down)
    ring = np.searchsorted(np.geomspace(_FROM, _TO, _RINGS + 1), radius) - 1
    way = np.asarray(np.floor((np.degrees(np.arctan2(down, across)) % 180.0) / (180.0 / _WAYS)), int) % _WAYS
    inside = np.asarray((ring >= 0) & (ring < _RINGS), bool)
    bins = (ring * _WAYS + way)[inside]
    counts = np.maximum(np.bincount(bins, minlength=_RINGS * _WAYS), 1).astype(float)
    window = np.hanning(size)[:, None] * np.hanning(size)[None]
    return _Rule(size, window, across[inside], down[inside], np.asarray(radius > _FINEST, bool), bins, inside, counts)
