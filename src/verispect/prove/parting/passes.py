"""How often the focus went through a view, told by where frames are sharp or by what they say of their focus."""

from __future__ import annotations

import math
from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats

Grey = NDArray[np.float32]
# Columns and rows of the places whose detail is told.
_PLACES = (12, 8)
# Pixels within which detail is told, in so many pictures each half the last; what is less than any, in stops.
_FINE_PX, _OCTAVES, _LEAST = 1.5, 4, 0.02
# Frames whose detail differs by less than this throughout, in stops, are focused alike. Steps of traced and rehearsed
# series are 0.012 to 0.13, a new frame of the same focus 0.0002 to 0.005 by the noise of 20,000 electrons.
_STILL = 0.012
# A step of less than this share of the usual ones is none.
_LEAST_STEP = 0.3
# As shares of a step: by how much the focus must turn back; how near two frames of one focus come.
_TURNS, _SAME = 0.5, 0.4
# A step so many times the next one is a way back, none of the series.
_LEAP = 1.6
# Straight from frame to frame, but for what is measured wrong.
_ONE_WAY = 1.4
# Of the shorter of two passes so much must have been taken in the other, for them to be series of their own.
_AGAIN = 0.35
# Frames at the end, this share of those before at the most, were taken again.
_RETAKEN = 0.4


