"""Frames laid over one another by what they show as a whole, where they share no points.

Neighbours that are focused far from one another have no corner alike; what is coarser than their blur they have.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.join.found.features import Common, Grey8, show_the_same

Grey = NDArray[np.float32]
# Widths, in pixels, at which frames are laid over one another by whole pixels and then finely.
_WIDE, _FINE_WIDE = 240, 480
# As shares of the width: what is coarser is light and ground, what is finer may be out of focus in one of two.
_COARSE, _BLURRED = 1 / 16, 1 / 50
# What frames have in common must be so much of a frame to be looked at, and so much to be believed. Of 493 traced
# neighbours 262 were laid over one another, none wrongly, and of 3,846 pairs of other scenes none.
_LOOKED_AT, _BELIEVED = 0.1, 0.17
# A corner alone, shifted by more than this share both ways, is not believed.
_CORNER = 0.3
# So alike they must be there, and so much less unlike than at any other place further away than this.
_ALIKE, _CLEARER, _APART = 0.75, 0.5, 0.08
_FINELY_ALIKE = 0.9
# Two pairs that lay groups of frames on one another agree within so much of the width.
_AGREE = 0.05
# No camera is knocked by more than this share of a frame and still held to show the same.
_FAR_ASIDE = 0.12
# Of more frames each is held only against so many after it.
_ALL_PAIRS, _NEXT = 24, 12
# Points told of two, along columns and rows.
_POINTS = (12, 8)
_ROUNDS = (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 60, 1e-5)


def linked_by_look(
    greys: Sequence[Grey8], common: Sequence[Common], *, is_cancelled: Callable[[], bool]
) -> list[Common]:
    """Pairs that link frames which points in common leave apart, so far as their looks tell.

    Parameters
    ----------
    greys : sequence of ndarray
        The frames at the working size, all of one size.
    common : sequence of Common
        The pairs known by points.
    """
    groups = _Groups(len(greys))
    for pair in common:
        groups.put_together(pair)
    if groups.count < 2:
        return []
    # In order of the first of two: what only earlier pairs asked for is let go.
    looks: dict[int, _Look] = {}
    found = []
    for a, b in _pairs(len(greys)):
        if is_cancelled():
            return []
        if not groups.apart(a, b):
            continue
        looks = {k: look for k, look in looks.items() if k >= a}
        looks |= {k: _Look.of(greys[k]) for k in (a, b) if k not in looks}
        if (seen := looks[a].laid_on(looks[b])) is not None:
            found.append((*seen, a, b))
    linked: list[Common] = []
    waiting: list[Common] = []
    for _, shift, a, b in sorted(found, key=lambda one: -one[0]):
        if is_cancelled() or not groups.apart(a, b):
            continue
        laid = _finely(a, b, greys, shift)
        if laid is None or not show_the_same(laid, greys[a], greys[b]):
            continue
        # Where several frames hang together on either side one alone may be mistaken, two the same way are not.
        is_sure = groups.is_alone(a) or groups.is_alone(b)
        agreed = [] if is_sure else [pair for pair in waiting if groups.agree(laid, pair, greys[a].shape[1])]
        if is_sure or agreed:
            linked += [laid, *agreed[:1]]
            groups.put_together(laid)
        else:
            waiting.append(laid)
    return linked


class _Groups:
    """Frames that hang together, and how each lies on the first of its own."""

    def __init__(self, count: int) -> None:
        self._first = list(range(count))
        self._onto: list[Floats] = [np.eye(3) for _ in range(count)]

    @property
    def count(self) -> int:
        return len(set(self._first))

    def apart(self, a: int, b: int) -> bool:
        return self._first[a] != self._first[b]

    def is_alone(self, k: int) -> bool:
        return self._first.count(self._first[k]) == 1

    def put_together(self, pair: Common) -> None:
        if not self.apart(pair.a, pair.b):
            return
        onto = self._onto[pair.a] @ pair.matrix @ np.linalg.inv(self._onto[pair.b])
        new, old = self._first[pair.a], self._first[pair.b]
        for k in [k for k, first in enumerate(self._first) if first == old]:
            self._first[k], self._onto[k] = new, onto @ self._onto[k]

    def agree(self, pair: Common, other: Common, wide: int) -> bool:
        """Whether two pairs lay one group on another alike, at the middle of the one's second frame."""
        if {self._first[k] for k in (pair.a, pair.b)} != {self._first[k] for k in (other.a, other.b)}:
            return False
        between = self._onto[other.a] @ other.matrix @ np.linalg.inv(self._onto[other.b])
        if self._first[pair.a] != self._first[other.a]:
            between = np.linalg.inv(between)
        x, y, z = np.linalg.inv(self._onto[pair.a]) @ between @ self._onto[pair.b] @ np.array([0.0, 0.0, 1.0])
        own = pair.matrix[:2, 2] / pair.matrix[2, 2]
        return bool(z != 0.0 and math.hypot(x / z - own[0], y / z - own[1]) < _AGREE * wide)


def may_lie_aside(first: Grey8, second: Grey8) -> bool:
    """Whether two frames are more alike laid far aside than nearly on one another."""
    one, other = _Look.of(first), _Look.of(second)
    high, wide = one.size
    row, column = _highest(one.alike(other))
    return max(abs(row - high) / high, abs(column - wide) / wide) > _FAR_ASIDE


def _pairs(count: int) -> Iterator[tuple[int, int]]:
    furthest = count if count <= _ALL_PAIRS else _NEXT
    return ((a, b) for a, b in itertools.combinations(range(count), 2) if b - a <= furthest)


