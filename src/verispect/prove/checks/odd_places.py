"""Places that one frame shows otherwise than those beside it do, coarser than focus makes it.

Blocks hold what fills them: a thing smaller than a block before a still wall shows them the wall. So frames are laid
over one another small, in stops, and blurred until they are as alike as they become; what still differs is no matter
of focus. Where it went tells the shift under which the other frame's picture of it is found again.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.errors import Cancelled
from verispect.optics.types import Floats
from verispect.prove.align.unlike import unlike
from verispect.prove.checks.laid_small import BORDER, STOPS, Beside, Laid, Small
from verispect.prove.report import Fault
from verispect.prove.resources.threads import in_turn, workers

Grey = NDArray[np.float32]
Mask = NDArray[np.bool_]
# All that follows is in pixels of small pictures, of which the short side has 180 to 360.
# So many stops times pixels must differ, and where no third frame sees it; in good path-traced grids 1 and 8 at most.
_LEAST, _LEAST_OF_TWO = 25.0, 40.0
# What is larger than this share of what two frames share is light, or no thing in it.
_MOST = 0.2
# Of a place so much must lie farther from what is burnt out than a lamp spreads it.
_NO_LAMP = 0.3
# Places of one thing, where it stood and where it stands, lie so near one another.
_NEAR = 12
# A thing may have moved so far, and at least so far to be told where it went.
_FARTHEST, _NEAREST = 26, 2
# Where it moved by less than it is wide it differs at its two ends alone, about as much, so near one another.
_END, _WIDE = 0.5, 40.0
# Beyond its border a frame shows what is like nothing, stops.
_NOTHING = 99.0
# It is found again where so little of what differed is left, or about so little at one blur; and so much of all must
# be: half lies where it stood.
_LEFT, _ABOUT_LEFT, _FOUND = 0.35, 0.6, 0.2
# So many shifts are looked at in full, those that are best at one blur, and about so many others at that.
_CLOSER = 40
# The opposite shift may be the true one if it explains so much of what the best does.
_AS_WELL = 0.6


@dataclass(frozen=True)
class OddPlace:
    """Something that a frame shows otherwise.

    Attributes
    ----------
    frame, other : int
        The frame, and one that shows it otherwise.
    row, column : float
        Where, in pixels of the frame as a lens that bends no lines draws it.
    shift : float or None
        How far the frame has it from where the other does, pixels; None where it was not found again.
    across : float
        How wide the place is, pixels.
    is_sure : bool
        Whether a third frame sides with the other; else it is the later of two.
    """

    frame: int
    other: int
    row: float
    column: float
    shift: float | None
    across: float
    is_sure: bool

    def fault(self, place: tuple[float, float], beside: str | None, remedy: str) -> Fault:
        """What is said of it, at a place (row, column) of the frame as it is, beside the other's file."""
        if self.shift is not None:
            return aside_fault(self.shift, place, beside, remedy, is_sure=self.is_sure)
        says = (
            f"near row {place[0]:.0f}, column {place[1]:.0f} it shows something some {round(self.across)} px wide "
            f"otherwise than {beside} and others do"
        )
        return Fault("moved-subject", self.across, says, remedy, place)


def aside_fault(
    shift_px: float, place: tuple[float, float], beside: str | None, remedy: str, *, is_sure: bool
) -> Fault:
    """What is said of a thing that stands aside, at a place (row, column) of the frame that shows it there."""
    doubt = "" if is_sure else (
        "; no third frame shows it: it moved, or stands near and the head turns beside the pupil"
    )  # fmt: skip
    says = (
        f"something near row {place[0]:.0f}, column {place[1]:.0f} stands some {round(shift_px)} px aside of where "
    )
    return Fault("moved-subject", shift_px, says + f"{beside} has it{doubt}", remedy, place)


