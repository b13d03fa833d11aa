"""What passes while a series is taken: each is left out of the frame that shows it there."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from verispect.optics.types import Floats
from verispect.prove.align.motion import at_level
from verispect.prove.checks.laid_small import Small
from verispect.prove.checks.passing import Place, places_where_it_passed
from verispect.prove.merge.ghosts import Ghost, detail_of, part_of
from verispect.prove.resources.threads import in_turn, workers

Grey = NDArray[np.float32]
Mask = NDArray[np.bool_]
# A frame is held against so many before it and after it.
_BESIDE = 2
# So far about it the picture tells which frame is sharp there, pixels; by so much more detail than any other, but for
# what noise makes.
_RING, _SHARPER, _NOISE_PX = 9, 1.3, 1.0


def passing_in(
    smalls: Sequence[Grey],
    greys: Sequence[Grey],
    matrices: Sequence[Floats],
    pixels: tuple[int, int],
    *,
    blurs: Callable[[int, int], float] | None,
    look: Callable[[], None],
) -> list[Ghost]:
    """Find all that passes, frame by frame, the largest first.

    Parameters
    ----------
    smalls : sequence of ndarray, shape (rows, columns, 3)
        Small pictures in linear light.
    greys : sequence of ndarray
        Brightness of every frame, larger.
    matrices : sequence of ndarray, shape (3, 3)
        From every frame to the first, in whole pixels.
    pixels : (int, int)
        Width and height of a frame.
    blurs : callable, optional
        By what disc one frame blurs what another has sharp, pixels, as planned.
    look : callable
        Raises where it is to stop.
    """
    if len(smalls) < 3:
        return []
    back = [np.linalg.inv(matrix) for matrix in matrices]
    divide = pixels[0] / smalls[0].shape[1]
    small = Small(lambda a, b: np.asarray(back[b] @ matrices[a], float), smalls, divide, blurs)

    def places_of(k: int) -> list[Place]:
        # The first is held against those after it, the last against those before.
        first = min(max(k - _BESIDE, 0), max(len(smalls) - 2 * _BESIDE - 1, 0))
        others = [j for j in range(first, min(first + 2 * _BESIDE + 1, len(smalls))) if j != k]
        return places_where_it_passed(small.beside(k, sorted(others, key=lambda j: abs(j - k))))

    found: list[tuple[float, int, Mask]] = []
    for k, places in enumerate(in_turn(places_of, range(len(smalls)), workers())):
        look()
        found += [(place.size, k, _laid(place.mask, matrices[k], divide)) for place in places]
    return _given(sorted(found, key=lambda one: -one[0]), greys, matrices, pixels)


def _laid(mask: Mask, matrix: Floats, divide: float) -> Mask:
    """A mask of a frame where the first frame has it."""
    size = mask.shape[1::-1]
    moved = cv2.warpPerspective(mask.astype(np.uint8), at_level(matrix, divide), size, flags=cv2.INTER_NEAREST)
    found: Mask = moved > 0
    return found


def _given(
    found: Sequence[tuple[float, int, Mask]],
    greys: Sequence[Grey],
    matrices: Sequence[Floats],
    pixels: tuple[int, int],
) -> list[Ghost]:
    """What is done about each: it is left out of its frame, or that shows it alone where it is the sharpest there."""
    ghosts: list[Ghost] = []
    if not found:
        return ghosts
    step = pixels[0] / found[0][2].shape[1]
    level = round(pixels[0] / greys[0].shape[1])
    # Which frames give what.
    given = np.ones((len(greys), *found[0][2].shape), bool)
    for _, odd, mask in found:
        rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
        if not rows.size:
            continue
        ends = (int(rows[0]), int(columns[0]), int(rows[-1]) + 1, int(columns[-1]) + 1)
        part = mask[ends[0] : ends[2], ends[1] : ends[3]]
        from_odd = _is_sharpest(odd, part, ends, greys, matrices, step / level, level)
        # Nowhere may all be left out.
        from_odd = from_odd and bool(given[odd][mask].all())
        out = np.arange(len(greys)) != odd if from_odd else np.arange(len(greys)) == odd
        if not given[~out][:, mask].any(axis=0).all():
            continue
        given[out] &= ~mask
        top, along, bottom, right = (round(side * step) for side in ends)
        box = (top, along, min(bottom, pixels[1]), min(right, pixels[0]))
        ghosts.append(Ghost(box, part.astype(np.uint8), odd, from_odd))
    return ghosts


def _is_sharpest(
    odd: int,
    mask: Mask,
    ends: tuple[int, int, int, int],
    greys: Sequence[Grey],
    matrices: Sequence[Floats],
    times: float,
    level: int,
) -> bool:
    """Whether no other frame has as much detail there, nor about it."""
    about = np.pad(mask.astype(np.uint8), _RING)
    ring = cv2.dilate(about, np.ones((2 * _RING - 1, 2 * _RING - 1), np.uint8)) - about
    top, left, bottom, right = ends
    room = (top - _RING, left - _RING, bottom + _RING, right + _RING)
    box = (round(room[0] * times), round(room[1] * times), round(room[2] * times), round(room[3] * times))
    size = (box[3] - box[1], box[2] - box[0])
    parts = [
        np.asarray(cv2.GaussianBlur(part_of(grey, at_level(matrix, level), box), (0, 0), _NOISE_PX), np.float32)
        for grey, matrix in zip(greys, matrices, strict=True)
    ]
    for wanted in (about, ring):
        large = np.asarray(cv2.resize(wanted, size, interpolation=cv2.INTER_NEAREST), np.uint8)
        details = [detail_of(part, large) for part in parts]
        if details[odd] < _SHARPER * max(np.delete(details, odd)):
            return False
    return True
