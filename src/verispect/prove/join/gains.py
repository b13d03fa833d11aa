"""Brightness of a grid's frames made even where they overlap."""

from __future__ import annotations

import math
from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.align.motion import at_level
from verispect.prove.checks.exposure import ratios_stops
from verispect.prove.expected import View
from verispect.prove.join.pointing import Pair


def gains_of(
    views: Sequence[View], smalls: Sequence[NDArray[np.float32]], pairs: Sequence[Pair], pixels: tuple[int, int]
) -> Floats:
    """Stops to add to each frame so that overlaps agree, by least squares; none on the whole."""
    count = len(views)
    rows, right = [np.eye(count) * 0.05], [np.zeros(count)]
    factor = pixels[0] / smalls[0].shape[1]
    for pair in pairs:
        a, b = smalls[pair.a], smalls[pair.b]
        matrix = at_level(views[pair.b].onto(views[pair.a]), factor)
        size = (a.shape[1], a.shape[0])
        moved = cv2.warpPerspective(b, matrix, size, flags=cv2.INTER_LINEAR)
        there = cv2.warpPerspective(np.ones(b.shape[:2], np.float32), matrix, size) > 0.999
        if there.sum() < 60:
            continue
        light, _, _ = ratios_stops(a, np.asarray(moved, np.float32), there)
        row = np.zeros((1, count))
        row[0, pair.a], row[0, pair.b] = -1.0, 1.0
        weight = math.sqrt(float(there.mean()))
        rows.append(row * weight)
        right.append(np.array([-light * weight]))
    found: Floats = np.linalg.lstsq(np.vstack(rows), np.concatenate(right), rcond=None)[0]
    even: Floats = found - found.mean()
    return even
