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
from verispect.prove.align.motion import at_level
from verispect.prove.align.unlike import dark_of, in_stops, unlike
from verispect.prove.report import Fault
from verispect.prove.resources.threads import in_turn, workers

Grey = NDArray[np.float32]
Mask = NDArray[np.bool_]
# All that follows is in pixels of small pictures, of which the short side has 180 to 360.
# Frames differ from so many stops on, beyond twice what two others differ by.
_STOPS, _TIMES_OTHERS = 0.25, 2.0
# So many stops times pixels must differ, and where no third frame sees it; in good path-traced grids 1 and 8 at most.
_LEAST, _LEAST_OF_TWO = 25.0, 40.0
# Next to its border a frame is not looked at, and overlaps of fewer pixels neither.
_BORDER, _FEWEST = 7, 900
# What is larger than this share of what two frames share is light, or no thing in it.
_MOST = 0.2
# Beside an edge frames differ by so much of its height, who knows how it is covered; pixels of a box.
_OF_EDGES, _EDGE = 0.1, 9
# Light from here on is burnt out, or in part.
_BRIGHT = 0.985
# What lies so near to what is burnt out a lamp may have spread out of focus, where nobody knows how far that is; else
# so many times as far, and so much more. Where less than such a share of a place lies farther, nothing is told there.
_OF_LAMP, _OF_BLUR, _GLARE, _NO_LAMP = 16.0, 1.25, 3.0, 0.3
# Places of one thing, where it stood and where it stands, lie so near one another.
_NEAR = 12
# A thing may have moved so far, and at least so far to be told where it went.
_FARTHEST, _NEAREST = 26, 2
# Beyond its border a frame shows what is like nothing, stops.
_NOTHING = 99.0
# It is found again where so little of what differed is left, or about so little at one blur; and so much of all must
# be: half lies where it stood.
_LEFT, _ABOUT_LEFT, _FOUND = 0.35, 0.6, 0.2
# So many shifts are looked at in full, those that are best at one blur.
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


@dataclass(frozen=True)
class _Laid:
    """Another frame laid over one: its pictures, where it is shown and burnt out, and how far both differ, stops."""

    number: int
    pictures: Sequence[Grey]
    shown: Mask
    burnt: Mask
    apart: Grey


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
    dark = dark_of(colours)
    shares: dict[int, list[tuple[float, int]]] = {k: [] for k in range(len(colours))}
    for a, b, overlap in overlaps:
        if a not in without and b not in without:
            shares[a].append((overlap, b))
            shares[b].append((overlap, a))
    others = {k: [number for _, number in sorted(told, reverse=True)[:most_others]] for k, told in shares.items()}

    def place(k: int) -> list[OddPlace]:
        own = in_stops(colours[k], dark)
        laid = [one for j in others[k] if (one := _laid(j, own, colours[j], onto(j, k), divide, dark))]
        burnt = _by_lamps(
            np.logical_or.reduce([_burnt(colours[k]), *(one.burnt for one in laid)]),
            None if blurs is None else max((blurs(k, one.number) / divide for one in laid), default=0.0),
        )
        odd = _odd(laid, own[0].shape[:2])
        odd[odd < _OF_EDGES * _about(own[0])] = 0.0
        sure = _surest(own, laid, odd, burnt, _LEAST)
        told = [] if sure is None else [_in_full(k, sure, divide, is_sure=True)]
        for one in laid:
            if one.number < k:
                by_two = _surest(own, [one], np.where(one.shown, one.apart, 0.0), burnt, _LEAST_OF_TWO)
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