def _shown(grey: Grey8, wide: int) -> Grey:
    """What a frame shows in stops, neither coarse nor fine, so many pixels wide."""
    high = round(wide * grey.shape[0] / grey.shape[1])
    small = cv2.resize(grey, (wide, high), interpolation=cv2.INTER_AREA).astype(np.float32)
    told = np.log2(np.maximum(small, 2.0))
    told -= cv2.GaussianBlur(told, (0, 0), _COARSE * wide)
    return np.asarray(cv2.GaussianBlur(told, (0, 0), _BLURRED * wide), np.float32)


@dataclass(frozen=True)
class _Look:
    """A frame, and its variance over what it would have in common with another at every shift of that one.

    Attributes
    ----------
    size : tuple
        Rows and columns.
    waves : ndarray
        Its Fourier transform, on twice its size.
    sums, varied : ndarray
        Sum, and summed square from the mean, over the part that another frame covers that lies further right and down
        by so many columns and rows; both with the zero in the middle.
    """

    size: tuple[int, int]
    waves: NDArray[np.complex64]
    sums: Floats
    varied: Floats

    @classmethod
    def of(cls, grey: Grey8) -> _Look:
        shown = _shown(grey, _WIDE)
        double = (2 * shown.shape[0], 2 * shown.shape[1])
        waves = np.asarray(np.fft.rfft2(shown, double), np.complex64)
        cover = np.conj(np.fft.rfft2(np.ones_like(shown), double))
        sums, squares = (
            np.fft.fftshift(np.fft.irfft2(told * cover, double).astype(float))
            for told in (waves, np.fft.rfft2(shown**2, double))
        )
        count = np.maximum(_covered(shown.shape), 1.0)
        # Where nothing is shown nothing is alike.
        least = 1e-3 * count * float(shown.var()) + 1e-9
        return cls((shown.shape[0], shown.shape[1]), waves, sums, np.maximum(squares - sums**2 / count, least))

    def alike(self, other: _Look) -> Floats:
        """How alike the two are at every shift of the other, the zero in the middle; -1 where they meet but a little.

        Normalised correlation, each over what the two then have in common (Padfield 2012).
        """
        high, wide = self.size
        both = np.fft.fftshift(np.fft.irfft2(self.waves * np.conj(other.waves), (2 * high, 2 * wide)).astype(float))
        count = _covered(self.size)
        # The other sees itself covered from the other side.
        sums, varied = _mirrored(other.sums), _mirrored(other.varied)
        alike = (both - self.sums * sums / np.maximum(count, 1.0)) / np.sqrt(self.varied * varied)
        alike[count < _LOOKED_AT * high * wide] = -1.0
        return np.asarray(alike)

    def laid_on(self, other: _Look) -> tuple[float, tuple[int, int]] | None:
        """How alike the two are where the other lies so many columns and rows further; None where not told."""
        high, wide = self.size
        alike = self.alike(other)
        (row, column), reach = _highest(alike), round(_APART * wide)
        best = float(alike[row, column])
        shared = _covered(self.size)[row, column] / (high * wide)
        alike[max(0, row - reach) : row + reach + 1, max(0, column - reach) : column + reach + 1] = -1.0
        shift = (column - wide, row - high)
        is_corner = min(abs(shift[0]) / wide, abs(shift[1]) / high) > _CORNER
        clear = 1.0 - best <= _CLEARER * (1.0 - float(alike.max()))
        if best < _ALIKE or not clear or shared < _BELIEVED or is_corner:
            return None
        return best, shift


def _highest(told: Floats) -> tuple[int, int]:
    row, column = np.unravel_index(int(told.argmax()), told.shape)
    return int(row), int(column)


def _covered(size: tuple[int, ...]) -> Floats:
    """Pixels that two frames have in common at every shift, the zero in the middle."""
    rows, columns = (np.maximum(side - np.abs(np.arange(2 * side) - side), 0).astype(float) for side in size)
    return np.outer(rows, columns)


def _mirrored(told: Floats) -> Floats:
    """What is told of every shift, told of the opposite one."""
    return np.asarray(np.roll(told[::-1, ::-1], (1, 1), (0, 1)))


def _finely(a: int, b: int, greys: Sequence[Grey8], shift: tuple[int, int]) -> Common | None:
    """Two frames laid over one another as two pictures of one plane; None where they are not alike then."""
    one, other = (_shown(greys[k], _FINE_WIDE) for k in (a, b))
    high, wide = one.shape
    begin = np.eye(3, dtype=np.float32)
    begin[:2, 2] = np.multiply(shift, _FINE_WIDE / _WIDE)
    try:
        alike, found = cv2.findTransformECC(other, one, begin, cv2.MOTION_HOMOGRAPHY, _ROUNDS)
    except cv2.error:
        # It says so where it finds no way to go.
        return None
    onto = np.asarray(found, float)
    if alike < _FINELY_ALIKE or not math.isfinite(float(onto.sum())):
        return None
    x, y = np.meshgrid(np.linspace(0, wide - 1, _POINTS[0]), np.linspace(0, high - 1, _POINTS[1]))
    there = np.stack([x.ravel(), y.ravel()], axis=1)
    here = cv2.perspectiveTransform(there[:, None], onto)[:, 0]
    inside = np.all((here >= 0.0) & (here <= np.array([wide - 1.0, high - 1.0])), axis=1)
    if inside.sum() < len(there) * _BELIEVED / 2:
        return None
    larger, middle = greys[a].shape[1] / wide, np.array([(wide - 1) / 2.0, (high - 1) / 2.0])
    centred = np.array([[1.0, 0.0, -middle[0]], [0.0, 1.0, -middle[1]], [0.0, 0.0, 1.0 / larger]])
    matrix = centred @ onto @ np.linalg.inv(centred)
    return Common(a, b, (here[inside] - middle) * larger, (there[inside] - middle) * larger, matrix)
