"""Clipped lights in a series: out of focus their discs have rims sharper than anything about them.

The frame that shows a light smallest has it in focus and gives what lies about it; others give nothing where they are
lighter than that one.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.align.motion import at_level
from verispect.prove.intake import WHITE, Coded
from verispect.prove.merge.ghosts import part_of

Grey = NDArray[np.float32]
# A place counts as clipped where so much of it is, of 255.
_SHARE = 75
# Clipped places so near one another are one light; about it so much is looked at, in its own size, and pixels.
_NEAR, _ABOUT, _ROOM = 5, 1.0, 16
# What is larger than this share of the picture is a sky.
_MOST = 0.1
# A frame is lighter than another from so much of it on, and so much of white; so many pixels more are left out.
_LIGHTER, _LEAST, _BEYOND = 1.25, 0.01, 2
# Darker than those that are clipped, by so many stops, a frame need not be clipped where it is sharp.
_DARKER = 0.1
# Before that all is eased by so much, for noise; and so little more than elsewhere, of what others have, is nothing.
_EASED, _NOTHING = 1.0, 0.05
# A disc reaches so far beyond what is clipped, in the light's size; edges that pass it by reach anywhere.
_FAR = 0.8
# And smaller than that it is noise, pixels.
_SMALL = 6


@dataclass(frozen=True)
class Rim:
    """Where a frame is lit by a light out of focus: a box of the reference, and its mask at some smaller size."""

    box: tuple[int, int, int, int]
    mask: NDArray[np.uint8]
    frame: int

    def is_out(self, frame: int) -> bool:
        """Whether a frame gives nothing there."""
        return frame == self.frame


def clipped_share(coded: Coded, size: tuple[int, int]) -> NDArray[np.uint8] | None:
    """How much of every place is clipped in some channel, of 255, small (width, height); None where nothing is."""
    if int(coded.max()) < WHITE:
        return None
    below = cv2.inRange(coded, (0, 0, 0), (WHITE - 1,) * 3)
    return np.asarray(cv2.resize(cv2.bitwise_not(below), size, interpolation=cv2.INTER_AREA), np.uint8)


def rims_of(
    greys: Sequence[Grey],
    clipped: Sequence[NDArray[np.uint8] | None],
    matrices: Sequence[Floats],
    stops: Sequence[float],
    pixels: tuple[int, int],
    look: Callable[[], None] = lambda: None,
    *,
    witnessed: Collection[int] = (),
) -> list[Rim]:
    """Find them.

    Parameters
    ----------
    greys, clipped : sequences of ndarray
        Brightness of every frame, smaller than it, and what of it is clipped.
    matrices : sequence of ndarray, shape (3, 3)
        From every frame to the first, in whole pixels.
    stops : sequence of float
        How much brighter than the first each frame is.
    pixels : (int, int)
        Width and height of a frame.
    look : callable
        Called for every light; may raise to end it.
    witnessed : collection of int
        Frames of which another tells what is clipped: it is no light for that.
    """
    if len(greys) < 2 or all(share is None for share in clipped):
        return []
    divide = round(pixels[0] / greys[0].shape[1])
    size = (greys[0].shape[1], greys[0].shape[0])
    laid = [at_level(matrix, divide) for matrix in matrices]
    white = np.zeros(size[::-1], np.uint8)
    for k, (share, matrix) in enumerate(zip(clipped, laid, strict=True)):
        if share is not None and k not in witnessed:
            white |= (cv2.warpPerspective(share, matrix, size) > _SHARE).astype(np.uint8)
    count, labels, told, _ = cv2.connectedComponentsWithStats(cv2.dilate(white, np.ones((_NEAR, _NEAR), np.uint8)))
    found: list[Rim] = []
    cap = np.float32(min(1.0, *(2.0**-off for off in stops)))
    for k in range(1, count):
        left, top, wide, high, area = (int(part) for part in told[k])
        look()
        if area > _MOST * white.size:
            continue
        room = round(_ABOUT * max(wide, high)) + _ROOM
        box = (
            max(0, top - room),
            max(0, left - room),
            min(size[1], top + high + room),
            min(size[0], left + wide + room),
        )
        core = (labels[box[0] : box[2], box[1] : box[3]] == k).astype(np.uint8)
        # What is clipped is as light in all.
        parts = [
            np.minimum(cv2.GaussianBlur(part_of(grey, matrix, box), (0, 0), _EASED) * np.float32(2.0**-off), cap)
            for grey, matrix, off in zip(greys, laid, stops, strict=True)
        ]
        own = [
            share is not None and bool((part_of(share, matrix, box)[core > 0] > _SHARE).any())
            for share, matrix in zip(clipped, laid, strict=True)
        ]
        found += _rims(parts, _in_focus(own, stops), core, box, divide)
    return found


def _in_focus(clipped: Sequence[bool], stops: Sequence[float]) -> list[int]:
    """Frames that may have a light in focus: none is lighter then than where it is out of focus.

    So they are clipped, or darker than all that are.
    """
    least = min((off for off, there in zip(stops, clipped, strict=True) if there), default=math.inf)
    return [k for k, off in enumerate(stops) if clipped[k] or off < least - _DARKER]


def _rims(
    parts: Sequence[Grey], sharp: Sequence[int], core: NDArray[np.uint8], box: tuple[int, int, int, int], divide: int
) -> list[Rim]:
    """Where frames are lighter about one light than the one of those that may be sharp which shows it smallest."""
    least = np.minimum.reduce(parts)
    about = _about(np.maximum.reduce(parts), least, core)
    if not about.any():
        return []
    smallest = parts[sharp[_smallest([(parts[k] - least)[about] for k in sharp])]]
    whole = (box[0] * divide, box[1] * divide, box[2] * divide, box[3] * divide)
    kernel = np.ones((2 * _BEYOND + 1, 2 * _BEYOND + 1), np.uint8)
    found = []
    for k, part in enumerate(parts):
        mask = about & (part > _LIGHTER * smallest + _LEAST)
        if int(mask.sum()) >= _SMALL:
            found.append(Rim(whole, np.asarray(cv2.dilate(mask.astype(np.uint8), kernel), np.uint8), k))
    return found


def _about(most: Grey, least: Grey, core: NDArray[np.uint8]) -> NDArray[np.bool_]:
    """Where close about a core, and together with it, some frame is lighter than another."""
    far = 2 * round(_FAR * math.sqrt(float(core.sum()))) + 1
    close = cv2.dilate(core, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (far, far)))
    lighter = (most > _LIGHTER * least + _LEAST) & (close > 0)
    count, labels = cv2.connectedComponents(lighter.astype(np.uint8) | core)
    with_it = np.zeros(count, bool)
    with_it[labels[core > 0]] = True
    found: NDArray[np.bool_] = lighter & with_it[labels]
    return found


def _smallest(more: Sequence[Grey]) -> int:
    """The frame whose light lies closest together, by what each has more of than the one that has least."""
    sums = [float(one.sum()) for one in more]
    # Of a wide clipped window the frame that has it in focus has nowhere more than any other.
    areas = [
        0.0 if total <= _NOTHING * max(sums) else total**2 / float((one**2).sum())
        for total, one in zip(sums, more, strict=True)
    ]
    return min(range(len(more)), key=lambda k: (areas[k], sums[k]))
