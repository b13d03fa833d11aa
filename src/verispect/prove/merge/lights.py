"""Clipped lights in a series: out of focus their discs have rims sharper than anything about them.

Of a light that is clipped a sensor gets more the farther it is out of focus, for less of it is cut off. The frame that
got least about it shows it smallest, and gives what lies there; others give nothing where they are lighter.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.align.motion import at_level
from verispect.prove.intake import Coded

Grey = NDArray[np.float32]
# A channel counts as clipped from here on, and a place where so much of it is.
_WHITE, _SHARE = 64500, 0.3
# Clipped places so near one another are one light; about it so much is looked at, in its own size, and pixels.
_NEAR, _ABOUT, _ROOM = 5, 1.0, 16
# What is larger than this share of the picture is a sky.
_MOST = 0.1
# A frame is lighter than another from so much of it on, and so much of white; so many pixels more are left out.
_LIGHTER, _LEAST, _BEYOND = 1.25, 0.01, 2
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


def clipped_share(coded: Coded, size: tuple[int, int]) -> Grey | None:
    """How much of every place is clipped in some channel, small (width, height); None where nothing is."""
    if int(coded.max()) < _WHITE:
        return None
    brightest = np.maximum(np.maximum(coded[..., 0], coded[..., 1]), coded[..., 2])
    white = (brightest >= _WHITE).astype(np.float32)
    return np.asarray(cv2.resize(white, size, interpolation=cv2.INTER_AREA), np.float32)


def rims_of(
    greys: Sequence[Grey],
    clipped: Sequence[Grey | None],
    matrices: Sequence[Floats],
    stops: Sequence[float],
    pixels: tuple[int, int],
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
    """
    if len(greys) < 2 or all(share is None for share in clipped):
        return []
    divide = round(pixels[0] / greys[0].shape[1])
    size = (greys[0].shape[1], greys[0].shape[0])
    laid = [at_level(matrix, divide) for matrix in matrices]
    white = np.zeros(size[::-1], np.uint8)
    for share, matrix in zip(clipped, laid, strict=True):
        if share is not None:
            white |= (cv2.warpPerspective(share, matrix, size) > _SHARE).astype(np.uint8)
    count, labels, told, _ = cv2.connectedComponentsWithStats(cv2.dilate(white, np.ones((_NEAR, _NEAR), np.uint8)))
    found: list[Rim] = []
    for k in range(1, count):
        left, top, wide, high, area = (int(part) for part in told[k])
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
        parts = [
            _part(grey, matrix, box) * np.float32(2.0**-off)
            for grey, matrix, off in zip(greys, laid, stops, strict=True)
        ]
        found += _rims(parts, core, box, divide)
    return found


def _part(grey: Grey, matrix: Floats, box: tuple[int, int, int, int]) -> Grey:
    """A box of the reference as a frame shows it."""
    top, left, bottom, right = box
    move = np.array([[1.0, 0, -left], [0, 1.0, -top], [0, 0, 1.0]]) @ matrix
    return np.asarray(
        cv2.warpPerspective(grey, move, (right - left, bottom - top), borderMode=cv2.BORDER_REFLECT_101), np.float32
    )


def _rims(parts: Sequence[Grey], core: NDArray[np.uint8], box: tuple[int, int, int, int], divide: int) -> list[Rim]:
    """Where frames are lighter about one light than the frame that got least of it."""
    least = min(parts, key=lambda part: float(part.sum()))
    whole = (box[0] * divide, box[1] * divide, box[2] * divide, box[3] * divide)
    found = []
    for k, part in enumerate(parts):
        if part is least:
            continue
        lighter = (part > _LIGHTER * least + _LEAST).astype(np.uint8)
        _, labels = cv2.connectedComponents(lighter | core)
        with_it = lighter & np.isin(labels, np.unique(labels[core > 0])).astype(np.uint8)
        if int(with_it.sum()) >= _SMALL:
            kernel = np.ones((2 * _BEYOND + 1, 2 * _BEYOND + 1), np.uint8)
            found.append(Rim(whole, np.asarray(cv2.dilate(with_it, kernel), np.uint8), k))
    return found
