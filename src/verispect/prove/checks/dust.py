"""Dust before the sensor: small round shadows that stay on the same pixels, whatever the frames show.

Texture hides them: among textured frames as many false ones as true were found, even where a grid shows different
things at the same pixels. One frame of something plain, at a small stop, shows every one.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats

Grey = NDArray[np.float32]
# Standard deviations of the blobs sought, in pixels of the picture looked at; a disc's radius is √2 times that.
_SIZES = (1.4, 2.0, 2.8, 4.0, 5.7, 8.0, 11.3, 16.0)
# Shadows fainter than this share of the light are left alone, and what stands out less from what is about it.
_LEAST_DEPTH, _TIMES_NOISE = 0.012, 7.0
# A frame is plain where nine tenths of it vary by less than this share over a few pixels.
_PLAIN = 0.02
_SMOOTH, _LOCAL = 24.0, 24.0
_MOST = 60


@dataclass(frozen=True)
class Speck:
    """A shadow of dust: its middle (row, column) and radius in pixels of the whole picture."""

    pixel: tuple[int, int]
    radius_px: float


def is_plain(grey: Grey) -> bool:
    """Whether a frame shows so little that dust stands out by itself; linear light (rows, columns)."""
    level = float(np.median(grey))
    if not 0.01 < level < 0.95:
        return False
    # Noise is no texture.
    eased = cv2.GaussianBlur(_ridded(grey), (0, 0), 2.0)
    return bool(np.quantile(np.abs(eased), 0.9) < _PLAIN)


def specks_on(grey: Grey, divide: int = 1) -> list[Speck]:
    """Dust on a plain frame, the clearest first; none on any other.

    Parameters
    ----------
    grey : ndarray, shape (rows, columns)
        Linear light.
    divide : int
        How many times smaller it is than the whole picture.
    """
    if not is_plain(grey):
        return []
    rest = _ridded(grey)
    found = []
    for row, column, size in _blobs(rest):
        radius = size * math.sqrt(2.0)
        if _depth(rest, row, column, radius) > _LEAST_DEPTH:
            whole = (round((row + 0.5) * divide - 0.5), round((column + 0.5) * divide - 0.5))
            found.append(Speck(whole, round(_radius(rest, row, column, radius) * divide, 1)))
    # So many are a texture, if a faint one.
    return found if len(found) <= _MOST else []


def seen_on(plain: Sequence[list[Speck]]) -> list[tuple[Speck, int]]:
    """Specks of several plain frames, each once, with the number of frames that show it."""
    found: list[tuple[Speck, int]] = []
    for specks in plain:
        for speck in specks:
            for number, (known, count) in enumerate(found):
                if math.dist(known.pixel, speck.pixel) < max(known.radius_px, 2.0):
                    found[number] = known, count + 1
                    break
            else:
                found.append((speck, 1))
    return found


def _ridded(grey: Grey) -> Grey:
    """The logarithm of the light without what changes slowly over the picture."""
    logs = np.log(np.maximum(grey, 1e-4)).astype(np.float32)
    found: Grey = logs - cv2.GaussianBlur(logs, (0, 0), _SMOOTH)
    return found


def _blobs(rest: Grey) -> list[tuple[int, int, float]]:
    """Dark round places (row, column, standard deviation), the strongest first (Lindeberg 1998)."""
    stack = []
    for size in _SIZES:
        # At the size that fits a Gaussian blob of depth d the normalised Laplacian is d.
        answer = size**2 * cv2.Laplacian(cv2.GaussianBlur(rest, (0, 0), size), cv2.CV_32F, ksize=1)
        spread = 1.4826 * float(np.median(np.abs(answer - np.median(answer))))
        about = np.sqrt(cv2.GaussianBlur(np.minimum(np.abs(answer), 6.0 * spread) ** 2, (0, 0), 2.0 * _LOCAL))
        floor = np.maximum(_TIMES_NOISE * np.maximum(spread, about), _LEAST_DEPTH)
        stack.append(np.where(answer > floor, answer, 0.0))
    answers: Floats = np.array(stack)
    strongest, level = answers.max(axis=0), answers.argmax(axis=0)
    peak = (strongest > 0) & (strongest >= cv2.dilate(strongest, np.ones((5, 5), np.uint8)))
    places = sorted(zip(*np.nonzero(peak), strict=True), key=lambda place: -float(strongest[place]))
    kept: list[tuple[int, int, float]] = []
    for row, column in places[: 40 * _MOST]:
        size = _SIZES[int(level[row, column])]
        edge = math.ceil(2.0 * size)
        inside = edge <= row < rest.shape[0] - edge and edge <= column < rest.shape[1] - edge
        near = any(math.hypot(row - r, column - c) < 2.0 * (size + other) for r, c, other in kept)
        if inside and not near:
            kept.append((int(row), int(column), size))
    return kept


def _radius(rest: Grey, row: int, column: int, guess: float) -> float:
    """Where the shadow is half as deep as in its middle, by its profile; the guess where that is not clear."""
    reach = math.ceil(3.0 * guess)
    part = rest[max(row - reach, 0) : row + reach + 1, max(column - reach, 0) : column + reach + 1]
    y, x = np.mgrid[0 : part.shape[0], 0 : part.shape[1]]
    away = np.hypot(y - min(row, reach), x - min(column, reach))
    around = float(np.median(part[(away > 1.7 * guess) & (away <= 2.7 * guess)]))
    middle = float(np.mean(part[away <= max(0.5 * guess, 1.0)]))
    if not middle < around:
        return guess
    # What the shadow takes in all, over what it takes in its middle, is its area.
    within = away <= 1.7 * guess
    area = float(np.sum(around - part[within])) / (around - middle)
    return float(np.clip(math.sqrt(max(area, 0.0) / math.pi), 0.5 * guess, 1.7 * guess))


def _depth(rest: Grey, row: int, column: int, radius: float) -> float:
    """How much darker the middle is than what lies about it, on its brightest side's worst: round shadows only."""
    reach = math.ceil(2.5 * radius)
    top, left = max(row - reach, 0), max(column - reach, 0)
    part = rest[top : row + reach + 1, left : column + reach + 1]
    y, x = np.mgrid[0 : part.shape[0], 0 : part.shape[1]]
    y, x = y - (row - top), x - (column - left)
    away, side = np.hypot(y, x), np.floor((np.arctan2(y, x) + np.pi) / (np.pi / 2.0)).astype(int) % 4
    middle = float(np.mean(part[away <= max(0.6 * radius, 1.0)]))
    ring = (away > 1.5 * radius) & (away <= 2.5 * radius)
    around = [
        float(np.mean(part[ring & (side == quarter)])) for quarter in range(4) if (ring & (side == quarter)).any()
    ]
    return min(around, default=middle) - middle


def for_the_dust(plain: Sequence[bool], planned: int | None, *, unusable: set[int]) -> list[int]:
    """Frames of an even ground that belong to no set: more than were planned, or the first or last of things."""
    shown = [k for k in range(len(plain)) if k not in unusable]
    even = [k for k in shown if plain[k]]
    if planned is not None:
        return even if len(even) <= len(shown) - planned else []
    ends = {shown[0], shown[-1]} if shown else set()
    return even if len(shown) > 2 and even and set(even) <= ends else []
