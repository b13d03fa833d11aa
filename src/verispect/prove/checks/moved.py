"""What moved between frames of one view: places where two frames agree and a third shows the same thing aside.

Each block by phase correlation (Kuglin & Hines 1975): blur out of focus leaves its peak where it is.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.align.motion import alike, at_level, eased, halvings

Grey = NDArray[np.float32]
_SIDE, _STEP = 48, 24
# Pictures are made smaller until they have at most so many pixels.
_ENOUGH = 450_000
# Nearer than this nothing has moved; farther a block no longer holds it both times, pixels.
_LEAST, _MOST = 2.0, 24.0
# Two frames agree where their blocks lie so near; a peak counts from so much of all on.
_AGREE, _PEAK = 0.8, 0.12
# What moves fills two blocks at least, which lie half over one another, and moves them alike.
_ALIKE = 1.5
_FINE, _SLOW = 1.5, 16.0
# A block must be held along its worst direction so well against its best.
_HOLDS = 0.25
# Spread of a block against its light below which it shows next to nothing: skies as JPEG keeps them up to 0.008, what
# truly moved 0.02 and more.
_FAINT = 0.012
# A block is found aside where it looks so much like it, and by so much more than at its own place; a third frame
# sides with that of two which it is so much more like.
_LIKE, _CLEARLY = 0.5, 0.2
# A frame is held against two about it.
_AT_HAND = 4
# What stands aside differs so many times as much from either other as these do from one another.
_DIFFERS = 1.5
# Rounds until a block's shift settles within so many pixels, and of how much contrast the other must show.
_ROUNDS, _SETTLED, _LEAST_GAIN = 12, 0.01, 0.1
# So many blocks must agree for one that does not.
_MOSTLY = 2
# What stands aside by less than this share of the disc that a far focus makes of it need not have moved. Four fifths
# of it were seen in one good rehearsed frame.
OF_BLUR = 0.9
# By a disc of so many pixels edges become less steep e times: in pairs of path-traced frames of which the plan tells
# it, up to 20 pixels.
_DISC_PX = 25.0


@dataclass(frozen=True)
class Moved:
    """A thing that stands elsewhere in one frame: where in the working picture (row, column), and how far, pixels.

    `sure` where a third frame shows it as far from there, and not merely sides with the other.
    """

    row: float
    column: float
    shift: float
    sure: bool = True


@dataclass(frozen=True)
class Aside:
    """A block that one frame shows elsewhere than the two next to it do.

    Attributes
    ----------
    row, column, side : float
        Where it begins and how large it is, in pixels of frame `of`.
    shift : ndarray, shape (2,)
        How far right and down the odd frame has it.
    sure : bool
        Whether a third frame shows it as far from there, and does not merely side with the other.
    """

    of: int
    row: float
    column: float
    side: float
    shift: Floats
    sure: bool = True


def moved_in(frames: Sequence[Grey], steps: Sequence[Floats]) -> list[Moved | None]:
    """Of every frame what stands elsewhere in it than in the two next to it, the surest place; None for nothing.

    The first is held against the two after it, the last against the two before.

    Parameters
    ----------
    frames : sequence of ndarray
        Linear light, of one size.
    steps : sequence of ndarray, shape (3, 3)
        From every frame to the one before it; the first is not looked at.
    """
    return [
        None if not told else Moved(told[0].row + 0.5 * told[0].side, told[0].column + 0.5 * told[0].side,
                                    float(np.hypot(*told[0].shift)), told[0].sure)
        for told in asides_in(frames, steps)
    ]  # fmt: skip


def asides_in(frames: Sequence[Grey], steps: Sequence[Floats]) -> list[list[Aside]]:
    """The same with every block of what moved alike, the surest first.

    Looked for in small pictures; what fills no two blocks of these, in pictures twice as large.
    """
    if len(frames) < 3:
        return [[] for _ in frames]
    rows, columns = frames[0].shape
    divide = halvings((columns, rows), _ENOUGH)
    found = _Asides(frames, steps, divide).found
    known = [bool(one) and one[0].sure for one in found]
    if divide > 1 and not all(known):
        finer = _Asides(frames, steps, divide // 2, without=known).found
        found = [fine if fine and fine[0].sure else one or fine for one, fine in zip(found, finer, strict=True)]
    return found


class _Asides:
    """What stands aside in frames that are looked at so many times smaller.

    Attributes
    ----------
    found : list of list of Aside
        Of every frame; of those told `without`, nothing.
    """

    def __init__(
        self, frames: Sequence[Grey], steps: Sequence[Floats], divide: int, without: Sequence[bool] | None = None
    ) -> None:
        rows, columns = frames[0].shape
        size = (columns // divide, rows // divide)

        # Those at hand alone: of a hundred frames the larger pictures take as much memory as all else.
        @lru_cache(maxsize=_AT_HAND)
        def banded(k: int) -> Grey:
            small = frames[k] if divide == 1 else cv2.resize(frames[k], size, interpolation=cv2.INTER_AREA)
            return _banded(np.asarray(small, np.float32))

        self._banded = banded
        self._chained = [np.eye(3)]
        for step in steps[1:]:
            self._chained.append(self._chained[-1] @ at_level(step, divide))
        self._telling: dict[int, NDArray[np.bool_]] = {}
        # Of the larger pictures only blocks that differ from both others are looked at, most are the same in all.
        self._screened = without is not None
        self.found: list[list[Aside]] = []
        for k in range(len(frames)):
            if without is not None and without[k]:
                self.found.append([])
                continue
            of, told, sure = self._of(k)
            self.found.append(
                [Aside(of, divide * row, divide * column, divide * _SIDE, divide * way, sure)
                 for row, column, way in told]
            )  # fmt: skip

    def _of(self, k: int) -> tuple[int, list[tuple[int, int, Floats]], bool]:
        """The frame that one was held against, its blocks that stand aside, and whether these are sure."""
        last = len(self._chained) - 1
        first, second = (1, 2) if k == 0 else (last - 1, last - 2) if k == last else (k - 1, k + 1)
        base, back = self._banded(first), np.linalg.inv(self._chained[first])
        laid = _laid(self._banded(k), np.asarray(back @ self._chained[k], float), base)
        way = np.asarray(back @ self._chained[second], float)
        judge: Grey | None = None
        if first not in self._telling:
            self._telling[first] = _telling(base)
        wanted = self._telling[first] & _telling(laid)
        if self._screened and wanted.any():
            judge = _laid(self._banded(second), way, base)
            wanted &= _differ(laid, base, judge)
        told: list[tuple[int, int, Floats]] = []
        unsure: list[tuple[int, int, Floats]] = []
        for row, column in _places(base.shape, wanted):
            aside, peak = _shift(base, laid, row, column)
            away = float(np.hypot(*aside))
            if not _LEAST <= away <= _MOST or peak < _PEAK:
                continue
            # In larger pictures what is out of focus shows nothing fine that would hold a block.
            if self._screened and not _is_there(base, laid, row, column, aside):
                continue
            judge = _laid(self._banded(second), way, base) if judge is None else judge
            (own, sure), (other, _) = (_shift(one, judge, row, column) for one in (base, laid))
            if np.hypot(*own) < _AGREE and sure > _PEAK:
                if np.hypot(*other) > 0.6 * away:
                    told.append((row, column, aside))
                elif _sides_with(judge, base, laid, row, column, aside):
                    unsure.append((row, column, aside))
        surely = _alike(told)
        return first, surely or _alike([*told, *unsure]), bool(surely)


def _differ(odd: Grey, base: Grey, judge: Grey) -> NDArray[np.bool_]:
    """In which blocks (down, across) one picture differs from two others by more than these from one another."""

    def apart(one: Grey, other: Grey) -> Floats:
        squared = cv2.boxFilter((one - other) ** 2, cv2.CV_32F, (_SIDE, _SIDE))
        # The value of a box lies in its middle.
        begin = _STEP // 2 + _SIDE // 2
        rows, columns = (side - _SIDE - 2 * (_STEP // 2) + 1 for side in squared.shape)
        return np.asarray(squared[begin : begin + rows : _STEP, begin : begin + columns : _STEP], float)

    usual = apart(base, judge)
    found: NDArray[np.bool_] = np.minimum(apart(odd, base), apart(odd, judge)) > _DIFFERS * usual
    return found


def _alike(told: Sequence[tuple[int, int, Floats]]) -> list[tuple[int, int, Floats]]:
    """Blocks that move as others beside them do, the one with most of these first."""
    with_it = [
        sum(
            0 < max(abs(row - r), abs(column - c)) <= _STEP and float(np.hypot(*(shift - s))) < _ALIKE
            for r, c, s in told
        )
        for row, column, shift in told
    ]
    order = sorted(range(len(told)), key=lambda n: -with_it[n])
    return [told[n] for n in order if with_it[n]]


def _surest(told: Sequence[tuple[int, int, Floats]], divide: int) -> Moved | None:
    """The block with most of its neighbours on its side; none where it stands alone."""
    for row, column, shift in _alike(told)[:1]:
        return Moved(*_middle(row, column, divide), divide * float(np.hypot(*shift)))
    return None


def _middle(row: int, column: int, divide: int) -> tuple[float, float]:
    """The middle of a block in the picture before it was made smaller."""
    return divide * (row + 0.5 * _SIDE), divide * (column + 0.5 * _SIDE)


@dataclass(frozen=True)
class Between:
    """Two pictures of the same places, held against one another.

    Attributes
    ----------
    same : list of (row, column)
        Blocks that show the same, in the first one's pixels.
    aside : Moved or None
        The surest place where the second shows the same thing elsewhere.
    blurred : float
        By how much more one of them is blurred about where it is most, as edges tell that both show, pixels; 0 where
        nothing stands aside.
    """

    same: list[tuple[float, float]]
    aside: Moved | None
    blurred: float = 0.0


def between(first: Grey, second: Grey, shown: NDArray[np.bool_]) -> Between:
    """Hold a picture against another that is laid over it, where both are `shown`."""
    one, other, divide, places = _held(first, second, shown)
    same, told = [], []
    for row, column in places:
        aside, peak = _shift(one, other, row, column)
        away = float(np.hypot(*aside))
        if peak < _PEAK:
            continue
        if away < _AGREE:
            same.append((row, column))
        elif _LEAST <= away <= _MOST and _is_there(one, other, row, column, aside):
            told.append((row, column, aside))
    # Where much of it lies aside the two are not laid over one another, and nothing is told.
    surest = _surest(told, divide) if len(same) >= _MOSTLY * len(told) else None
    blurred = 0.0 if surest is None else divide * _blurred(one, other, same)
    return Between([_middle(*place, divide) for place in same], surest, blurred)


def _blurred(first: Grey, second: Grey, places: Sequence[tuple[int, int]]) -> float:
    """The disc, pixels, by which one of two pictures is blurred more, in the tenth of blocks in which it is most.

    What is blurred has less steep edges for as much contrast.
    """

    def steepness(picture: Grey, row: int, column: int) -> float:
        block = picture[row : row + _SIDE, column : column + _SIDE]
        slopes = sum(float(np.sum(_HELD * cv2.Sobel(block, cv2.CV_32F, *way) ** 2)) for way in ((1, 0), (0, 1)))
        return 0.5 * math.log(max(slopes, 1e-12) / max(float(np.sum(_HELD * block**2)), 1e-12))

    apart = [steepness(first, *place) - steepness(second, *place) for place in places]
    return _DISC_PX * float(np.abs(np.quantile(apart, (0.1, 0.9))).max())


def shifts_between(first: Grey, second: Grey, shown: NDArray[np.bool_]) -> Floats:
    """How far the second picture shows what the first does elsewhere: row, column, right and down of blocks (B, 4).

    Places are the blocks' middles; all in pixels of the first.
    """
    one, other, divide, places = _held(first, second, shown)
    slopes: list[Grey] = list(np.gradient(one)) if places else []
    found = []
    for row, column in places:
        aside, peak = _shift(one, other, row, column)
        if peak < _PEAK or np.hypot(*aside) > _MOST:
            continue
        exact = _exact(one, slopes, other, row, column, aside)
        if exact is not None:
            found.append((*_middle(row, column, divide), *(divide * exact)))
    return np.array(found, float).reshape(-1, 4)


def _exact(
    first: Grey, slopes_of: Sequence[Grey], second: Grey, row: int, column: int, aside: Floats
) -> Floats | None:
    """A block's shift to a few hundredths of a pixel (Lucas & Kanade 1981); None where it does not settle.

    The peak of a phase correlation tells a small shift up to two thirds too large. `slopes_of` are those of the
    first, down and right.
    """
    part = np.s_[row : row + _SIDE, column : column + _SIDE]
    block, down, right = (np.asarray(picture[part], float) for picture in (first, *slopes_of))
    slopes = np.stack([(_WEIGHTS * part).ravel() for part in (right, down)])
    lever = slopes @ np.stack([right.ravel(), down.ravel()]).T
    own = (block - float((_WEIGHTS * block).sum())).ravel()
    weighted = _WEIGHTS.ravel() * own
    strength = max(float(weighted @ own), 1e-12)
    shift, middle = np.array(aside, float), np.array([column, row]) + 0.5 * (_SIDE - 1)
    for _ in range(_ROUNDS):
        there = cv2.getRectSubPix(second, (_SIDE, _SIDE), (float(middle[0] + shift[0]), float(middle[1] + shift[1])))
        there = np.asarray(there, float).ravel()
        there = there - float(_WEIGHTS.ravel() @ there)
        # One of them may be blurred more.
        gain = float(weighted @ there) / strength
        if gain < _LEAST_GAIN:
            return None
        step = np.linalg.solve(lever * gain, slopes @ (there - gain * own))
        shift = shift - step
        if math.hypot(*step) < _SETTLED:
            return shift if math.hypot(*(shift - aside)) < _SIDE / 8 else None
    return None


def _held(first: Grey, second: Grey, shown: NDArray[np.bool_]) -> tuple[Grey, Grey, int, list[tuple[int, int]]]:
    """Both pictures small and band-passed, by how much smaller, and where blocks begin that both hold."""
    rows, columns = first.shape
    divide = halvings((columns, rows), _ENOUGH)
    size = (columns // divide, rows // divide)
    small = [
        np.asarray(cv2.resize(part, size, interpolation=cv2.INTER_AREA), np.float32)
        for part in (first, second, shown.astype(np.float32))
    ]
    whole = small[2] > 0.999
    one, other = (_banded(np.where(whole, part, np.median(part[whole])).astype(np.float32)) if whole.any() else part
                  for part in small[:2])  # fmt: skip
    there = _blocks(whole).all(axis=(2, 3))
    return one, other, divide, _places(one.shape, there & _telling(one) & _telling(other))


def _places(shape: tuple[int, ...], wanted: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Where the blocks begin that are wanted, (down, across)."""
    rows, columns = (range(_STEP // 2, side - _SIDE - _STEP // 2 + 1, _STEP) for side in shape)
    return [(rows[r], columns[c]) for r, c in zip(*np.nonzero(wanted), strict=True)]


def _blocks(values: NDArray[Any]) -> NDArray[Any]:
    """A picture's blocks, (down, across, side, side), without copies of its pixels."""
    begin = _STEP // 2
    if min(values.shape) < _SIDE + 2 * begin:
        return np.empty((0, 0, _SIDE, _SIDE), values.dtype)
    every = np.lib.stride_tricks.sliding_window_view(values, (_SIDE, _SIDE))
    return every[begin : len(every) - begin : _STEP, begin : every.shape[1] - begin : _STEP]


def _banded(frame: Grey) -> Grey:
    level = eased(frame, _SLOW)
    fine = cv2.GaussianBlur(frame, (0, 0), _FINE)
    return np.asarray((fine - level) / (level + np.float32(0.005)), np.float32)


def _laid(frame: Grey, matrix: Floats, base: Grey) -> Grey:
    size = (base.shape[1], base.shape[0])
    moved = cv2.warpPerspective(frame, matrix, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT_101)
    return np.asarray(moved, np.float32)


_WINDOW = cv2.createHanningWindow((_SIDE, _SIDE), cv2.CV_32F)
# The middle of a block.
_CORE: NDArray[np.bool_] = np.asarray(_WINDOW) > 0.25
_HELD: Grey = np.asarray(_WINDOW, np.float32) ** 2
# The same for means.
_WEIGHTS: Floats = np.asarray(_HELD, float) / float(np.asarray(_HELD, float).sum())
# The same along one side: its square is the product of both sides'.
_ACROSS: Grey = np.sqrt(np.diagonal(_HELD)).astype(np.float32)


def _summed(values: Grey, weights: Grey) -> Floats:
    """Sums over every block (down, across), weighted alike along both sides."""
    begin, halves = _STEP // 2, weights.reshape(2, _STEP)
    if min(values.shape) < _SIDE + 2 * begin:
        return np.zeros((0, 0))
    down, across = ((side - 2 * begin) // _STEP for side in values.shape)
    whole = values[begin : begin + down * _STEP, begin : begin + across * _STEP]
    # Every block is two halves, of which the second is the next one's first.
    parts = halves @ whole.reshape(down, _STEP, -1)
    strips = parts[:-1, 0] + parts[1:, 1]
    parts = strips.reshape(len(strips), across, _STEP) @ halves.T
    return np.asarray(parts[:, :-1, 0] + parts[:, 1:, 1], float)


def _telling(picture: Grey) -> NDArray[np.bool_]:
    """Which blocks (down, across) show more than next to nothing, and something that holds them both ways.

    Of a sky a JPEG keeps its own blocks, which lie anywhere; and along an edge alone a block slides.
    """
    slopes = [cv2.Sobel(picture, cv2.CV_32F, *way, ksize=3) for way in ((1, 0), (0, 1))]
    xx, xy, yy = (
        _summed(a * b, _ACROSS) for a, b in ((slopes[0], slopes[0]), (slopes[0], slopes[1]), (slopes[1], slopes[1]))
    )
    half, apart = 0.5 * (xx + yy), np.hypot(0.5 * (xx - yy), xy)
    mean, square = (_summed(part, np.full(_SIDE, 1.0 / _SIDE, np.float32)) for part in (picture, picture * picture))
    spread = np.sqrt(np.maximum(square - mean**2, 0.0))
    found: NDArray[np.bool_] = (half - apart >= _HOLDS * np.maximum(half + apart, 1e-12)) & (spread >= _FAINT)
    return found


def _is_there(first: Grey, second: Grey, row: int, column: int, aside: Floats) -> bool:
    """Whether a block of the first looks as the second does aside, clearly more so than where it lies itself.

    Windows, pickets and courses of brick repeat: blurred otherwise, they are found a period away.
    """
    down, right = round(float(aside[1])), round(float(aside[0]))
    if not (0 <= row + down <= second.shape[0] - _SIDE and 0 <= column + right <= second.shape[1] - _SIDE):
        return False
    block = first[row : row + _SIDE, column : column + _SIDE]
    at, there = (
        alike(block, second[row + y : row + y + _SIDE, column + x : column + x + _SIDE], _CORE)
        for y, x in ((0, 0), (down, right))
    )
    return there >= _LIKE and there - at >= _CLEARLY


def _sides_with(judge: Grey, first: Grey, second: Grey, row: int, column: int, aside: Floats) -> bool:
    """Whether a third picture has a block where the first has it, and not the second, which shows it aside.

    What is out of focus in it and in none of the others has no shift of its own that it could be held by.
    """
    part = np.s_[row : row + _SIDE, column : column + _SIDE]
    own, other = (alike(one[part], judge[part], _CORE) for one in (first, second))
    return own >= _LIKE and own - other >= _CLEARLY and _is_there(first, second, row, column, aside)


def _shift(first: Grey, second: Grey, row: int, column: int) -> tuple[Floats, float]:
    """How far (right, down) a block of two pictures lies apart, and how sharp the peak is that tells it."""
    part = (slice(row, row + _SIDE), slice(column, column + _SIDE))
    (dx, dy), peak = cv2.phaseCorrelate(
        np.ascontiguousarray(first[part]), np.ascontiguousarray(second[part]), _WINDOW
    )
    return np.array([dx, dy]), float(peak)
