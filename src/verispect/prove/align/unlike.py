"""How far two pictures of one place differ by more than focus makes them.

One of the two may be out of focus against the other, by nobody knows how much at each place: it is blurred until they
are as alike as they become, and what is left then is no matter of focus.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

Grey = NDArray[np.float32]
Mask = NDArray[np.bool_]
# By how much pictures are eased at first, and how much more one of them may be out of focus than the other, pixels of
# small ones.
_EASED, _BLURS = 0.8, (0.0, 1.2, 2.4, 4.8)
# What lies about a place tells of wider ones too.
WIDE_BLURS = (*_BLURS, 9.6)
# Which of two pictures' blurred ones may be alike: one of the two is not blurred any more.
_IN_FOCUS = [(0, 0), *(pair for k in range(1, len(_BLURS)) for pair in ((k, 0), (0, k)))]
# Differences count as the mean over so wide a box.
_BOX = 5
# About a place so much is looked at, but not what touches it, pixels.
_RING, _GAP = 41, 9
# There a place tells of blur where that changes so many stops; what fewer than this share tell is chance.
_TELLS, _FEW = 0.1, 0.1
# Darker than this share of what is usual is dark.
_DARK = 0.01


def dark_of(pictures: Sequence[Grey]) -> float:
    """Below which light nothing is told apart, of what pictures in linear light usually show."""
    return max(_DARK * float(np.median([np.median(one) for one in pictures])), 1e-9)


def in_stops(picture: Grey, dark: float, blurs: Sequence[float] = _BLURS) -> list[Grey]:
    """A picture (rows, columns) or (rows, columns, 3) in stops, out of focus by so much more each."""
    return [
        np.log2(np.maximum(cv2.GaussianBlur(picture, (0, 0), math.hypot(_EASED, blur)), np.float32(dark)))
        for blur in blurs
    ]


def unlike(first: Sequence[Grey], second: Sequence[Grey]) -> Grey:
    """How far two pictures, `in_stops`, differ about every place, one of them blurred so that it is least, stops.

    Of each some of the blurs, from the first on, as many of both.
    """
    least = _differ(first[0], second[0])
    for one, other in _IN_FOCUS[1 : 2 * len(first) - 1]:
        np.minimum(least, _differ(first[one], second[other]), out=least)
    if least.ndim == 2:
        return least
    red, green, blue = cv2.split(least)
    return np.asarray(cv2.max(cv2.max(red, green), blue), np.float32)


class Unlike:
    """Two pictures (rows, columns) at each of some blurs, to be asked about a place by what lies about it."""

    def __init__(self, first: Sequence[Grey], second: Sequence[Grey], shown: Mask) -> None:
        """Both `in_stops`, by the same blurs; `shown` is where both show something."""
        last = len(first) - 1
        self._shown = shown
        # From the first one blurred most to the second one.
        self._by_blur = [_differ(first[k], second[0]) for k in range(last, 0, -1)] + [
            _differ(first[0], second[k]) for k in range(last + 1)
        ]

    def at(self, place: Mask) -> Grey:
        """How far they differ at some places, one of them out of focus there as it is anywhere close about, stops.

        Anything can be blurred until it is like something else; what is out of focus has some of what is about it so.
        """
        about, inside = (
            cv2.dilate(place.astype(np.uint8), np.ones((side, side), np.uint8)) > 0 for side in (_RING, _GAP)
        )
        ring = about & ~inside & self._shown
        told = np.stack([one[ring] for one in self._by_blur])
        told = told[:, np.ptp(told, axis=0) > _TELLS]
        first, last = 0, len(self._by_blur)
        if told.shape[1]:
            low, high = np.quantile(told.argmin(axis=0), [_FEW, 1.0 - _FEW])
            first, last = max(0, math.floor(low) - 1), math.ceil(high) + 2
        some = [one[place] for one in self._by_blur[first:last]]
        return np.asarray(np.minimum.reduce(some), np.float32)


def _differ(first: Grey, second: Grey) -> Grey:
    return np.asarray(cv2.boxFilter(cv2.absdiff(first, second), cv2.CV_32F, (_BOX, _BOX)), np.float32)
