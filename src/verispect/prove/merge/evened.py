"""Light and colour of a series' frames made even: extension, clouds and a drifting white balance leave patches."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from verispect.optics.types import Floats
from verispect.prove.checks.exposure import ratios_stops
from verispect.prove.intake import Coded, Linear, coded_of, linear_of

# Of the small pictures that are held against one another; and what nobody sees, in stops.
_SMALL_PIXELS = 60_000
_UNSEEN = 0.004
# What is burnt out stays white unless the frame is brighter than it should be by so much, in stops.
_MUCH = 0.1


def small_light(coded: Coded) -> Linear:
    """A frame small, in linear light; some of its pixels tell for all."""
    rows, columns = coded.shape[:2]
    divide = max(1, int(np.sqrt(rows * columns / _SMALL_PIXELS)))
    apart = max(1, divide // 2)
    some = linear_of(np.ascontiguousarray(coded[::apart, ::apart]))
    size = (max(1, columns // divide), max(1, rows // divide))
    return np.asarray(cv2.resize(some, size, interpolation=cv2.INTER_AREA), np.float32)


def off_in_stops(smalls: Sequence[Linear], matrices: Sequence[Floats], pixels: tuple[int, int]) -> Floats:
    """How much brighter each frame is than the first should be by the others' word: shape (frames, 3), in stops.

    By channel. A lens drawn out takes light as it draws larger: what all share of that is no error of the first's.

    Parameters
    ----------
    smalls : sequence of ndarray, shape (rows, columns, 3)
        Of `small_light`.
    matrices : sequence of ndarray, shape (3, 3)
        From every frame to the first, in whole pixels.
    pixels : (int, int)
        Width and height of a frame.
    """
    rows, columns = smalls[0].shape[:2]
    across, down = pixels[0] / columns, pixels[1] / rows
    up = np.array([[across, 0, (across - 1) / 2], [0, down, (down - 1) / 2], [0, 0, 1.0]])
    chained = np.zeros((len(smalls), 3))
    for k in range(1, len(smalls)):
        step = np.linalg.inv(up) @ np.linalg.inv(matrices[k - 1]) @ matrices[k] @ up
        moved = cv2.warpPerspective(smalls[k], step, (columns, rows), flags=cv2.INTER_LINEAR)
        there = cv2.warpPerspective(np.ones((rows, columns), np.float32), step, (columns, rows)) > 0.999
        light, red, blue = ratios_stops(smalls[k - 1], np.asarray(moved, np.float32), there)
        # The brightness is the three channels' own, weighted as the eye does.
        green = light - 0.2126 * red - 0.0722 * blue
        chained[k] = chained[k - 1] + (green + red, green, green + blue)
    # Drawn s times smaller than the first, a frame has s² times its light, where light follows the focus at all.
    sizes = [max(abs(float(np.linalg.det(one[:2, :2]))), 1e-6) for one in matrices]
    drawn_out = np.log2(sizes)[:, None]
    rests = [chained - drawn_out, chained]
    steadier = min(rests, key=lambda rest: float(np.abs(rest - np.median(rest, axis=0)).sum()))
    found: Floats = chained - np.median(steadier, axis=0)
    return found


def evened(coded: Coded, stops: Floats, *, halved: bool = False) -> Coded:
    """The frame as it would be with so many stops less, by channel; what is clipped stays white where that is little.

    `halved` gives half of every value, for those who work with signed integers.

    Parameters
    ----------
    coded : ndarray, shape (rows, columns, 3), uint16
        With sRGB's curve.
    stops : ndarray, shape (3,)
    """
    if float(np.abs(stops).max()) < _UNSEEN:
        return np.right_shift(coded, 1) if halved else coded
    code = np.arange(65536, dtype=np.uint16)
    light = linear_of(np.repeat(code[:, None, None], 3, axis=2))[:, 0].astype(float) * 2.0 ** -np.asarray(stops)
    table = coded_of(light)
    if float(np.max(stops)) < _MUCH:
        table[-1] = 65535
    if halved:
        table >>= 1
    return np.asarray(cv2.LUT(coded, table[None]), np.uint16)