def odd_places(
    onto: Callable[[int, int], Floats],
    colours: Sequence[Grey],
    overlaps: Sequence[tuple[int, int, float]],
    pixels: tuple[int, int],
    *,
    most_others: int,
    without: Collection[int],
    blurs: Callable[[int, int], float] | None = None,
    is_cancelled: Callable[[], bool],
) -> list[OddPlace]:
    """The surest such place of every frame that has one.

    Parameters
    ----------
    onto : callable
        How one frame is laid over another, (3, 3), in pixels of the whole frames.
    colours : sequence of ndarray, shape (rows, columns, 3)
        Linear light of small pictures, as a lens that bends no lines draws it.
    overlaps : sequence of (int, int, float)
        Frames that are held against one another, and what share of a frame they have in common.
    most_others : int
        A frame is held against so many others, which share most with it.
    without : collection of int
        Frames that are not looked at: out of focus, or not where they were found to look.
    blurs : callable, optional
        By what disc one frame blurs what another has sharp, pixels, as planned.
    """
    divide = pixels[0] / colours[0].shape[1]
    small = Small(onto, colours, divide, blurs)
    shares: dict[int, list[tuple[float, int]]] = {k: [] for k in range(len(colours))}
    for a, b, overlap in overlaps:
        if a not in without and b not in without:
            shares[a].append((overlap, b))
            shares[b].append((overlap, a))
    others = {k: [number for _, number in sorted(told, reverse=True)[:most_others]] for k, told in shares.items()}

    def place(k: int) -> list[OddPlace]:
        beside = small.beside(k, others[k])
        sure = _surest(beside, beside.laid, beside.but_for_edges(beside.odd()), _LEAST)
        told = [] if sure is None else [_in_full(k, sure, divide, is_sure=True)]
        for one in beside.laid:
            if one.number < k:
                by_two = _surest(beside, [one], np.where(one.shown, one.apart, 0.0), _LEAST_OF_TWO)
                if by_two is not None and by_two.shift is not None:
                    told.append(_in_full(k, by_two, divide, is_sure=False))
        return told

    found: list[OddPlace] = []
    for places in in_turn(place, [k for k in others if others[k]], workers()):
        if is_cancelled():
            raise Cancelled
        found += places
    odd = {one.frame for one in found if one.is_sure}
    return [one for one in found if one.is_sure or not odd & {one.frame, one.other}]


def _touched(wanted: Mask, by: Mask) -> Mask:
    """Of what is wanted the parts that lie near a region."""
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (_NEAR + 1, _NEAR + 1))
    _, labels = cv2.connectedComponents(cv2.dilate(wanted.astype(np.uint8), kernel))
    found: Mask = wanted & np.isin(labels, np.unique(labels[wanted & by]))
    return found


@dataclass(frozen=True)
class _Place:
    """One place, in small pixels; `found` is how much of what differs a shift explains."""

    laid: Laid
    row: float
    column: float
    shift: float | None
    found: float
    across: float


def _surest(beside: Beside, laid: Sequence[Laid], odd: Grey, least: float) -> _Place | None:
    """The place where most differs, but for those about a lamp, and where it went."""
    told = (odd > STOPS).astype(np.uint8)
    if not told.any():
        return None
    near = cv2.dilate(told, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (_NEAR + 1, _NEAR + 1)))
    count, labels = cv2.connectedComponents(near)
    labels = np.where(told > 0, labels, 0)
    whole = np.bincount(labels.ravel(), weights=odd.ravel(), minlength=count)[1:]
    sizes = np.bincount(labels.ravel(), weights=np.where(beside.by_lamps, 0.0, odd).ravel(), minlength=count)[1:]
    sizes[sizes < _NO_LAMP * whole] = 0.0
    region = labels == 1 + int(np.argmax(sizes))
    by_ends = sizes.max() < least
    if by_ends:
        ends = _ends(np.asarray(labels, np.intp), np.asarray(sizes, float), least)
        if ends is None:
            return None
        region = ends
    other = max(laid, key=lambda one: float(one.apart[region & one.shown].sum()))
    # All that differs between these two about there: a third may see but a part of it.
    region = _touched(other.shown & (other.apart > STOPS), region)
    if region.sum() > _MOST * other.shown.sum():
        return None
    rows, columns = np.nonzero(region)
    across = 2.0 * math.sqrt(len(rows) / math.pi)
    shift, there, found = _went(beside.own, other.pictures, region)
    if found < _FOUND:
        if by_ends:
            return None
        return _Place(other, float(rows.mean()), float(columns.mean()), None, found, across)
    rows, columns = np.nonzero(there)
    row, column = float(rows.mean()) + shift[1], float(columns.mean()) + shift[0]
    return _Place(other, row, column, math.hypot(*shift), found, across)


