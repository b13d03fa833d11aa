"""What moved while the shutter was open: places that one picture shows drawn out, and the others do not.

Detail along every direction is read off structure tensors (Bigün & Granlund 1987). What lost of it along one alone is
believed where an even motion makes it of what another picture shows, and no disc out of focus does.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import Cancelled
from verispect.optics.types import Floats
from verispect.prove.align.motion import at_level, eased
from verispect.prove.merge.unveil import disc

Grey = NDArray[np.float32]
Cells = NDArray[np.bool_]
# Pictures are looked at by cells of so many pixels and what lies about them, eased by so much before their slopes,
# and these against the level about.
_CELL, _ABOUT, _FINE, _LEVEL, _DARK = 6, 8.0, 1.0, 16.0, 0.005
# Added to slopes: what has none has lost none.
_FAINT = 2e-6
_DIRECTIONS = 12
# So much less along one direction, nepers of power, and less than across it by so much.
_LOST, _THAN_ACROSS = 0.35, 0.3
# Cells so near the end of what is shown tell nothing; nor what is clipped: lights stay as wide as they were.
_RIM, _CLIPPED, _SOME = 3, 0.95, 0.02
# So many cells lost, before two others and before one; so many places are looked at more closely.
_CELLS, _CELLS_BEFORE_ONE, _PLACES = 40, 60, 3
# A motion leaves so little of what a disc leaves unexplained, and the disc at least so much of all, for along an edge
# the two are the same. Of 230 path-traced sets without a gust places before two others came to 0.40 of both, where
# the motion too left a third of all, and to 0.57; with one to 0.02 and 0.33. Before one other picture sets without
# came to 0.13, with a disc that left too little or of too few cells, and with one to 0.01 to 0.20.
_BEFORE_TWO, _BEFORE_ONE, _LARGE_BEFORE_ONE = (0.45, 0.01), (0.11, 0.06), (0.2, 0.12)
# Before one other, longer and shorter ones are sure of nothing: far out of focus a line may look like a wide disc,
# and from frame to frame of a coarse rail near things grow by some pixels.
_LARGE, _MOTION_LEAVES, _LENGTHS_BEFORE_ONE = 180, 0.1, (6.0, 20.0)
# Looked at more closely: so many pixels about a place, and as many more as a motion may reach; of these bands.
_HALF, _REACH, _BAND = 28, 24, (1.5, 5.0)
_LENGTHS, _ASIDE = (4.5, 6.5, 9.5, 13.5, 19.0), (-22.5, -15.0, -7.5, 0.0, 7.5, 15.0, 22.5)
_FINER, _FINER_ASIDE, _BEGINS = (0.85, 0.92, 1.0, 1.09, 1.18), (-3.75, 0.0, 3.75), (-0.5, 0.0, 0.5)
_DISCS = (0.0, 2.0, 3.0, 4.0, 6.0, 8.0, 11.0, 14.0, 18.0, 24.0, 32.0, 44.0)
_STEPS = 60
# Lines have so many times the slopes across them, and lie across within 15°.
_LINES, _ACROSS = 3.0, 0.96
# So much brighter what is seen may be; pixels times nepers that must be looked at.
_MOST_GAIN, _LEAST_WEIGHT = 1.5, 100.0


@dataclass(frozen=True)
class Gust:
    """What moved while the shutter was open: where, how far and along which direction.

    Attributes
    ----------
    row, column, length_px : float
        In pixels of the picture.
    direction_deg : float
        0 to 180, clockwise from left to right.
    cells : int
        How much of the picture it was.
    across_lines : bool
        Whether what another picture shows there are mostly lines across it, which a disc draws out as well.
    """

    row: float
    column: float
    length_px: float
    direction_deg: float
    cells: int
    across_lines: bool = False


class Seen(NamedTuple):
    """A picture in linear light, and of its cells the slopes: shape (rows, columns, 4).

    These are right by right, right by down and down by down, and the share of pixels that are clipped.
    """

    picture: Grey
    slopes: Grey


def seen_of(picture: Grey) -> Seen:
    """What of a picture is held against others."""
    even = cv2.GaussianBlur(picture, (0, 0), _FINE) / (eased(picture, _LEVEL) + np.float32(_DARK))
    right, down = (cv2.Sobel(even, cv2.CV_32F, *way, ksize=3, scale=0.125) for way in ((1, 0), (0, 1)))
    clipped = (picture > _CLIPPED).astype(np.float32)
    parts = [_in_cells(part) for part in (right * right, right * down, down * down, clipped)]
    return Seen(picture, np.asarray(cv2.GaussianBlur(np.dstack(parts), (0, 0), _ABOUT / _CELL), np.float32))


def gusts_in(
    pictures: Sequence[Grey | None],
    chained: Sequence[Floats],
    is_cancelled: Callable[[], bool] = lambda: False,
    *,
    by_both: bool = False,
) -> dict[int, Gust]:
    """What moved while frames of a series were taken, in the order of their focus; by those beside each.

    Parameters
    ----------
    pictures : sequence of ndarray or None
        Linear light; None for frames that neither tell nor are told of.
    chained : sequence of ndarray, shape (3, 3)
        What lays each over one and the same frame.
    by_both : bool
        Whether only those are told that lie between two others.

    Raises
    ------
    Cancelled
    """
    looked = {n: seen_of(picture) for n, picture in enumerate(pictures) if picture is not None}
    found = {}
    for n, own in looked.items():
        if is_cancelled():
            raise Cancelled
        back = np.linalg.inv(chained[n])
        beside = [(looked[m], np.asarray(back @ chained[m], float)) for m in (n - 1, n + 1) if m in looked]
        gust = gust_in(own, beside) if len(beside) >= (2 if by_both else 1) else None
        if gust is not None:
            found[n] = gust
    return found


def gust_in(own: Seen, others: Sequence[tuple[Seen, Floats]], shown: Cells | None = None) -> Gust | None:
    """What a picture shows drawn out that one or two others do not, where most of it is; None for nothing.

    Parameters
    ----------
    own : Seen
    others : sequence of (Seen, ndarray of shape (3, 3))
        Pictures of the same places, and what lays each over it.
    shown : ndarray of bool, optional
        The pixels that count; all of them.

    Notes
    -----
    A whole frame that lost along a direction was shaken; what it has lost everywhere is taken off here.
    """
    alone = len(others) == 1
    told = []
    for most, way in _drawn_out(own, others, shown, _CELLS_BEFORE_ONE if alone else _CELLS):
        cells = int(np.count_nonzero(most))
        fits = []
        for other, onto in others:
            fit = _Fit.of(own.picture, other.picture, onto, most, way, alone=alone)
            if fit is None or not fit.tells_of_motion(cells, alone=alone):
                break
            fits.append(fit)
        if len(fits) < len(others):
            continue
        best = min(fits, key=lambda fit: fit.share)
        row, column = _place(most)
        way = best.direction_deg % 180.0
        lines = all(_lines_across(other, onto, (row, column), way) for other, onto in others)
        told.append(Gust(row, column, best.length_px, way, cells, lines))
    return max(told, key=lambda gust: gust.cells, default=None)


def _lines_across(other: Seen, onto: Floats, place: tuple[float, float], direction_deg: float) -> bool:
    """Whether a picture shows mostly lines across a direction at a place (row, column) of the one it is laid over."""
    column, row, depth = np.linalg.inv(onto) @ (place[1], place[0], 1.0)
    at = (int(part / depth) // _CELL for part in (row, column))
    right, both, down, _ = other.slopes[
        tuple(min(max(k, 0), n - 1) for k, n in zip(at, other.slopes.shape, strict=False))
    ]
    (least, most), ways = np.linalg.eigh(np.array([[right, both], [both, down]], float))
    aside = math.radians(direction_deg) - math.atan2(ways[1, 1], ways[0, 1])
    return bool(most > _LINES * least and abs(math.cos(aside)) > _ACROSS)


def _drawn_out(
    own: Seen, others: Sequence[tuple[Seen, Floats]], shown: Cells | None, least: int
) -> list[tuple[Grey, float]]:
    """Places of at least so many cells that lost along one direction: how much each cell, and which way."""
    along, (rows, columns) = _along(own.slopes), own.slopes.shape[:2]
    whole = own.slopes[..., 3] < _SOME
    if shown is not None:
        whole &= _in_cells(shown.astype(np.float32)) > 0.999
    lost = np.full(along.shape, np.inf, np.float32)
    for other, onto in others:
        matrix, size = at_level(onto, _CELL), (columns, rows)
        laid = cv2.warpPerspective(other.slopes, matrix, size, flags=cv2.INTER_LINEAR)
        there = cv2.warpPerspective(np.ones(other.slopes.shape[:2], np.float32), matrix, size)
        whole &= (there > 0.999) & (laid[..., 3] < _SOME)
        lost = np.minimum(lost, np.log(_along(np.asarray(laid, np.float32)) / along))
    whole = np.pad(whole[1:-1, 1:-1], 1)
    whole = cv2.erode(whole.astype(np.uint8), np.ones((2 * _RIM - 1, 2 * _RIM - 1), np.uint8)) > 0
    if not whole.any():
        return []
    lost -= np.maximum(np.median(lost[:, whole], axis=1), 0.0)[:, None, None]
    most, way = lost.max(axis=0), lost.argmax(axis=0)
    across = np.take_along_axis(lost, ((way + _DIRECTIONS // 2) % _DIRECTIONS)[None], axis=0)[0]
    hit = whole & (most > _LOST) & (most - across > _THAN_ACROSS)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(hit.astype(np.uint8), connectivity=8)
    areas = stats[:, cv2.CC_STAT_AREA].copy()
    areas[0] = 0
    found = []
    for number in np.argsort(-areas)[:_PLACES]:
        if areas[number] >= least:
            part = labels == number
            ways = np.bincount(way[part], weights=most[part], minlength=_DIRECTIONS)
            found.append((np.where(part, most, np.float32(0.0)), float(ways.argmax()) * 180.0 / _DIRECTIONS))
    return found


def _in_cells(values: Grey) -> Grey:
    """Means of cells."""
    rows, columns = (side // _CELL for side in values.shape)
    whole = np.ascontiguousarray(values[: rows * _CELL, : columns * _CELL])
    return np.asarray(cv2.resize(whole, (columns, rows), interpolation=cv2.INTER_AREA), np.float32)


def _along(slopes: Grey) -> Grey:
    """Power of slopes along every direction, shape (directions, rows, columns)."""
    angles = np.arange(_DIRECTIONS) * math.pi / _DIRECTIONS
    by = np.column_stack([np.cos(angles) ** 2, np.sin(2.0 * angles), np.sin(angles) ** 2]).astype(np.float32)
    return np.asarray(np.einsum("dk,rck->drc", by, slopes[..., :3]) + np.float32(_FAINT), np.float32)


def _place(most: Grey) -> tuple[float, float]:
    """The pixel (row, column) about which most was lost."""
    row, column = np.unravel_index(int(cv2.GaussianBlur(most, (0, 0), 2.0).argmax()), most.shape)
    return _CELL * (float(row) + 0.5) - 0.5, _CELL * (float(column) + 0.5) - 0.5


@dataclass(frozen=True)
class _Fit:
    """How well a motion and how well a disc makes what one picture shows of what another does.

    Attributes
    ----------
    share : float
        What the best motion leaves unexplained, of what the best disc leaves.
    disc_leaves : float
        What the best disc leaves of all.
    length_px, direction_deg : float
        The best motion.
    """

    share: float
    disc_leaves: float
    length_px: float
    direction_deg: float

    def tells_of_motion(self, cells: int, *, alone: bool) -> bool:
        """Whether it was a motion of so many cells; `alone` where no other picture tells."""
        ways = (_BEFORE_ONE, *((_LARGE_BEFORE_ONE,) if cells >= _LARGE else ())) if alone else (_BEFORE_TWO,)
        explained = self.share * self.disc_leaves <= _MOTION_LEAVES
        shortest, longest = _LENGTHS_BEFORE_ONE
        if alone and not shortest <= self.length_px <= longest:
            return False
        return explained and any(self.share <= left and self.disc_leaves >= leaves for left, leaves in ways)

    @staticmethod
    def of(own: Grey, other: Grey, onto: Floats, most: Grey, way_deg: float, *, alone: bool) -> _Fit | None:
        """About where most was lost, each pixel counting by how much; None where too little tells."""
        row, column = _place(most)
        half = _HALF + _REACH
        here = np.array([[1.0, 0.0, half - 0.5 - column], [0.0, 1.0, half - 0.5 - row], [0.0, 0.0, 1.0]])
        inner = np.s_[_REACH:-_REACH, _REACH:-_REACH]
        cells = here @ np.array([[_CELL, 0.0, 0.5 * _CELL - 0.5], [0.0, _CELL, 0.5 * _CELL - 0.5], [0.0, 0.0, 1.0]])
        weights = np.asarray(cv2.warpPerspective(most, cells, (2 * half, 2 * half))[inner], float)
        total = float(weights.sum())
        if total < _LEAST_WEIGHT:
            return None

        def banded(picture: Grey, matrix: Floats) -> Grey:
            laid = cv2.warpPerspective(picture, matrix, (2 * half, 2 * half), borderMode=cv2.BORDER_REFLECT_101)
            fine, slow = (cv2.GaussianBlur(laid, (0, 0), sigma) for sigma in _BAND)
            return np.asarray(fine - slow, np.float32)

        def centred(values: Grey) -> Floats:
            cut = np.asarray(values, float)
            return cut - float((weights * cut).sum()) / total

        wanted, made_of = centred(banded(own, here)[inner]), banded(other, here @ onto)

        def left_by(kernel: Grey) -> float:
            # No more of the picture than the kernel takes.
            reach = kernel.shape[0] // 2
            part = slice(_REACH - reach, len(made_of) - _REACH + reach)
            made = cv2.filter2D(np.ascontiguousarray(made_of[part, part]), -1, kernel)
            made = centred(np.asarray(made[reach : len(made) - reach, reach : len(made) - reach], np.float32))
            gain = float((weights * wanted * made).sum() / max(float((weights * made * made).sum()), 1e-12))
            return float((weights * (wanted - min(max(gain, 0.0), _MOST_GAIN) * made) ** 2).sum())

        def left_by_line(length: float, direction: float, begin: float) -> tuple[float, float, float]:
            return left_by(_line(length, direction, begin)), length, direction

        by_disc = min(left_by(disc(diameter) if diameter else np.ones((1, 1), np.float32)) for diameter in _DISCS)
        whole = max(float((weights * wanted**2).sum()), 1e-12)
        if by_disc < (_BEFORE_ONE if alone else _BEFORE_TWO)[1] * whole:
            return None
        # It may have come from one side, or gone to it, rather than about where the other picture has it.
        _, length, direction = min(
            left_by_line(length, way_deg + aside, begin)
            for length, aside, begin in itertools.product(_LENGTHS, _ASIDE, _BEGINS)
        )
        by_line, length, direction = min(
            left_by_line(length * times, direction + aside, begin)
            for times, aside, begin in itertools.product(_FINER, _FINER_ASIDE, _BEGINS)
        )
        return _Fit(by_line / max(by_disc, 1e-12), by_disc / whole, length, direction)


@lru_cache(maxsize=4096)
def _line(length: float, direction_deg: float, begin: float) -> Grey:
    """The even motion over so many pixels, about a place or beside it by that share of its length."""
    along = length * ((np.arange(_STEPS) + 0.5) / _STEPS - 0.5 + begin)
    # Laid down turned round: to filter is to correlate.
    x, y = (-along * part for part in (math.cos(math.radians(direction_deg)), math.sin(math.radians(direction_deg))))
    reach = math.ceil(float(np.abs(along).max())) + 1
    kernel = np.zeros((2 * reach + 1, 2 * reach + 1), np.float32)
    column, row = np.floor(x).astype(int), np.floor(y).astype(int)
    for right, down in itertools.product((0, 1), (0, 1)):
        share = np.abs(1 - right - (x - column)) * np.abs(1 - down - (y - row))
        np.add.at(kernel, (reach + row + down, reach + column + right), share.astype(np.float32))
    return kernel / np.float32(kernel.sum())
