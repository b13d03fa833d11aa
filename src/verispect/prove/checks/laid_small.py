"""Frames laid over one of them, small, in stops, and where that one differs from them by more than focus makes."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.align.motion import at_level
from verispect.prove.align.unlike import dark_of, in_stops, unlike

Grey = NDArray[np.float32]
Mask = NDArray[np.bool_]
# All that follows is in pixels of small pictures, of which the short side has 150 to 360.
# Frames differ from so many stops on, beyond twice what two others differ by.
STOPS, _TIMES_OTHERS = 0.25, 2.0
# Next to its border a frame is not looked at, and overlaps of fewer pixels neither.
BORDER, _FEWEST = 7, 900
# Beside an edge frames differ by so much of its height, who knows how it is covered; pixels of a box.
_OF_EDGES, _EDGE = 0.1, 9
# Light from here on is burnt out, or in part.
_BRIGHT = 0.985
# What lies so near to what is burnt out, as a share of the short side, a lamp may have spread out of focus, where
# nobody knows how far that is; else so many times as far, and so many pixels more.
_OF_LAMP, _OF_BLUR, _GLARE = 0.06, 1.25, 3.0
# So near, pixels, all of it may be a lamp's; and so many stops brighter or darker is not by chance.
_CORE, _CLEARLY = 2.0, 0.1
# So many pixels tell what is usual.
_SOME = 8000
# Frames whose pictures in stops are kept: those beside one another are looked at one after the other.
_AT_HAND = 8


@dataclass(frozen=True)
class Laid:
    """Another frame laid over one: its pictures, where it is shown and burnt out, and how far both differ, stops."""

    number: int
    pictures: Sequence[Grey]
    shown: Mask
    burnt: Mask
    apart: Grey


@dataclass(frozen=True)
class Beside:
    """One frame and others laid over it.

    Attributes
    ----------
    own : sequence of ndarray
        Its pictures, `in_stops`.
    by_lamps : ndarray of bool
        Where light may lie that a lamp spreads.
    """

    own: Sequence[Grey]
    laid: Sequence[Laid]
    by_lamps: Mask

    def odd(self) -> Grey:
        """By how much more it differs from two others than these from one another, the most of all two, stops."""
        odd = np.zeros(self.own[0].shape[:2], np.float32)
        for number, one in enumerate(self.laid):
            for other in self.laid[:number]:
                both = one.shown & other.shown
                least = np.where(both, np.minimum(one.apart, other.apart), 0.0)
                if not (least > STOPS).any():
                    continue
                part = _about(least > STOPS)
                apart = unlike([a[part] for a in one.pictures], [b[part] for b in other.pictures])
                odd[part] = np.maximum(odd[part], least[part] - np.float32(_TIMES_OTHERS) * apart)
        return odd

    def but_for_edges(self, odd: Grey) -> Grey:
        """The same without what how an edge is covered may make."""
        if not (odd > 0.0).any():
            return odd
        kernel = np.ones((_EDGE, _EDGE), np.uint8)
        own = self.own[0]
        about = (cv2.dilate(own, kernel) - cv2.erode(own, kernel)).max(axis=2)
        return np.asarray(np.where(odd < _OF_EDGES * about, 0.0, odd), np.float32)


class Small:
    """Small pictures of frames, to be laid over one another.

    Parameters
    ----------
    onto : callable
        How one frame is laid over another, (3, 3), in pixels of the whole frames.
    colours : sequence of ndarray, shape (rows, columns, 3)
        Linear light, as a lens that bends no lines draws it.
    divide : float
        Pixels of a whole frame in one of theirs.
    blurs : callable, optional
        By what disc one frame blurs what another has sharp, pixels of the whole frames.
    """

    def __init__(
        self,
        onto: Callable[[int, int], Floats],
        colours: Sequence[Grey],
        divide: float,
        blurs: Callable[[int, int], float] | None,
    ) -> None:
        self._onto, self._colours, self._divide, self._blurs = onto, colours, divide, blurs
        dark = dark_of(colours)
        self._in_stops = lru_cache(maxsize=_AT_HAND)(lambda k: in_stops(colours[k], dark))

    def beside(self, k: int, others: Sequence[int]) -> Beside:
        """One of them with others laid over it, but for those that share too little with it."""
        own = self._in_stops(k)
        laid = [one for j in others if (one := self._laid(j, k, own)) is not None]
        reach = _OF_LAMP * min(own[0].shape[:2])
        if self._blurs is not None:
            disc = max((self._blurs(k, one.number) / self._divide for one in laid), default=0.0)
            reach = _OF_BLUR * disc + _GLARE
        return Beside(own, laid, _by_lamps(own[0], _burnt(self._colours[k]), laid, reach))

    def _laid(self, number: int, k: int, own: Sequence[Grey]) -> Laid | None:
        """A frame laid over another, evened out to its light; None where they share too little."""
        picture = self._colours[number]
        size, matrix = picture.shape[1::-1], at_level(self._onto(number, k), self._divide)
        there = cv2.warpPerspective(np.ones(picture.shape[:2], np.uint8), matrix, size, flags=cv2.INTER_NEAREST)
        kernel = np.ones((2 * BORDER + 1, 2 * BORDER + 1), np.uint8)
        shown = cv2.erode(there, kernel, borderType=cv2.BORDER_CONSTANT, borderValue=0) > 0
        if shown.sum() < _FEWEST:
            return None
        # What both show lies in one part; beyond it nothing is asked.
        part = _about(shown)
        onto_part = np.array([[1.0, 0.0, -part[1].start], [0.0, 1.0, -part[0].start], [0.0, 0.0, 1.0]]) @ matrix
        size_of_part = (part[1].stop - part[1].start, part[0].stop - part[0].start)
        moved = [
            cv2.warpPerspective(one, onto_part, size_of_part, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
            for one in self._in_stops(number)
        ]
        inner = np.nonzero(shown[part].ravel())[0]
        inner = inner[:: max(1, len(inner) // _SOME)]
        apart = (own[0][part] - moved[0]).reshape(-1, own[0].shape[2])[inner]
        stops = np.median(apart, axis=0).astype(np.float32)
        pictures = []
        for own_one, one in zip(own, moved, strict=True):
            whole = own_one.copy()
            whole[part] = one + stops
            pictures.append(whole)
        differs = np.zeros(shown.shape, np.float32)
        differs[part] = unlike([one[part] for one in own], [one[part] for one in pictures])
        burnt = cv2.warpPerspective(_burnt(picture).astype(np.uint8), matrix, size, flags=cv2.INTER_NEAREST) > 0
        return Laid(number, pictures, shown, burnt, differs)


def _about(shown: Mask) -> tuple[slice, slice]:
    """The rectangle, rows and columns, that holds what is shown and a border about it."""
    found = []
    for axis in (1, 0):
        at = np.nonzero(shown.any(axis=axis))[0]
        found.append(slice(max(int(at[0]) - BORDER, 0), min(int(at[-1]) + BORDER + 1, shown.shape[1 - axis])))
    return found[0], found[1]


def _by_lamps(own: Grey, burnt: Mask, laid: Sequence[Laid], reach: float) -> Mask:
    """Where light may lie that a lamp spreads, so far at most from what is burnt out; by channel, then of all.

    The frame that shows a lamp sharp is darker about it than the others, and one that does not is brighter. Whoever
    walks through a frame in a shirt that burns out, or before a wall that does, is not so, or not in every colour.
    """
    every = np.logical_or.reduce([np.zeros_like(burnt), *(one.burnt for one in laid)])
    # What is burnt out in all is as it is focused in all.
    mine, theirs = burnt & ~every, every & ~burnt
    near, near_theirs = _within(mine, reach), _within(theirs, reach)
    found: Mask = np.asarray((near | near_theirs).any(axis=2), bool)
    if not found.any() or not laid:
        return found
    most, least = np.full_like(own, -np.inf), np.full_like(own, np.inf)
    for one in laid:
        shown = one.shown.astype(np.uint8)
        cv2.copyTo(np.maximum(most, one.pictures[0]), shown, most)
        cv2.copyTo(np.minimum(least, one.pictures[0]), shown, least)
    brighter, darker = own - most > _CLEARLY, least - own > _CLEARLY
    core = _within(mine | theirs, _CORE)
    no_lamp = (
        ((brighter | darker) & ~near & ~near_theirs)
        | (near & ~near_theirs & brighter & ~core)
        | (near_theirs & ~near & darker & ~core)
    )
    kept: Mask = found & ~no_lamp.any(axis=2)
    return kept


def _within(mask: Mask, reach: float) -> Mask:
    """What lies no farther from a mask (rows, columns, 3) than so many pixels."""
    if not mask.any():
        return mask
    side = 2 * math.ceil(reach) + 1
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    found: Mask = cv2.dilate(mask.astype(np.uint8), kernel) > 0
    return found


def _burnt(picture: Grey) -> Mask:
    """Where a channel is as bright as it can be, or part of it: what a lamp spreads out of focus is lost there."""
    found: Mask = picture > _BRIGHT
    return found