def _ends(labels: NDArray[np.intp], sizes: Floats, least: float) -> Mask | None:
    """The two places at the ends of one thing that moved by less than it is wide; None where there are none."""
    first, second = np.argsort(sizes)[::-1][:2] if len(sizes) > 1 else (0, 0)
    if first == second or sizes[second] < _END * sizes[first] or sizes[first] + sizes[second] < least:
        return None
    apart = [np.argwhere(labels == 1 + k).mean(axis=0) for k in (first, second)]
    if np.linalg.norm(apart[0] - apart[1]) > _WIDE:
        return None
    found: Mask = (labels == 1 + first) | (labels == 1 + second)
    return found


def _went(own: Sequence[Grey], other: Sequence[Grey], region: Mask) -> tuple[tuple[float, float], Mask, float]:
    """The shift (right, down) under which a frame shows most of what another shows in a region, and of it what.

    How far that is out of focus may be another matter than what lies about it.
    """
    rows, columns = np.nonzero(region)
    top, left = (max(int(part.min()) - BORDER, 0) for part in (rows, columns))
    part = np.s_[top : int(rows.max()) + BORDER + 1, left : int(columns.max()) + BORDER + 1]
    here, wanted = [np.ascontiguousarray(picture[part]) for picture in other], region[part]
    # What lies beyond the frame is like nothing.
    room = ((_FARTHEST, _FARTHEST), (_FARTHEST, _FARTHEST), (0, 0))
    wide = [np.pad(one, room, constant_values=np.float32(_NOTHING)) for one in own]
    # It stands where the frames differ as well: else of an even wall any part would be found again beside it.
    outline = np.zeros(wide[0].shape[:2], np.uint8)
    hull = cv2.convexHull(np.column_stack([columns, rows]).astype(np.int32) + _FARTHEST)
    cv2.fillConvexPoly(outline, hull, 1)

    def at(right: int, down: int) -> tuple[slice, slice]:
        y, x = top + _FARTHEST + down, left + _FARTHEST + right
        return slice(y, y + wanted.shape[0]), slice(x, x + wanted.shape[1])

    differs = unlike([one[at(0, 0)] for one in wide], here)
    total = float(differs[wanted].sum())

    def again(right: int, down: int) -> tuple[Mask, float]:
        """What is found again so far aside, and how much of what differed it explains."""
        there = at(right, down)
        rest = unlike([one[there] for one in wide], here)
        found: Mask = wanted & (outline[there] > 0) & (rest < _LEFT * differs)
        return found, float((differs - rest)[found].sum())

    steps = range(-_FARTHEST, _FARTHEST + 1)
    shifts = [(x, y) for y in steps for x in steps if _NEAREST <= math.hypot(x, y) <= _FARTHEST]
    about = _AboutAgain(wide[1], here[1], wanted, outline > 0, differs, (left + _FARTHEST, top + _FARTHEST))
    explained = {shift: again(*shift)[1] for shift in about.best(shifts)}
    best = max(explained, key=lambda shift: explained[shift])
    # An even wall comes back where the thing was, as far the other way: of the two it is what stands out that moved.
    back = (-best[0], -best[1])
    for beside in [(best[0] + x, best[1] + y) for x, y in ((1, 0), (-1, 0), (0, 1), (0, -1))] + [back]:
        explained.setdefault(beside, again(*beside)[1] if max(map(abs, beside)) <= _FARTHEST else 0.0)
    if explained[back] > _AS_WELL * explained[best]:
        best = max(best, back, key=lambda shift: _stands_out(here[0], again(*shift)[0], ~wanted))
    where = np.zeros_like(region)
    where[part] = again(*best)[0]
    return _between_pixels(best, explained), where, explained[best] / max(total, 1e-9)


