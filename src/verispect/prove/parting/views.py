"""Which frames show one view: alike in place, whatever they are focused at and however bright."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

Grey = NDArray[np.float32]
# Width and height of what frames are told alike or unlike by.
_THUMB = (96, 64)
# Frames of one view are at least so alike; on traced series 0.83 and more, the first and the last against one
# another too, of neighbours of grids and of other subjects 0.45 at the most.
ALIKE = 0.6
# What is coarser than this share of the width is light and ground, alike in most pictures.
_COARSE = 1 / 16
# A camera knocked by less than this share of the frame still shows its view.
_ASIDE = 0.1
# Darker than this share of the middling tone is noise.
_NOISE = 0.02
# A run that is so many times as long as any other, and longer by so many frames, is none of the same grid.
_TIMES, _LONGER = 2, 3


def thumb_of(small: Grey) -> Grey:
    """What a small picture, in linear luminance, is told alike or unlike by."""
    return np.asarray(cv2.resize(small, _THUMB, interpolation=cv2.INTER_AREA), np.float32)


def likeness(first: Grey, second: Grey) -> float:
    """Correlation of what two small pictures show, laid on one another as well as may be; 1 where the same."""
    if first.shape != second.shape:
        return 0.0
    one, other = _shown(first), _shown(second)
    return min(_within(one, other), _within(other, one))


def _shown(picture: Grey) -> Grey:
    floor = max(1e-4, _NOISE * float(np.median(picture)))
    told = np.log2(np.maximum(picture, floor)).astype(np.float32)
    return np.asarray(told - cv2.GaussianBlur(told, (0, 0), _COARSE * picture.shape[1]), np.float32)


def _within(whole: Grey, other: Grey) -> float:
    rows, columns = (round(_ASIDE * side) for side in other.shape)
    middle = np.ascontiguousarray(other[rows : other.shape[0] - rows, columns : other.shape[1] - columns])
    if float(middle.std()) < 1e-6 or float(whole.std()) < 1e-6:
        return 1.0 if float(np.abs(whole - other).max()) < 1e-3 else 0.0
    return float(cv2.matchTemplate(whole, middle, cv2.TM_CCOEFF_NORMED).max())


def runs_of(thumbs: Sequence[Grey]) -> list[list[int]]:
    """Frames that follow one another and show one view, in order.

    A single frame of something else among those of one view stays with them.
    """
    runs: list[list[int]] = [[]]
    for k, thumb in enumerate(thumbs):
        if runs[-1] and likeness(thumb, thumbs[runs[-1][-1]]) <= ALIKE:
            runs.append([])
        runs[-1].append(k)
    place = 1
    while place + 1 < len(runs):
        before, one, after = runs[place - 1 : place + 2]
        many = len(before) + len(after) > 2
        if len(one) == 1 and many and likeness(thumbs[before[-1]], thumbs[after[0]]) > ALIKE:
            runs[place - 1 : place + 2] = [before + one + after]
        else:
            place += 1
    return runs


def regular(lengths: Sequence[int]) -> list[slice]:
    """Runs that may be places of one grid; one far longer before or after them is a series of its own.

    Cells of a grid of series have unlike numbers of frames, for where little is deep fewer are asked.
    """
    begin, end = 0, len(lengths)
    if len(lengths) > 1:
        between = lengths[1:-1]
        begin = int(_far_longer(lengths[0], between or lengths[1:]))
        end -= int(end - begin > 1 and _far_longer(lengths[-1], between or lengths[:1]))
    places = sorted({0, begin, end, len(lengths)})
    return [slice(*ends) for ends in itertools.pairwise(places)]


def _far_longer(one: int, others: Sequence[int]) -> bool:
    return one >= max(_TIMES * max(others), max(others) + _LONGER)