def _laid(number: int, own: Sequence[Grey], picture: Grey, onto: Floats, divide: float, dark: float) -> _Laid | None:
    """Lay a frame over another, evened out to its light; None where they share too little."""
    size, matrix = picture.shape[1::-1], at_level(onto, divide)
    there = cv2.warpPerspective(np.ones(picture.shape[:2], np.uint8), matrix, size, flags=cv2.INTER_NEAREST)
    kernel = np.ones((2 * _BORDER + 1, 2 * _BORDER + 1), np.uint8)
    shown = cv2.erode(there, kernel, borderType=cv2.BORDER_CONSTANT, borderValue=0) > 0
    if shown.sum() < _FEWEST:
        return None
    moved = cv2.warpPerspective(picture, matrix, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    pictures = in_stops(np.asarray(moved, np.float32), dark)
    stops = np.median((own[0] - pictures[0])[shown], axis=0).astype(np.float32)
    pictures = [one + stops for one in pictures]
    burnt = cv2.warpPerspective(_burnt(picture).astype(np.uint8), matrix, size, flags=cv2.INTER_NEAREST) > 0
    return _Laid(number, pictures, shown, burnt, unlike(own, pictures))


def _about(picture: Grey) -> Grey:
    """By how much what lies about each place differs, stops."""
    kernel = np.ones((_EDGE, _EDGE), np.uint8)
    return np.asarray((cv2.dilate(picture, kernel) - cv2.erode(picture, kernel)).max(axis=2), np.float32)


def _burnt(picture: Grey) -> Mask:
    """Where a picture is as bright as it can be, or part of it: what a lamp spreads out of focus is lost there."""
    found: Mask = picture.max(axis=2) > _BRIGHT
    return found


def _by_lamps(burnt: Mask, disc: float | None) -> Mask:
    """Where light may lie that a lamp spreads: about what is burnt out, as far as it is out of focus."""
    reach = _OF_LAMP if disc is None else _OF_BLUR * disc + _GLARE
    side = 2 * math.ceil(reach) + 1
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    found: Mask = cv2.dilate(burnt.astype(np.uint8), kernel) > 0
    return found


def _odd(laid: Sequence[_Laid], size: tuple[int, ...]) -> Grey:
    """By how much more a frame differs from two others than these from one another, the most of all two, stops."""
    odd = np.zeros(size, np.float32)
    for number, one in enumerate(laid):
        for other in laid[:number]:
            both = one.shown & other.shown
            least = np.where(both, np.minimum(one.apart, other.apart), 0.0)
            if (least > _STOPS).any():
                rest = least - _TIMES_OTHERS * unlike(one.pictures, other.pictures)
                odd = np.maximum(odd, rest.astype(np.float32))
    return odd


def _touched(wanted: Mask, by: Mask) -> Mask:
    """Of what is wanted the parts that lie near a region."""
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (_NEAR + 1, _NEAR + 1))
    _, labels = cv2.connectedComponents(cv2.dilate(wanted.astype(np.uint8), kernel))
    found: Mask = wanted & np.isin(labels, np.unique(labels[wanted & by]))
    return found


@dataclass(frozen=True)
class _Place:
    """One place, in small pixels; `found` is how much of what differs a shift explains."""

    laid: _Laid
    row: float
    column: float
    shift: float | None
    found: float
    across: float


def _surest(own: Sequence[Grey], laid: Sequence[_Laid], odd: Grey, by_lamps: Mask, least: float) -> _Place | None:
    """The place where most differs, but for those about a lamp, and where it went."""
    told = (odd > _STOPS).astype(np.uint8)
    if not told.any():
        return None
    near = cv2.dilate(told, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (_NEAR + 1, _NEAR + 1)))
    count, labels = cv2.connectedComponents(near)
    labels = np.where(told > 0, labels, 0)
    whole = np.bincount(labels.ravel(), weights=odd.ravel(), minlength=count)[1:]
    sizes = np.bincount(labels.ravel(), weights=np.where(by_lamps, 0.0, odd).ravel(), minlength=count)[1:]
    sizes[sizes < _NO_LAMP * whole] = 0.0
    if sizes.max() < least:
        return None
    region = labels == 1 + int(np.argmax(sizes))
    other = max(laid, key=lambda one: float(one.apart[region & one.shown].sum()))
    # All that differs between these two about there: a third may see but a part of it.
    region = _touched(other.shown & (other.apart > _STOPS), region)
    if region.sum() > _MOST * other.shown.sum():
        return None
    rows, columns = np.nonzero(region)
    across = 2.0 * math.sqrt(len(rows) / math.pi)
    shift, there, found = _went(own, other.pictures, region)
    if found < _FOUND:
        return _Place(other, float(rows.mean()), float(columns.mean()), None, found, across)
    rows, columns = np.nonzero(there)
    row, column = float(rows.mean()) + shift[1], float(columns.mean()) + shift[0]
    return _Place(other, row, column, math.hypot(*shift), found, across)


def _went(own: Sequence[Grey], other: Sequence[Grey], region: Mask) -> tuple[tuple[float, float], Mask, float]:
    """The shift (right, down) under which a frame shows most of what another shows in a region, and of it what.

    How far that is out of focus may be another matter than what lies about it.
    """
    rows, columns = np.nonzero(region)
    top, left = (max(int(part.min()) - _BORDER, 0) for part in (rows, columns))
    part = np.s_[top : int(rows.max()) + _BORDER + 1, left : int(columns.max()) + _BORDER + 1]
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

    def about_again(right: int, down: int) -> float:
        """Much the same in a seventh of the time."""
        there = at(right, down)
        rest = unlike([wide[1][there]], [here[1]])
        return float((differs - rest)[wanted & (outline[there] > 0) & (rest < _ABOUT_LEFT * differs)].sum())

    steps = range(-_FARTHEST, _FARTHEST + 1)
    shifts = [(x, y) for y in steps for x in steps if _NEAREST <= math.hypot(x, y) <= _FARTHEST]
    explained = {shift: again(*shift)[1] for shift in sorted(shifts, key=lambda one: -about_again(*one))[:_CLOSER]}
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