class _AboutAgain:
    """Much the same as what is found again, at one blur: in a seventh of the time, and first of all in halves.

    `begin` is where the part begins, column and row of the wide picture, unmoved.
    """

    def __init__(
        self, wide: Grey, here: Grey, wanted: Mask, outline: Mask, differs: Grey, begin: tuple[int, int]
    ) -> None:
        self._pictures, self._outline, self._begin = (wide, here), outline, begin
        self._wanted, self._differs = wanted, differs

    def best(self, shifts: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
        """Those shifts that may explain most, as many as are looked at closer."""
        halves = self._halved()
        coarse = sorted({(x // 2, y // 2) for x, y in shifts}, key=lambda one: -halves.of(*one))[:_CLOSER]
        near = {(2 * x + right, 2 * y + down) for x, y in coarse for right in (0, 1) for down in (0, 1)}
        return sorted((one for one in shifts if one in near), key=lambda one: -self.of(*one))[:_CLOSER]

    def of(self, right: int, down: int) -> float:
        """How much of what differed is explained."""
        rows, columns = self._wanted.shape
        x, y = self._begin[0] + right, self._begin[1] + down
        there = np.s_[y : y + rows, x : x + columns]
        if x < 0 or y < 0 or self._outline[there].shape != self._wanted.shape:
            return 0.0
        rest = unlike([self._pictures[0][there]], [self._pictures[1]])
        counts = self._wanted & (self._outline[there] > 0) & (rest < _ABOUT_LEFT * self._differs)
        return float((self._differs - rest)[counts].sum())

    def _halved(self) -> _AboutAgain:
        """The same in pixels twice as large."""
        left, top = self._begin
        # Where the part begins in the wide picture, so does a pixel of both.
        wide, outline = (one[top % 2 :, left % 2 :] for one in (self._pictures[0], self._outline))
        small = [_by_halves(one) for one in (wide, self._pictures[1], outline, self._wanted, self._differs)]
        return _AboutAgain(small[0], small[1], small[3] > 0.0, small[2] > 0.0, small[4], (left // 2, top // 2))


def _by_halves(picture: Grey | Mask) -> Grey:
    """In pixels twice as large."""
    rows, columns = (max(side // 2, 1) for side in picture.shape[:2])
    whole = picture[: 2 * rows, : 2 * columns].astype(np.float32)
    return np.asarray(cv2.resize(whole, (columns, rows), interpolation=cv2.INTER_AREA), np.float32)


def _stands_out(picture: Grey, place: Mask, about: Mask) -> float:
    """How far what a picture shows at a place is from what is usual about it, stops."""
    if not place.any() or not about.any():
        return 0.0
    return float(np.abs(picture[place] - np.median(picture[about], axis=0)).mean())


def _between_pixels(best: tuple[int, int], told: Mapping[tuple[int, int], float]) -> tuple[float, float]:
    """The top of a parabola through a best shift and those beside it, each way."""

    def top(step: tuple[int, int]) -> float:
        low, high = (told.get((best[0] + sign * step[0], best[1] + sign * step[1])) for sign in (-1, 1))
        if low is None or high is None or not told[best] > 0.0:
            return 0.0
        bend = 2.0 * told[best] - low - high
        return max(-0.5, min(0.5, 0.5 * (high - low) / bend)) if bend > 0.0 else 0.0

    return best[0] + top((1, 0)), best[1] + top((0, 1))


def _in_full(frame: int, place: _Place, divide: float, *, is_sure: bool) -> OddPlace:
    """The same in pixels of the whole frame."""
    row, column = ((at + 0.5) * divide - 0.5 for at in (place.row, place.column))
    shift = None if place.shift is None else place.shift * divide
    return OddPlace(frame, place.laid.number, row, column, shift, place.across * divide, is_sure)