def detail_of(picture: Grey) -> Floats:
    """Detail of the places of a small picture in linear luminance, fine to coarse, as logarithms to the base 2."""
    told = np.log2(np.maximum(picture, 1e-4)).astype(np.float32)
    found = []
    for _ in range(_OCTAVES):
        fine = np.abs(told - cv2.GaussianBlur(told, (0, 0), _FINE_PX))
        found.append(cv2.resize(fine, _PLACES, interpolation=cv2.INTER_AREA).ravel())
        size = (max(told.shape[1] // 2, 1), max(told.shape[0] // 2, 1))
        told = np.asarray(cv2.resize(told, size, interpolation=cv2.INTER_AREA), np.float32)
    return np.log2(np.concatenate(found).astype(float) + _LEAST)


def apart_by_detail(details: Sequence[Floats], alike: float = 1.0) -> Floats | None:
    """How far the focus of each frame lies from that of each other (K, K); None where it does not move.

    Of any two frames that share of the places counts which are most alike.
    """
    told = np.array(details)
    some = math.ceil(alike * told.shape[1])
    apart: Floats = np.stack([np.sort(np.abs(told - one), axis=1)[:, :some].mean(axis=1) for one in told])
    return apart if float(apart.max()) > _STILL else None


def apart_by_distance(metres: Sequence[float | None]) -> Floats | None:
    """The same in 1/m, by the distances that frames tell; None where not all tell one, or all the same."""
    if any(one is None for one in metres):
        return None
    close = np.array([1.0 / one for one in metres if one])
    return np.abs(close[:, None] - close[None]) if np.ptp(close) > _STILL * close.max() else None


def series_in(apart: Floats, *, goes_on: bool = False) -> list[list[int]]:
    """Frames of one view, parted into series: where the focus goes again to where it has been.

    A series that goes from its middle away and then past its start, or whose second half lies between the frames of
    the first, is one. A few frames at the end were taken again, unless what they begin `goes_on`.
    """
    step = _usual_step(apart)
    passes = _passes(apart, step)
    found = [passes[0]]
    for number, one in enumerate(passes[1:], start=2):
        is_again = _share_again(apart, one, found[-1], step) >= _AGAIN
        retaken = not goes_on and number == len(passes) and len(one) <= _RETAKEN * len(found[-1])
        if is_again and not retaken:
            found.append(one)
        else:
            found[-1] = found[-1] + one
    return found


def is_one_but_for_one(apart: Floats) -> bool:
    """Whether the focus goes one way, step by step, but for one frame that is focused elsewhere."""
    return any(goes_one_way(apart, k) and _steps_on(apart, k) for k in range(len(apart)))


def goes_one_way(apart: Floats, without: int) -> bool:
    """Whether the focus goes one way but for one frame."""
    others = np.delete(np.arange(len(apart)), without)
    return bool(detours(apart[np.ix_(others, others)]).max(initial=0.0) < _ONE_WAY)


def detours(apart: Floats) -> Floats:
    """By how many times the way over each frame but the first and last is longer than that past it."""
    steps = np.diag(apart, 1)
    return (steps[:-1] + steps[1:]) / np.maximum(np.diag(apart, 2), 1e-9)


def _steps_on(apart: Floats, without: int) -> bool:
    """Whether no frame but one is focused as the one before it."""
    others = np.delete(np.arange(len(apart)), without)
    steps = np.diag(apart[np.ix_(others, others)], 1)
    return bool(steps.min(initial=np.inf) > _SAME * float(np.median(steps)))


def _usual_step(apart: Floats) -> float:
    """From frame to frame, of those that step at all."""
    steps = np.diag(apart, 1)
    large = float(np.quantile(steps, 0.9, method="lower"))
    return float(np.median(steps[steps >= _LEAST_STEP * large]))


def _passes(apart: Floats, step: float) -> list[list[int]]:
    """Frames parted wherever the focus turns."""
    passes = [[0]]
    for k in range(1, len(apart)):
        one = passes[-1]
        # Where steps are smaller than the usual one, so is what turns; smaller ones yet are none.
        moved = min(step, max(apart[one[-1], k], _LEAST_STEP * step))
        if apart[one[0], k] >= apart[one[0], one[-1]] - _TURNS * moved:
            one.append(k)
            continue
        passes.append([*_of_the_next(apart, one, k, step), k])
        if not one:
            passes.remove(one)
    return passes


def _of_the_next(apart: Floats, one: list[int], k: int, step: float) -> list[int]:
    """Takes from a pass the frames at its end with which the next begins."""
    last, rest = _last_alike(apart, one, step)
    if len(last) > 1 and not len(_last_alike(apart, rest, step)[0]) > 1:
        # Taken twice where it turns: once for either. What was taken twice throughout is another thing.
        moved = last[len(last) - len(last) // 2 :]
    elif len(last) > 1:
        moved = []
    else:
        leapt = len(one) > 1 and apart[one[-2], one[-1]] > _LEAP * apart[one[-1], k]
        moved = one[-1:] if leapt else []
    del one[len(one) - len(moved) :]
    return moved


def _last_alike(apart: Floats, frames: Sequence[int], step: float) -> tuple[list[int], list[int]]:
    """The frames at the end that are focused alike, and those before them."""
    count = 0
    while count < len(frames) and apart[frames[len(frames) - 1 - count], frames[-1]] < _SAME * step:
        count += 1
    return list(frames[len(frames) - count :]), list(frames[: len(frames) - count])


def _share_again(apart: Floats, one: Sequence[int], other: Sequence[int], step: float) -> float:
    """How much of the shorter of two passes is focused as frames of the longer."""
    shorter, longer = sorted((_once(apart, one, step), _once(apart, other, step)), key=len)
    spacing = min((_spacing(apart, part) for part in (shorter, longer) if len(part) > 1), default=step)
    return float(np.mean(apart[np.ix_(shorter, longer)].min(axis=1) < _SAME * spacing))


def _once(apart: Floats, frames: Sequence[int], step: float) -> list[int]:
    """One frame of those that were taken at one focus one after the other."""
    found = [frames[0]]
    for k in frames[1:]:
        if apart[k, found[-1]] >= 0.5 * _SAME * step:
            found.append(k)
    return found


def _spacing(apart: Floats, frames: Sequence[int]) -> float:
    among = apart[np.ix_(frames, frames)] + np.diag(np.full(len(frames), np.inf))
    return float(np.median(among.min(axis=1)))
